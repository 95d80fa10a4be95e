import * as z from 'zod';
import { readDuration } from '../../language/lexer.ts';
import { optional } from '../optional.ts';
import { setMember } from '../../language/values.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { Findings } from './findings.ts';
import { anything, type KeyDefinition, text } from './key-definition.ts';
import { replacedBy, rewritten } from './changes.ts';
import { asScalar } from './scalar-text.ts';
import { jsonMeantBy, listMeantBy, mapMeantBy, meantBy } from './repair-value.ts';
import type { Change } from './source-problem.ts';
import {
  entryOf,
  type ListNode,
  type MapEntry,
  type MapNode,
  type ScalarNode,
  type SourceFile,
  type SourceNode,
} from './source-file.ts';
import { keysMeantBy } from './key-habits.ts';
import { valueMeantBy } from './value-habits.ts';

/** A node as plain data: scalars as texts, an empty value as null. */
export function plainOf(node: SourceNode): unknown {
  switch (node.type) {
    case 'scalar':
      return node.text;
    case 'empty':
      return null;
    case 'list':
      return node.items.map(plainOf);
    case 'map': {
      const object = {};
      for (const { key, value } of node.entries) setMember(object, key.text, plainOf(value) as never);
      return object;
    }
  }
}

// A schema is used a few times in a run, too few to be worth compiling.
z.config({ jitless: true });

/** What a node is, for a message. */
export function formOf(node: SourceNode): string {
  return { scalar: 'a text', map: 'a map', list: 'a list', empty: 'empty' }[node.type];
}

/** A text where a text is wanted: most values are, and looking at them takes longer than all else. */
function isPlainly({ shape }: KeyDefinition, value: SourceNode): boolean {
  return value.type === 'scalar' && (shape === text || shape === anything);
}

/**
 * Holds a map to the keys that may stand in it. Says of each unknown key the nearest known one, of each value that has
 * another form what is wanted, with an example. Returns the map where it is one.
 */
export function checkStructure(
  findings: Findings,
  node: SourceNode,
  keys: readonly KeyDefinition[],
  what: string,
): MapNode | undefined {
  if (node.type !== 'map') {
    findings.problem(
      node,
      'wrong-form',
      `${what} is a map of keys, but this is ${formOf(node)}`,
      keys[0] && { example: keys[0].example },
    );
    return undefined;
  }
  const strays = strayItems(findings, node, keys);
  for (const { key, value } of node.entries) {
    if (strays.has(key)) continue;
    const definition = keys.find(({ name }) => name === key.text);
    if (!definition) unknownKey(findings, node, key.text, { keys, what });
    else if (!isPlainly(definition, value) && !definition.shape().safeParse(plainOf(value)).success)
      wrongValue(findings, key, value, definition);
  }
  const meant = new Set(
    node.entries.flatMap(({ key }) =>
      keys.some(({ name }) => name === key.text) ? [] : (nearestKey(node, key.text, keys) ?? []),
    ),
  );
  // A key that nobody knows may be the one that is missing.
  const isOnlyKey = node.entries.length === 1 && !keys.some(({ name }) => name === node.entries[0]!.key.text);
  for (const { name, required, example } of isOnlyKey ? [] : keys)
    if (required && !meant.has(name) && !node.entries.some(({ key }) => key.text === name))
      findings.problem(node, 'missing-key', `${what} has no ${name}`, { example });
  return node;
}

/** `{ choices: ash, celadon }`: the items of a list without its brackets, which YAML reads as keys. Returns what is no key then. */
function strayItems(findings: Findings, node: MapNode, keys: readonly KeyDefinition[]): Set<ScalarNode> {
  const strays = new Set<ScalarNode>();
  node.entries.forEach(({ key, value }, i) => {
    const definition = keys.find(({ name }) => name === key.text);
    if (!definition || value.type !== 'scalar' || !value.flow) return;
    const rest = node.entries.slice(i + 1);
    const count = rest.findIndex(
      (one) => one.value.type !== 'empty' || keys.some(({ name }) => name === one.key.text),
    );
    const items = count < 0 ? rest : rest.slice(0, count);
    const texts = [value.text, ...items.map((one) => one.key.text)];
    const shape = definition.shape();
    if (items.length === 0 || shape.safeParse(value.text).success || !shape.safeParse(texts).success) return;
    findings.problem(
      value,
      'wrong-form',
      `${key.text} must be ${definition.wants}; a list stands in brackets`,
      {
        change: { range: [value.range[0], items.at(-1)!.key.range[1]], text: `[${texts.join(', ')}]` },
      },
    );
    strays.add(key);
    for (const one of items) strays.add(one.key);
  });
  return strays;
}

