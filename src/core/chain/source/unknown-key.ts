import { readDuration } from '../../language/lexer.ts';
import { optional } from '../optional.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { Findings } from './findings.ts';
import type { KeyDefinition } from './key-definition.ts';
import { rewritten } from './changes.ts';
import { asScalar } from './scalar-text.ts';
import { jsonMeantBy } from './repair-value.ts';
import type { Change } from './source-problem.ts';
import { entryOf, type MapEntry, type MapNode, type SourceFile, valueOf } from './source-file.ts';
import { keysMeantBy } from './key-habits.ts';
import { meantValue } from './meant-value.ts';
import { plainOf } from './node-data.ts';

/** Keys whose condition is the opposite of one that there is. */
const OPPOSITES: Readonly<Record<string, string>> = {
  while: 'until',
  unless: 'when',
  'skip-if': 'when',
  'skip-when': 'when',
};

/** What is said another way here. */
function hintOf(word: string, what: string): string | undefined {
  if (word === 'then') return 'what follows is the next step of the list';
  if (word === 'as' && what === 'an each') return 'the name of the item stands first: each: piece in pieces';
  if (/^(?:index|counter|i|key|var|variable|item)$/.test(word) && what === 'an each')
    return 'the names stand first, that of the place second: each: piece, i in pieces';
  if (what === 'poll' && /attempts|retries|tries|count|times/i.test(word))
    return 'within: says how long it asks at most';
  if (what !== 'an input') return undefined;
  if (word === 'required') return 'an input without a default has to be given';
  if (word === 'min' || word === 'max' || word === 'pattern')
    return 'must: a condition on the name of the input';
  if (word === 'optional') return 'an input with a default may be left out; default: null is one';
  return undefined;
}

