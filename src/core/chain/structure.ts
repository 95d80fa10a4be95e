import * as z from 'zod';
import { setMember } from '../language/values.ts';
import { nameList, nearest } from '../language/nearest.ts';
import type { Findings } from './findings.ts';
import type { KeyDefinition } from './keys.ts';
import type { MapNode, SourceNode } from './source.ts';

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

const schemas = new WeakMap<readonly KeyDefinition[], z.ZodType>();

/** Making a schema costs more than using it, so one is made for each shape, not for each key. */
const optionals = new WeakMap<z.ZodType, z.ZodType>();

function optionalOf(shape: z.ZodType): z.ZodType {
  let made = optionals.get(shape);
  if (!made) optionals.set(shape, (made = shape.optional()));
  return made;
}

function schemaOf(keys: readonly KeyDefinition[]): z.ZodType {
  let schema = schemas.get(keys);
  if (!schema) {
    schema = z.strictObject(
      Object.fromEntries(
        keys.map(({ name, shape, required }) => [name, required ? shape : optionalOf(shape)]),
      ),
    );
    schemas.set(keys, schema);
  }
  return schema;
}

/** What a node is, for a message. */
export function formOf(node: SourceNode): string {
  return { scalar: 'a text', map: 'a map', list: 'a list', empty: 'empty' }[node.type];
}

/**
 * Holds a map to the keys that may stand in it. Says of each unknown key the nearest known one, of each value that has
 * another form what is wanted, with an example. Gives the map where it is one.
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
      `${what} is a map of keys, and this is ${formOf(node)}`,
      keys[0]?.example,
    );
    return undefined;
  }
  const { error } = schemaOf(keys).safeParse(plainOf(node));
  for (const issue of error?.issues ?? []) {
    if (issue.code === 'unrecognized_keys' && issue.path.length === 0) {
      for (const name of issue.keys) unknownKey(findings, node, name, keys, what);
      continue;
    }
    const definition = keys.find(({ name }) => name === issue.path[0]);
    if (!definition) continue;
    const value = node.entries.find(({ key }) => key.text === definition.name)?.value;
    if (!value) {
      findings.problem(node, 'missing-key', `${what} has no ${definition.name}`, definition.example);
    } else {
      const given = value.type === 'scalar' ? `'${value.text}'` : formOf(value);
      findings.problem(
        value.type === 'empty' ? node.entries.find((entry) => entry.value === value)!.key : value,
        'wrong-form',
        `${definition.name} wants ${definition.wants}, and this is ${given}`,
        definition.example,
      );
    }
  }
  return node;
}

function unknownKey(
  findings: Findings,
  node: MapNode,
  name: string,
  keys: readonly KeyDefinition[],
  what: string,
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
