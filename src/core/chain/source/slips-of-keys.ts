// The beginning of a line as it may have been meant: its blanks, its dash, its key.

import { nearest } from '../../language/nearest.ts';
import { keysMeantBy } from './key-habits.ts';
import { type Parts, type Slip, withValue } from './slip.ts';

/** `* call: …`, `1. call: …`, `-call: …`, `-- call: …` */
export function* marker(parts: Parts): Generator<Slip> {
  const [, blanks, mark, rest] =
    /^(\s*)((?:(?:->|=>|-:|-\.|- \[ ?[x ]?\]|[-*+–—•·>»_~=](?=[-\s])|[-*+–—•·>»]|\d+[.)])\s*)+)(\S.*)$/.exec(
      parts.whole,
    ) ?? [];
  if (blanks !== undefined && mark!.trim() !== '-')
    yield {
      why: 'an item of a list begins with a dash and a blank',
      line: `${blanks}- ${rest!}`,
      ofList: true,
    };
  if (/^\s*-\s/.test(parts.whole)) {
    // `- name: desk`, where names are keys.
    const [, before, name] = /^(\s*)- (?:name|id|key): ["']?([A-Za-z]\w*)["']?$/.exec(parts.whole) ?? [];
    if (name !== undefined) yield { why: 'a name is the key of what it names', line: `${before!}${name}:` };
    yield { why: 'no dash goes before this', line: parts.whole.replace(/^(\s*)-\s/, '$1  ') };
    yield { why: 'no dash goes before this', line: parts.whole.replace(/^(\s*)-\s+/, '$1') };
  } else {
    yield {
      why: 'an item of a list begins with a dash and a blank',
      line: parts.whole.replace(/^(\s*)/, '$1- '),
      ofList: true,
    };
    yield {
      why: 'an item of a list begins with a dash and a blank',
      line: parts.whole.replace(/^(\s*?) {0,2}(?=\S)/, '$1- '),
      ofList: true,
    };
    const column = (line = ''): number => /^ */.exec(line)![0].length;
    const [above, below] = [parts.lines[parts.at - 1], parts.lines[parts.at + 1]];
    const own = column(parts.whole);
    const item = parts.lines.slice(0, parts.at).findLast((line) => /^ *- /.test(line) && column(line) <= own);
    for (const dash of [
      /^ *- /.test(above ?? '') ? column(above) : -1,
      column(below) - 2,
      item === undefined ? -1 : column(item),
    ])
      if (dash >= 0)
        yield {
          why: 'an item of a list begins with a dash and a blank',
          line: `${' '.repeat(dash)}- ${parts.whole.trim()}`,
          ofList: true,
        };
  }
}