/** What other programs say of an input by a key of its own: its bounds, and whether it has to be given. */
function boundOfInput(file: SourceFile, node: MapNode, { key, value }: MapEntry): Change | undefined {
  if (value.type !== 'scalar') return undefined;
  const whole = [key.range[0], value.range[1]] as const;
  const isYes = /^(?:yes|true)$/.test(value.text);
  if ((key.text === 'required' && !isYes) || (key.text === 'optional' && isYes))
    return entryOf(node, 'default') ? undefined : { range: whole, text: 'default: null' };
  if ((key.text === 'required' && isYes) || (key.text === 'optional' && !isYes)) {
    // With the comma that parts it from the member before.
    const before = /,\s*$/.exec(file.text.slice(0, whole[0]))?.[0];
    return key.flow && before !== undefined
      ? { range: [whole[0] - before.length, whole[1]], text: '' }
      : undefined;
  }
  const operator = { min: '>=', minimum: '>=', max: '<=', maximum: '<=' }[key.text];
  const start = file.text.lastIndexOf('\n', node.range[0]) + 1;
  const input = /^\s*([A-Za-z_]\w*):\s*\{/.exec(file.text.slice(start, node.range[0] + 1))?.[1];
  if (operator === undefined || input === undefined || !/^-?\d+(?:\.\d+)?$/.test(value.text))
    return undefined;
  const must = entryOf(node, 'must')?.value;
  if (must) return undefined;
  return { range: whole, text: `must: ${input} ${operator} ${value.text}` };
}

/** Names of headers that people write beside the other keys of a call. */
const HEADER =
  /^(?:accept(?:-[a-z]+)?|content-type|user-agent|if-(?:none-)?match|x-[\w-]+|idempotency-key|cache-control)$/i;

/** What other programs have for certificates that are taken unseen. */
const OF_TLS = /^(?:verify|verify[-_]?ssl|ssl|ssl[-_]?verify|strict-ssl|rejectUnauthorized|insecure|tls)$/;

/** What parameters of a URL are mostly called. */
const OF_QUERIES =
  /^(?:limit|offset|page|page[-_]?size|per[-_]?page|sort|order(?:[-_]?by)?|q|search|filter|fields|cursor|after|before|since|ids?|count|include|expand)$/i;

/** `limit: 50` beside the keys of a call that reads: a parameter of its URL. */
function parameterOfCall(file: SourceFile, node: MapNode, { key, value }: MapEntry): Change | undefined {
  const call = valueOf(node, 'call');
  if (call?.type !== 'scalar' || value.type !== 'scalar' || key.flow) return undefined;
  if (!/^(?:GET|HEAD)\s/.test(call.text) || !OF_QUERIES.test(key.text) || entryOf(node, 'query'))
    return undefined;
  const written = value.quoted ? file.text.slice(...value.range) : asScalar(value.text, true);
  return { range: [key.range[0], value.range[1]], text: `query: { ${key.text}: ${written} }` };
}

/** `page: ${page + 1}` beside the keys of pages: a parameter of the next request. */
function parameterOfPages({ key, value }: MapEntry): Change | undefined {
  if (value.type !== 'scalar' || !/^\$\{.*\}$|^[\w.]+\s*\+\s*\d+$/.test(value.text)) return undefined;
  const text = value.text.startsWith('${') ? value.text : `\${${value.text}}`;
  return {
    range: [key.range[0], value.range[1]],
    text: `next-query: { ${key.text}: ${JSON.stringify(text)} }`,
  };
}

/** So many tries of a poll, as the time that they take. */
function boundOfPoll(node: MapNode, { key, value }: MapEntry): Change | undefined {
  const every = entryOf(node, 'every')?.value;
  if (!/^(?:max-?)?(?:attempts|retries|tries|count|times)$/i.test(key.text) || entryOf(node, 'within'))
    return undefined;
  if (value.type !== 'scalar' || !/^\d{1,6}$/.test(value.text) || every?.type !== 'scalar') return undefined;
  const pause = readDuration(every.text.replace(/^.*\.\./, ''));
  if (pause === undefined) return undefined;
  const seconds = Math.ceil((pause * Number(value.text)) / 1000);
  const within = seconds % 60 === 0 ? `${seconds / 60}m` : `${seconds}s`;
  return { range: [key.range[0], value.range[1]], text: `within: ${within}` };
}

/** Another key in the place of one, and its value put right with it where that has another form. */
function renamed(
  file: SourceFile,
  { key, value }: MapEntry,
  { name, shape }: KeyDefinition,
): Change | undefined {
  const change = rewritten(file, key, name);
  const written = value.type === 'scalar' && name === 'json' ? jsonMeantBy(value.text) : undefined;
  if (written !== undefined) return { range: [key.range[0], value.range[1]], text: `json: ${written}` };
  if (shape().safeParse(plainOf(value)).success) return change;
  // What goes over several lines is put right line by line.
  if (value.type !== 'scalar' && name !== 'scope')
    return file.text
      .slice(...value.range)
      .trimEnd()
      .includes('\n')
      ? change
      : undefined;
  const other = meantValue(file, name, value, shape());
  return other ? { range: [key.range[0], other.range[1]], text: `${name}: ${other.text}` } : undefined;
}

/** The key that a word was probably meant as; `present` are those of its map. */
export function nearestKey(
  { key: { text: word }, value }: MapEntry,
  keys: readonly KeyDefinition[],
  present: ReadonlySet<string>,
): string | undefined {
  const names = keys.map(({ name }) => name);
  const free = keysMeantBy(word).filter((key) => names.includes(key) && !present.has(key));
  // Of several the one that takes what is there.
  const wantsOf = (key: string): string => keys.find(({ name }) => name === key)!.wants;
  const members = value.type === 'map' ? value.entries.map(({ key }) => key.text) : [];
  const hasAll = (key: string): boolean => {
    const [, parts = ''] = /\ba map of ([a-z-]+,? .*)$/.exec(wantsOf(key)) ?? [];
    return (
      members.length > 0 && members.every((member) => parts.match(/[a-z-]+/g)?.includes(member) === true)
    );
  };
  const takes = (key: string): boolean =>
    keys
      .find(({ name }) => name === key)!
      .shape()
      .safeParse(plainOf(value)).success;
  const isFile = value.type === 'scalar' && /^(?:[\w./-]|\$\{[^}]*\})+\.[a-z]\w{1,3}$/.test(value.text);
  const isWord = value.type === 'scalar' && /^[A-Za-z_]\w*$/.test(value.text);
  const isOfTexts = value.type === 'map' && value.entries.every((one) => one.value.type === 'scalar');
  if (isOfTexts && free.includes('secrets')) return 'secrets';
  if (isWord && free.includes('name') && free.includes('about')) return 'name';
  // A map of names is none of keys.
  const takesNames = (key: string): boolean =>
    takes(key) && !(members.length > 0 && /\ba map of [a-z-]+, /.test(wantsOf(key)));
  const meant =
    (isFile && free.includes('save')
      ? 'save'
      : (free.find(hasAll) ?? free.find(takesNames) ?? free.find(takes))) ?? free[0];
  return (
    meant ??
    nearest(word, names) ??
    onlyMissing(keys, present, takes) ??
    keysMeantBy(word).find((key) => names.includes(key)) ??
    partOf(word, names)
  );
}

/** `burst-size` of `burst`: the only key that is a part of a word of several. */
function partOf(word: string, names: readonly string[]): string | undefined {
  const parts = word.toLowerCase().split(/[-_]/);
  const having = parts.length > 1 ? names.filter((name) => parts.includes(name)) : [];
  return having.length === 1 ? having[0] : undefined;
}

/** The key that has to be there and is not, where it is the only one, and no other key is unknown. */
function onlyMissing(
  keys: readonly KeyDefinition[],
  present: ReadonlySet<string>,
  takes: (key: string) => boolean,
): string | undefined {
  const missing = keys.filter(({ name, required }) => required && !present.has(name));
  if (missing.length !== 1) return undefined;
  const names = new Set(keys.map(({ name }) => name));
  let unknown = 0;
  for (const name of present) if (!names.has(name) && ++unknown > 1) return undefined;
  return unknown === 1 && takes(missing[0]!.name) ? missing[0]!.name : undefined;
}

