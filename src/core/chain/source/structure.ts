import * as z from 'zod';
import type { Findings } from './findings.ts';
import { anything, type KeyDefinition, text } from './key-definition.ts';
import { rewritten } from './changes.ts';
import { meantValue } from './meant-value.ts';
import { formOf, plainOf } from './node-data.ts';
import { meantBy } from './repair-value.ts';
import type { MapEntry, MapNode, ScalarNode, SourceNode } from './source-file.ts';
import { nearestKey, unknownKey } from './unknown-key.ts';

// A schema is used a few times in a run, too few to be worth compiling.
z.config({ jitless: true });

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
  findings.keyLists.add(keys);
  if (node.type !== 'map') {
    findings.problem(
      node,
      'wrong-form',
      `${what} is a map of keys, but this is ${formOf(node)}`,
      keys[0] && { example: keys[0].example },
    );
    return undefined;
  }
  const strays = new Set([...strayItems(findings, node, keys), ...membersBeside(findings, node, keys)]);
  const present = new Set(node.entries.map(({ key }) => key.text));
  for (const [i, { key, value }] of node.entries.entries()) {
    if (strays.has(key)) continue;
    const definition = keys.find(({ name }) => name === key.text);
    if (!definition) unknownKey(findings, node, i, { keys, what, present });
    else if (!isPlainly(definition, value) && !definition.shape().safeParse(plainOf(value)).success)
      wrongValue(findings, key, value, definition);
  }
  const isKnown = ({ key }: MapEntry): boolean => keys.some(({ name }) => name === key.text);
  const isOnlyKey = node.entries.length === 1 && !isKnown(node.entries[0]!);
  const missing = isOnlyKey ? [] : keys.filter(({ name, required }) => required && !present.has(name));
  if (missing.length === 0) return node;
  // A key that nobody knows may be the one that is missing.
  const meant = new Set(
    node.entries.map((entry) => (isKnown(entry) ? undefined : nearestKey(entry, keys, present))),
  );
  for (const { name, example } of missing)
    if (!meant.has(name)) findings.problem(node, 'missing-key', `${what} has no ${name}`, { example });
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
    // `default: 24,50`
    const decimals = items.length === 1 && /^\d+$/.test(value.text) && /^\d{1,2}$/.test(items[0]!.key.text);
    if (decimals) {
      const text = `${value.text}.${items[0]!.key.text}`;
      findings.problem(value, 'wrong-form', 'a number has a point before its decimals', {
        hint: text,
        change: { range: [value.range[0], items[0]!.key.range[1]], text },
      });
      strays.add(items[0]!.key);
      return;
    }
    // `wait: 10ms, 100ms`
    const range = texts.join('..');
    if (texts.length === 2 && /^\d+\w*\.\.\d+[a-z]+$/.test(range) && shape.safeParse(range).success) {
      findings.problem(value, 'wrong-form', 'a range is written LOW..HIGH', {
        hint: range,
        change: { range: [value.range[0], items[0]!.key.range[1]], text: range },
      });
      strays.add(items[0]!.key);
      return;
    }
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

/** A key without a value, and what belongs to it beside it instead of further in. Returns what is no key then. */
function membersBeside(findings: Findings, node: MapNode, keys: readonly KeyDefinition[]): Set<ScalarNode> {
  const beside = new Set<ScalarNode>();
  const isKey = (name: string): boolean => keys.some((one) => one.name === name);
  node.entries.forEach(({ key, value }, i) => {
    const definition = keys.find(({ name }) => name === key.text);
    const next = node.entries[i + 1];
    if (!definition || value.type !== 'empty' || key.flow || !next || isKey(next.key.text)) return;
    if (definition.shape().safeParse(null).success) return;
    const { column } = findings.file.place(key.range[0]);
    findings.problem(
      next.key,
      'wrong-form',
      `${next.key.text} begins at the column of ${key.text}; what belongs to that begins at column ${column + 2}`,
      { change: { range: [next.key.range[0], next.key.range[0]], text: '  ' } },
    );
    beside.add(key);
    for (const one of node.entries.slice(i + 1)) {
      if (isKey(one.key.text)) break;
      beside.add(one.key);
    }
  });
  return beside;
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
  if (name === 'secrets' && value.type === 'map' && secretAsMap(findings, value)) return;
  if (value.type === 'map' && wrongInside(findings, value, { name, wants, shape })) return;
  const [only] = value.type === 'map' && value.entries.length === 1 ? value.entries : [];
  if (name === 'save' && only && /^(?:file|path|as|name|dest|target|filename)$/.test(only.key.text)) {
    findings.problem(only.key, 'unknown-key', `save has no key ${only.key.text}`, {
      hint: 'the nearest is to',
      change: rewritten(findings.file, only.key, 'to'),
    });
    return;
  }
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
  const given =
    value.type !== 'scalar'
      ? formOf(value)
      : /\n./.test(value.text)
        ? 'a text of several lines'
        : `'${value.text.trimEnd()}'`;
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

/** `desk: { env: DESK }`, where `desk: env DESK` is meant. Returns whether there is one. */
function secretAsMap(findings: Findings, secrets: MapNode): boolean {
  for (const { key, value } of secrets.entries) {
    const [only, ...more] = value.type === 'map' ? value.entries : [];
    if (only?.value.type !== 'scalar' || more.length > 0) continue;
    const message = `the secret ${key.text} is a source in words, not a map`;
    if (!/^(?:env|file|command)$/.test(only.key.text)) {
      // It may be the secret itself.
      findings.problem(only.value, 'secret-in-plain-text', message, {
        example: `${key.text}: env NAME_OF_A_VARIABLE`,
      });
      return true;
    }
    const text = `${key.text}: ${only.key.text} ${only.value.text}`;
    findings.problem(key, 'wrong-form', message, {
      hint: text,
      change: { range: [key.range[0], only.key.flow ? value.range[1] : only.value.range[1]], text },
    });
    return true;
  }
  return false;
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
