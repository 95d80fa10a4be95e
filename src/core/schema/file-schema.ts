import { callKeys, fileKeys, partKeys } from '../chain/keys/call-keys.ts';
import { chainKeys, inputKeys } from '../chain/keys/chain-keys.ts';
import {
  CREDENTIAL_KINDS,
  credentialKeys,
  credentialKindKey,
  credentialOriginsKey,
  credentialTestKey,
} from '../chain/keys/credential-keys.ts';
import { repeatKeys } from '../chain/keys/loop-keys.ts';
import {
  callbacksKeys,
  projectKeys,
  recordsKeys,
  serviceKeys,
  teamKeys,
} from '../chain/keys/project-keys.ts';
import { expectationKeys, writeKeys } from '../chain/keys/step-keys.ts';
import { streamKeys } from '../chain/keys/stream-keys.ts';
import { STEP_SHAPES, type Verb } from '../chain/keys/step-shapes.ts';
import {
  callbackKeys,
  idempotencyKeys,
  paceKeys,
  pagesKeys,
  pollKeys,
  retryKeys,
} from '../chain/keys/traffic-keys.ts';
import type { KeyDefinition } from '../chain/source/key-definition.ts';
import { type FileSchema, schemaOfShape } from './shape-schema.ts';

/** The two files that people write. */
export const SCHEMA_FILES = ['chain', 'project'] as const;
export type SchemaFile = (typeof SCHEMA_FILES)[number];

/**
 * The form of one of the two files as JSON Schema (draft 2020-12), for editors: keys, what may stand under them, and what
 * `explain` says of each. It says nothing of expressions and names, which `check` looks at.
 */
export function schemaOfFile(file: SchemaFile): FileSchema {
  const keys = file === 'chain' ? chainKeys : projectKeys;
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: file === 'chain' ? 'A chain of Batharon' : 'A project of Batharon',
    ...mapOf(keys),
    $defs: file === 'chain' ? chainDefinitions() : {},
  };
}

/** A map of some keys and no others. */
function mapOf(keys: readonly KeyDefinition[], more: Readonly<Record<string, FileSchema>> = {}): FileSchema {
  const required = keys.filter((key) => key.required).map(({ name }) => name);
  return {
    type: 'object',
    properties: {
      ...Object.fromEntries(keys.map((key) => [key.name, schemaOfKey(key)])),
      ...more,
    },
    ...(required.length === 0 ? {} : { required }),
    additionalProperties: false,
  };
}

function schemaOfKey(key: KeyDefinition): FileSchema {
  const schema = schemaOfShape(key);
  const inside = INSIDE.get(key);
  const description = key.default === undefined ? key.about : `${key.about} Default: ${key.default}.`;
  return { description, ...(inside ? inside(schema) : schema) };
}

const STEPS: FileSchema = { type: 'array', items: { $ref: '#/$defs/step' } };
const each = (value: FileSchema): FileSchema => ({ type: 'object', additionalProperties: value });
const either = (...schemas: readonly FileSchema[]): FileSchema => ({ anyOf: schemas });

/** A schema in which the map that a shape takes has the keys that it may have. */
function withMap(schema: FileSchema, map: FileSchema): FileSchema {
  if (schema.anyOf) return either(...schema.anyOf.map((one) => withMap(one, map)));
  return schema.type === 'object' ? map : schema;
}

const CONDITION: FileSchema = { type: ['string', 'boolean'] };

function expectations(): FileSchema {
  const one = either(CONDITION, mapOf(expectationKeys));
  return either(one, { type: 'array', items: one });
}