/** Says of the entry at an index of a map that its key is none, and what it was probably meant as. */
export function unknownKey(
  findings: Findings,
  node: MapNode,
  index: number,
  {
    keys,
    what,
    present,
  }: {
    readonly keys: readonly KeyDefinition[];
    readonly what: string;
    readonly present: ReadonlySet<string>;
  },
): void {
  const names = keys.map((key) => key.name);
  const entry = node.entries[index]!;
  const name = entry.key.text;
  // What an environment sets is there in the project, too.
  const isSet = entry.key.endOf !== undefined;
  const near = nearestKey(entry, keys, isSet ? new Set() : present);
  const opposite = OPPOSITES[name];
  if (opposite !== undefined && names.includes(opposite) && entry.value.type === 'scalar') {
    const range = [entry.key.range[0], entry.value.range[1]] as const;
    const text = `${opposite}: ${asScalar(`!(${entry.value.text})`, entry.key.flow)}`;
    findings.problem(entry.key, 'unknown-key', `${what} has no key ${name}`, {
      hint: text,
      change: { range, text },
    });
    return;
  }
  const at = findings.file.place(entry.key.range[0]);
  const above = node.entries[index - 1]?.value;
  if (above?.type === 'list' && findings.file.text[above.range[0]] === '-') {
    const { column } = findings.file.place(above.range[0]);
    if (column === at.column) {
      findings.problem(
        entry.key,
        'unknown-key',
        `${name} begins at the column of the dash; what belongs to that item begins at column ${column + 2}`,
        { change: { range: [entry.key.range[0], entry.key.range[0]], text: '  ' } },
      );
      return;
    }
  }
  const page = what === 'pages' ? parameterOfPages(entry) : undefined;
  const bound =
    what === 'an input'
      ? boundOfInput(findings.file, node, entry)
      : what === 'poll'
        ? boundOfPoll(node, entry)
        : undefined;
  if (OF_TLS.test(name) && names.includes('insecure') && entry.value.type === 'scalar') {
    const isOff = /^(?:no|false|off|none|0)$/i.test(entry.value.text) !== (name === 'insecure');
    findings.problem(entry.key, 'unknown-key', `${what} has no key ${name}`, {
      hint: 'insecure: yes takes certificates that nothing vouches for; without it they are looked at',
      change: isOff
        ? { range: [entry.key.range[0], entry.value.range[1]], text: 'insecure: yes' }
        : undefined,
    });
    return;
  }
  if (OF_TLS.test(name) && names.includes('call')) {
    findings.problem(entry.key, 'unknown-key', `${what} has no key ${name}`, {
      hint: 'insecure: yes on the service in batharon.yaml takes certificates that nothing vouches for, tls: says which are taken',
    });
    return;
  }
  const parameter = near === undefined ? parameterOfCall(findings.file, node, entry) : undefined;
  if (parameter) {
    findings.problem(
      entry.key,
      'unknown-key',
      `${what} has no key ${name}; a parameter of the URL stands under query`,
      {
        hint: parameter.text,
        change: parameter,
      },
    );
    return;
  }
  const definition = keys.find((key) => key.name === near && (isSet || !present.has(key.name)));
  if (entry.value.type === 'scalar' && !entry.key.flow && names.includes('headers') && HEADER.test(name)) {
    const written = findings.file.text.slice(...entry.value.range);
    const text = `headers: { ${name}: ${entry.value.quoted ? written : JSON.stringify(entry.value.text)} }`;
    findings.problem(entry.key, 'unknown-key', `${what} has no key ${name}; a header stands under headers`, {
      hint: text,
      change: present.has('headers')
        ? undefined
        : { range: [entry.key.range[0], entry.value.range[1]], text },
    });
    return;
  }
  if (near === 'as' && entry.value.type === 'map') {
    findings.problem(
      entry.key,
      'unknown-key',
      `${what} has no key ${name}; a credential is one of the project`,
      {
        example:
          'credentials: { desk: { kind: bearer, token: "${secret.desk}" } } in batharon.yaml, and as: desk here',
      },
    );
    return;
  }
  findings.problem(entry.key, 'unknown-key', `${what} has no key ${name}`, {
    hint:
      hintOf(name, what) ??
      (near === undefined
        ? `its keys are ${nameList(names, 20)}`
        : present.has(near) && !isSet
          ? `${near} is there already`
          : `the nearest is ${near}`),
    change:
      page ??
      bound ??
      (definition && hintOf(name, what) === undefined
        ? renamed(findings.file, entry, definition)
        : undefined),
    ...optional('example', definition?.example),
  });
}