/** `secrets: all`, and below it what belongs to it: a key has the one or the other. */
export function* valueAndBlock(parts: Parts): Generator<Slip> {
  const next = parts.lines.slice(parts.at + 1).find((line) => line.trim() !== '') ?? '';
  if (parts.key === '' || /^\s*/.exec(next)![0].length <= parts.lead.length) return;
  const key = parts.key.trim();
  // `expect: |`, and below it items.
  if (/^[|>][-+]?$/.test(parts.value) && /^\s*- /.test(next))
    yield {
      why: `a list stands below ${key} without a | or >`,
      line: parts.lead + key,
      isPlain: true,
    };
  // `keep: |`, and below it names.
  if (/^[|>][-+]?$/.test(parts.value) && /^\s*[\w-]+:\s+\S/.test(next))
    yield { why: `names stand below ${key} without a | or >`, line: parts.lead + key };
  // A document of another language.
  if (parts.value === '' && /^\s*(?:(?:query|mutation|subscription|fragment)\b|[{<])/.test(next))
    yield { why: 'a text of several lines begins with |', line: `${parts.lead}${key} |`, ofParser: true };
  if (parts.value === '' || /^[|>#]/.test(parts.value)) return;
  yield {
    why: `the value of ${key.slice(0, -1)} stands below it, so nothing follows the colon`,
    line: parts.lead + key,
    loses: true,
  };
}

/** What begins a statement elsewhere, by its key. */
const STATEMENTS: readonly (readonly [begins: RegExp, key: string])[] = [
  [/^(?:for\s*each|for|foreach|loop)\s*\(?\s*(?:(?:let|const|var)\s+)?(?=\w+\s+(?:in|of)\s)/i, 'each'],
  [/^(?:if|when)\b\s*(?=\S)/i, 'when'],
  [/^(?:sleep|wait|delay)\s*\(?\s*(?=\d)/i, 'wait'],
  [/^(?:print|echo|log|puts|say)\s*\(?\s*(?=\S)/i, 'show'],
];

/** `- for rack in racks:`, `- sleep(5)`, `- print "done"`. */
export function* statement(parts: Parts): Generator<Slip> {
  const text = parts.whole.slice(parts.lead.length);
  for (const [begins, key] of STATEMENTS) {
    const word = begins.exec(text)?.[0];
    if (word === undefined) continue;
    const rest = text
      .slice(word.length)
      .replace(/^:\s*/, '')
      .replace(/\s*[:{]$/, '');
    const inside = word.includes('(') ? rest.replace(/\)$/, '') : rest;
    yield {
      why: `what begins here is written ${key}:`,
      line: `${parts.lead}${key}: ${key === 'each' ? inside.replace(/^(\w+)\s+of\s/, '$1 in ') : inside}`,
    };
  }
}

/** `: GET kiln /racks` and `practice`: a key of which only the colon is left, or nothing. */
export function* keyless(parts: Parts): Generator<Slip> {
  const [, lead, value] =
    /^(\s*(?:- +)*):(?:\s+(.*))?$/.exec(parts.whole) ??
    /^(\s*)((?![-#])[^\s{}[\]"':]+)$/.exec(parts.whole) ??
    [];
  if (lead === undefined) return;
  // What is kept has a name.
  const [, member] = /^\$(?:\.\w+|\[[\w*]+\])*\.(\w+)$/.exec(value ?? '') ?? [];
  if (member !== undefined)
    yield { why: 'a name is missing before this', line: `${lead}${member}: ${value!}`, isGuess: true };
  for (const key of new Set([...USUAL, ...parts.keys]))
    if (parts.keys.has(key))
      yield {
        why: `a key is missing before ${/^\s*(?:- +)*:/.test(parts.whole) ? 'this colon' : 'this'}; ${key} may stand here`,
        line: `${lead}${key}:${value === undefined ? '' : ` ${value}`}`,
        isGuess: true,
      };
}

/** Keys, the usual ones first: of several that may stand at one place the first is more likely to be meant. */
const USUAL =
  'call steps expect keep name inputs json url as headers query kind credentials services secrets chain each while until save value user undo results cleanup form row default file stream poll retry pages next next-query items environments ask show wait pace token-url client-id client-secret password token grant about'.split(
    ' ',
  );

/** A key in whose place a request is written: `download: GET kiln /film`. */
function isRequest(value: string): boolean {
  return /^(?:GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS)\s+\S/.test(value.replace(/^["']/, ''));
}

/** `- name: bowl, rack: A3`: a map on one line without its braces. */
export function* unbraced(parts: Parts): Generator<Slip> {
  const outside = parts.value.replace(/\{[^{}]*\}/g, '');
  const keys = outside.match(/(?<=^|,\s*)[\w-]+(?=:\s)/g)?.length ?? 0;
  const why = 'a map on one line stands in { }';
  const item = /^(\s*(?:- +)+)([\w-]+: .*)$/.exec(parts.whole);
  if (item && keys > 0) yield { why, line: `${item[1]!}{ ${item[2]!} }`, isPlain: true, ofParser: true };
  if (keys > 1) yield { why, line: withValue(parts, `{ ${parts.value} }`), isPlain: true, ofParser: true };
}

/** `call: POST kiln /orders { pieces: 3 }`: the body on the line of the request. */
export function* bodyBehind(parts: Parts): Generator<Slip> {
  const [, request, body] =
    /^([A-Z]+ +\S+(?: +\/\S*)?)(?:,? +(?:with|body:?|json:?|-d|data:?))?,? +'?(\{.*\})'?$/.exec(
      parts.value,
    ) ?? [];
  if (request === undefined || !isRequest(request)) return;
  yield {
    why: 'the body of a call stands on a line of its own',
    line: `${parts.lead}${parts.key}${request}\n${' '.repeat(parts.lead.length)}json: ${body!}`,
    isPlain: true,
  };
}

/** `call GET …`, `call=GET …`, `call => GET …`, and the key twice. */
export function* colon(parts: Parts): Generator<Slip> {
  const alone = /^[a-z][\w-]*$/i.exec(parts.whole.slice(parts.lead.length))?.[0];
  if (alone !== undefined) yield { why: 'a key is followed by a colon', line: `${parts.lead}${alone}:` };
  const [, key, sign, value] =
    /^["'`]?([A-Za-z][\w.-]*)["'`]?(\s*(?:::+|:=|=>|->|==?|[:;,.|>])\s*|\s+|(?=[{[]))(\S.*)?$/.exec(
      parts.whole.slice(parts.lead.length),
    ) ?? [];
  if (key === undefined) return;
  if (!/^:\s+$/.test(sign!) || value === undefined)
    yield {
      why: 'a key is followed by a colon and a blank',
      line: `${parts.lead}${key}:${value === undefined ? '' : ` ${value}`}`,
    };
  // `when a == b:`
  if (/^\s+$/.test(sign!) && /\S:$/.test(value ?? ''))
    yield { why: 'the colon follows the key', line: `${parts.lead}${key}: ${value!.slice(0, -1)}` };
  const again = /^["']?([\w-]+)["']?\s*[:=]\s*(.+)$/.exec(value ?? '');
  if (again) {
    const isTwice = again[1]!.toLowerCase() === key.toLowerCase();
    yield {
      why: isTwice ? `${key} is here twice` : `${key} has no place here`,
      line: `${parts.lead}${again[1]!}: ${again[2]!}`,
      ...(isTwice ? { isPlain: true } : {}),
    };
  }
  if (/^:\s+$/.test(sign!) && value !== undefined)
    yield { why: `no key goes here`, line: parts.lead + value };
  // A word before the key.
  if (/^\s+$/.test(sign!)) {
    yield { why: `${key} has no meaning here`, line: parts.lead + value! };
    const next = /^([\w-]+)\s*[:=]?\s*(.*)$/.exec(value!);
    if (next) yield { why: 'a key is one word', line: `${parts.lead}${key}-${next[1]!}: ${next[2]!}` };
  }
}

/** `$.pieces[0].id: first`: the value, and the name that it should have. */
export function* swapped(parts: Parts): Generator<Slip> {
  const [, value, name] =
    /^([$@"'][^:]*): +([A-Za-z_][\w-]*)$/.exec(parts.whole.slice(parts.lead.length)) ?? [];
  const inBraces = parts.value.replace(/([{,]\s*)([$@][^:,{}]*):\s*([A-Za-z_]\w*)(?=\s*[,}])/g, '$1$3: $2');
  if (inBraces !== parts.value && parts.value.startsWith('{'))
    yield { why: 'the name stands before the colon', line: withValue(parts, inBraces), isPlain: true };
  if (value !== undefined)
    yield { why: 'the name stands before the colon', line: `${parts.lead}${name!}: ${value}`, isPlain: true };
}

/** A key that is like another one, or that other programs call otherwise. */
export function* misspelt(parts: Parts): Generator<Slip> {
  for (const { 0: word, index } of parts.value.matchAll(/(?<=^\{\s*|^\{.*,\s*)[A-Za-z][\w-]*(?=\s*:)/g)) {
    const near = parts.keys.has(word) ? undefined : nearest(word, parts.keys);
    if (near !== undefined)
      yield {
        why: `${word} is no key; the nearest is ${near}`,
        line: withValue(parts, parts.value.slice(0, index) + near + parts.value.slice(index + word.length)),
      };
  }
  const [, sign, word, rest] =
    /^(["']?)([A-Za-z][\w-]*)\1(\s*:(?:\s.*|$))/.exec(parts.whole.slice(parts.lead.length)) ?? [];
  if (word !== undefined && word !== 'call' && isRequest(parts.value))
    yield { why: 'a request follows call:', line: `${parts.lead}call: ${parts.value}` };
  for (const key of word === undefined ? [] : parts.keys)
    if (key.endsWith(`-${word!}`))
      yield {
        why: `${word!} has no place here; the nearest is ${key}`,
        line: `${parts.lead}${sign!}${key}${sign!}${rest!}`,
      };
  if (word === undefined || parts.keys.has(word)) return;
  for (const key of [
    ...nearestOf(word, parts.keys),
    ...keysMeantBy(word).filter((one) => parts.keys.has(one)),
  ])
    yield {
      why: `${word} is no key; the nearest is ${key}`,
      line: `${parts.lead}${sign!}${key}${sign!}${rest!}`,
    };
}

/** The three known words that are most like one. */
function nearestOf(word: string, known: ReadonlySet<string>): readonly string[] {
  const left = new Set(known);
  return [1, 2, 3].flatMap(() => {
    const near = nearest(word, left);
    if (near === undefined) return [];
    left.delete(near);
    return [near];
  });
}

/** Blanks before a line: one too few or too many, or the column of a line near it. */
export function* indentation(parts: Parts): Generator<Slip> {
  const { lines, at, whole } = parts;
  const own = /^\s*/.exec(whole)![0];
  const text = whole.slice(own.length);
  const columns = new Set<number>();
  const near = [
    ...lines
      .slice(0, at)
      .reverse()
      .filter((line) => line.trim() !== '')
      .slice(0, 4),
    lines.slice(at + 1).find((line) => line.trim() !== '') ?? '',
  ];
  for (const line of near) {
    const [, blanks = '', dash = ''] = /^( *)((?:- +)*)/.exec(line) ?? [];
    columns.add(blanks.length);
    columns.add(blanks.length + dash.length);
  }
  for (const more of [2, -2, 1, -1, 4, -4]) columns.add(own.length + more);
  const tries = [...columns].filter((column) => column >= 0 && column !== own.length);
  const distance = (column: number): number => Math.abs(column - own.length);
  for (const column of tries.sort((a, b) => distance(a) - distance(b)))
    yield {
      why: own.includes('\t')
        ? "a tab can't indent in YAML; use blanks"
        : `this line is ${distance(column)} column${distance(column) === 1 ? '' : 's'} too far to the ${column < own.length ? 'right' : 'left'}`,
      line: ' '.repeat(column) + text,
    };
}