/** What a key may have inside, by its definition; of all others the shape says it. */
const INSIDE: ReadonlyMap<KeyDefinition, (shape: FileSchema) => FileSchema> = new Map([
  ...keysCalled(chainKeys, 'steps', (): FileSchema => ({ ...STEPS, minItems: 1 })),
  ...keysCalled(chainKeys, 'cleanup', () => STEPS),
  ...keysCalled(chainKeys, 'inputs', () => each(either(mapOf(inputKeys), { type: 'null' }))),
  ...Object.values(STEP_SHAPES).flatMap((keys) =>
    ['steps', 'else', 'undo'].flatMap((name) => keysCalled(keys, name, () => STEPS)),
  ),
  ...STEP_SHAPES.plain.flatMap((key) => keysCalled([key], 'expect', expectations)),
  ...keysCalled(serviceKeys, 'expect', expectations),
  ...keysCalled(STEP_SHAPES.plain, 'write', () => mapOf(writeKeys)),
  ...keysCalled(STEP_SHAPES.repeat, 'repeat', () => mapOf(repeatKeys)),
  ...keysCalled(callKeys, 'file', (shape) => withMap(shape, mapOf(fileKeys))),
  ...keysCalled(callKeys, 'multipart', () =>
    each(either({ type: ['string', 'number', 'boolean'] }, mapOf(partKeys))),
  ),
  ...Object.entries({
    poll: pollKeys,
    pages: pagesKeys,
    stream: streamKeys,
    retry: retryKeys,
    callback: callbackKeys,
    idempotency: idempotencyKeys,
  }).flatMap(([name, keys]) => keysCalled(callKeys, name, (shape) => withMap(shape, mapOf(keys)))),
  ...keysCalled(projectKeys, 'services', () => each(either(mapOf(serviceKeys), { type: 'null' }))),
  ...keysCalled(projectKeys, 'credentials', () => each(either(...CREDENTIAL_KINDS.map(credentialOf)))),
  ...keysCalled(projectKeys, 'callbacks', () => mapOf(callbacksKeys)),
  ...keysCalled(projectKeys, 'team', () => mapOf(teamKeys)),
  ...keysCalled(projectKeys, 'records', (shape) => withMap(shape, mapOf(recordsKeys))),
  ...keysCalled(serviceKeys, 'pace', (shape) => withMap(shape, mapOf(paceKeys))),
  ...keysCalled(serviceKeys, 'retry', (shape) => withMap(shape, mapOf(retryKeys))),
]);

function keysCalled(
  keys: readonly KeyDefinition[],
  name: string,
  inside: (shape: FileSchema) => FileSchema,
): [KeyDefinition, (shape: FileSchema) => FileSchema][] {
  return keys.filter((key) => key.name === name).map((key) => [key, inside]);
}

function credentialOf(kind: (typeof CREDENTIAL_KINDS)[number]): FileSchema {
  const { about, keys } = credentialKeys[kind];
  const { kind: _, ...own } = mapOf([credentialOriginsKey, credentialTestKey, ...keys]).properties!;
  const required = ['kind', ...keys.filter((key) => key.required).map(({ name }) => name)];
  return {
    title: kind,
    type: 'object',
    properties: { kind: { const: kind, description: `${credentialKindKey.about} ${about}` }, ...own },
    required,
    additionalProperties: false,
  };
}

/** A step by what it does: each has keys of its own. */
function chainDefinitions(): Readonly<Record<string, FileSchema>> {
  const needed: Readonly<Record<Verb, readonly string[]>> = {
    call: ['call'],
    ask: ['ask', 'name'],
    wait: ['wait'],
    steps: ['steps'],
    each: ['each', 'steps'],
    repeat: ['repeat', 'steps'],
    follow: ['follow'],
    plain: [],
  };
  const steps = (Object.keys(STEP_SHAPES) as Verb[]).map((verb): FileSchema => {
    const { required: _, ...map } = mapOf(STEP_SHAPES[verb]);
    return {
      title: verb === 'plain' ? 'a step that sends nothing' : verb,
      ...map,
      ...(needed[verb].length > 0 ? { required: needed[verb] } : { minProperties: 1 }),
    };
  });
  return { step: { anyOf: steps } };
}