/** Keys that take an expression, by that which takes a map of them. */
const OF_MAPS: Readonly<Record<string, string>> = { next: 'next-query', save: 'keep' };

/** A value of another form than its key takes: what is wanted, and the line put right where it can be. */
function wrongValue(
  findings: Findings,
  key: ScalarNode,
  value: SourceNode,
  { name, wants, shape, example }: KeyDefinition,
): void {
  if (value.type === 'map' && wrongInside(findings, value, { name, wants, shape })) return;
  const other = value.type === 'map' ? OF_MAPS[name] : undefined;
  if (name === 'repeat' && value.type === 'scalar' && /^\d+$/.test(value.text)) {
    const text = `each: n in range(1, ${value.text})`;
    findings.problem(
      key,
      'wrong-form',
      'repeat goes on until a condition is met; a loop of so many iterations is an each',
      {
        hint: text,
        change: { range: [key.range[0], value.range[1]], text },
      },
    );
    return;
  }
  const given = value.type === 'scalar' ? `'${value.text}'` : formOf(value);
  findings.problem(
    value.type === 'empty' || other !== undefined ? key : value,
    'wrong-form',
    `${name} must be ${wants}, but this is ${given}`,
    {
      change:
        other === undefined
          ? meantValue(findings.file, name, value, shape())
          : rewritten(findings.file, key, other),
      example,
    },
  );
}

/** One member of a map that has another form than it should: it is said at its place. Returns whether there is one. */
function wrongInside(
  findings: Findings,
  value: MapNode,
  { name, wants, shape }: Pick<KeyDefinition, 'name' | 'wants' | 'shape'>,
): boolean {
  for (const { key, value: inner } of value.entries) {
    if (inner.type !== 'scalar') continue;
    const takes = (text: string): boolean =>
      shape().safeParse({ ...(plainOf(value) as object), [key.text]: text }).success;
    const meant = [...meantBy(inner.text, shape())].find(takes);
    if (meant === undefined) continue;
    findings.problem(inner, 'wrong-form', `${name} must be ${wants}, but ${key.text} is '${inner.text}'`, {
      hint: meant,
      change: rewritten(findings.file, inner, meant),
    });
    return true;
  }
  return false;
}

/** The change by which a value is what it was probably meant as; undefined where that can't be told. */
function meantValue(file: SourceFile, name: string, value: SourceNode, shape: z.ZodType): Change | undefined {
  const takes = (plain: unknown): boolean => shape.safeParse(plain).success;
  if (value.type === 'list' && value.items.length === 1) {
    const [only] = value.items;
    if (only?.type === 'scalar' && takes(only.text)) return replacedBy(value, file.text.slice(...only.range));
  }
  if (value.type === 'list' && (takes({}) || takes({ x: 'y' }))) return mapOfList(file, name, value);
  if (value.type === 'list') return itemsMeantBy(file, name, value, takes);
  if (name === 'steps' && value.type === 'map') return itemOfMap(file, value);
  if (name === 'each' && value.type === 'map' && value.entries.length === 1) {
    const [{ key, value: list }] = value.entries as [MapEntry];
    return list.type === 'scalar' ? replacedBy(value, `${key.text} in ${list.text}`) : undefined;
  }
  if (value.type !== 'scalar') return undefined;
  const habit = valueMeantBy(name, value.text);
  if (habit !== undefined && takes(habit)) return rewritten(file, value, habit);
  for (const text of meantBy(value.text, shape)) if (takes(text)) return rewritten(file, value, text);
  if (takes([value.text])) return replacedBy(value, listMeantBy(value.text));
  const map =
    takes({}) || takes({ x: 'y' }) || takes({ until: 'x' }) ? mapMeantBy(name, value.text) : undefined;
  return map === undefined ? undefined : replacedBy(value, map);
}

/** A list of which some items are not what it takes, each as what it was meant as. */
function itemsMeantBy(
  file: SourceFile,
  name: string,
  list: ListNode,
  takes: (plain: unknown) => boolean,
): Change | undefined {
  const isBlock = file.text[list.range[0]] === '-';
  const items = list.items.map((item) => {
    if (item.type !== 'scalar') return undefined;
    return takes([item.text]) ? item.text : valueMeantBy(name, item.text);
  });
  if (isBlock || items.some((item) => item === undefined || !takes([item]))) return undefined;
  return replacedBy(list, `[${items.join(', ')}]`);
}

