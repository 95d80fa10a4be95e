import * as z from 'zod';
import { setMember } from '../../language/values.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { Findings } from './findings.ts';
import { anything, type KeyDefinition, text } from './key-definition.ts';
import type { MapNode, SourceNode } from './source-file.ts';

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
      keys[0]?.example,
    );
    return undefined;
  }
  for (const { key, value } of node.entries) {
    const definition = keys.find(({ name }) => name === key.text);
    if (!definition) unknownKey(findings, node, key.text, { keys, what });
    else if (!isPlainly(definition, value) && !definition.shape().safeParse(plainOf(value)).success) {
      const given = value.type === 'scalar' ? `'${value.text}'` : formOf(value);
      findings.problem(
        value.type === 'empty' ? key : value,
        'wrong-form',
        `${definition.name} must be ${definition.wants}, but this is ${given}`,
        definition.example,
      );
    }
  }
  for (const { name, required, example } of keys)
    if (required && !node.entries.some(({ key }) => key.text === name))
      findings.problem(node, 'missing-key', `${what} has no ${name}`, example);
  return node;
}

function unknownKey(
  findings: Findings,
  node: MapNode,
  name: string,
  { keys, what }: { readonly keys: readonly KeyDefinition[]; readonly what: string },
): void {
  const names = keys.map((key) => key.name);
  const near = nearest(name, names);
  const entry = node.entries.find(({ key }) => key.text === name)!;
  findings.problem(
    entry.key,
    'unknown-key',
    `${what} has no key ${name}`,
    near === undefined ? `its keys are ${nameList(names, 20)}` : `the nearest is ${near}`,
  );
}