/** A lone map where a list of them is taken: the same lines with a dash before the first. */
function itemOfMap(file: SourceFile, map: MapNode): Change | undefined {
  const [first] = map.entries;
  const last = map.entries.at(-1);
  if (!first || !last || file.text[map.range[0]] === '{') return undefined;
  const range = [first.key.range[0], last.value.range[1]] as const;
  return { range, text: `- ${file.text.slice(...range).replaceAll('\n', '\n  ')}` };
}

/** A list of single members where a map is taken: the same lines without their dashes. */
function mapOfList(file: SourceFile, name: string, list: ListNode): Change | undefined {
  const isBlock = file.text[list.range[0]] === '-';
  const members = list.items.map((item) => {
    if (item.type === 'map' && item.entries.length === 1) {
      const [{ key, value }] = item.entries as [MapEntry];
      if (value.type !== 'scalar') return undefined;
      if (name === 'inputs') return `${key.text}: { default: ${file.text.slice(...value.range)} }`;
      return file.text.slice(key.range[0], value.range[1]);
    }
    if (item.type !== 'scalar' || !/^[A-Za-z_]\w*$/.test(item.text)) return undefined;
    if (name === 'inputs') return `${item.text}: {}`;
    return GIVES_NAMES.has(name) ? `${item.text}: ${item.text}` : undefined;
  });
  if (members.length === 0 || members.includes(undefined)) return undefined;
  const last = list.items.at(-1)!;
  const end = last.type === 'map' ? last.entries[0]!.value.range[1] : last.range[1];
  const blanks = ' '.repeat(file.place(list.range[0]).column - 1);
  return isBlock
    ? { range: [list.range[0], end], text: members.join(`\n${blanks}`) }
    : replacedBy(list, `{ ${members.join(', ')} }`);
}

/** Keys of which each member is a name and an expression. */
const GIVES_NAMES: ReadonlySet<string> = new Set(['keep', 'gather', 'results']);

/** Keys whose condition is the opposite of one that there is. */
const OPPOSITES: Readonly<Record<string, string>> = {
  while: 'until',
  unless: 'when',
  'skip-if': 'when',
  'skip-when': 'when',
};

/** What is said another way here. */
function hintOf(word: string, what: string): string | undefined {
  if (word === 'as' && what === 'an each') return 'the name of the item stands first: each: piece in pieces';
  if (what === 'poll' && /attempts|retries|tries|count|times/i.test(word))
    return 'within: says how long it asks at most';
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
  if (value.type !== 'scalar')
    return file.text
      .slice(...value.range)
      .trimEnd()
      .includes('\n')
      ? change
      : undefined;
  const other = meantValue(file, name, value, shape());
  return other ? { range: [key.range[0], other.range[1]], text: `${name}: ${other.text}` } : undefined;
}

/** The key that a word was probably meant as. */
function nearestKey(node: MapNode, word: string, keys: readonly KeyDefinition[]): string | undefined {
  const names = keys.map(({ name }) => name);
  const value = entryOf(node, word)?.value;
  const free = keysMeantBy(word).filter((key) => names.includes(key) && !entryOf(node, key));
  // Of several the one that takes what is there.
  const takes = (key: string): boolean =>
    value !== undefined &&
    keys
      .find(({ name }) => name === key)!
      .shape()
      .safeParse(plainOf(value)).success;
  const isFile = value?.type === 'scalar' && /^[\w./-]+\.[a-z]\w{1,3}$/.test(value.text);
  const meant = (isFile && free.includes('save') ? 'save' : free.find(takes)) ?? free[0];
  return meant ?? nearest(word, names) ?? keysMeantBy(word).find((key) => names.includes(key));
}

function unknownKey(
  findings: Findings,
  node: MapNode,
  name: string,
  { keys, what }: { readonly keys: readonly KeyDefinition[]; readonly what: string },
): void {
  const names = keys.map((key) => key.name);
  const entry = node.entries.find(({ key }) => key.text === name)!;
  const near = nearestKey(node, name, keys);
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
  const bound =
    what === 'an input'
      ? boundOfInput(findings.file, node, entry)
      : what === 'poll'
        ? boundOfPoll(node, entry)
        : undefined;
  const definition = keys.find((key) => key.name === near);
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
      (near === undefined ? `its keys are ${nameList(names, 20)}` : `the nearest is ${near}`),
    change: bound ?? (definition && renamed(findings.file, entry, definition)),
    ...optional('example', definition?.example),
  });
}
