// Random schemas and values made from them, random deviations, and shapes made of values: what fits and what does not.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { kindOfSchema } from '../../../src/core/contract/schema-kind.ts';
import { sampleOf } from '../../../src/core/contract/sample.ts';
import { schemaRows } from '../../../src/core/contract/schema-rows.ts';
import { shapeOfValues } from '../../../src/core/contract/shape-of-values.ts';
import { schemaOfData, shapesOf } from '../../../src/core/contract/shapes.ts';
import { parseJson } from '../../../src/core/language/json.ts';
import { kindOfValue } from '../../../src/core/language/kinds.ts';
import type { Value } from '../../../src/core/language/values.ts';
import { SchemaValidator } from '../../../src/io/description/validate.ts';

const validator = new SchemaValidator();
type Json = null | boolean | number | string | Json[] | { [name: string]: Json };
const valueOf = (json: unknown): Value => parseJson(JSON.stringify(json));
const said = (schema: unknown, value: unknown): string[] =>
  validator
    .violations(schemaOfData(schema, 'test'), valueOf(value))
    .map(({ path, says }) => `${path} ${says}`);

/** A schema with what makes values for it. */
interface Made {
  readonly schema: Record<string, unknown>;
  readonly values: fc.Arbitrary<Json>;
}

const names = fc.constantFrom('id', 'name', 'price', 'made on', "it's", 'größe', '0', 'constructor', 'rack');

const leaf: fc.Arbitrary<Made> = fc.oneof(
  fc.constant<Made>({ schema: { type: 'string' }, values: fc.string() }),
  fc.constant<Made>({
    schema: { type: 'string', format: 'date' },
    values: fc.constantFrom('2026-01-31', '2024-02-29'),
  }),
  fc.constant<Made>({
    schema: { type: 'integer', minimum: -5, maximum: 99 },
    values: fc.integer({ min: -5, max: 99 }),
  }),
  fc.constant<Made>({
    schema: { type: 'number' },
    values: fc.double({ noNaN: true, noDefaultInfinity: true }),
  }),
  fc.constant<Made>({ schema: { type: 'boolean' }, values: fc.boolean() }),
  fc.constant<Made>({ schema: { enum: ['ash', 'celadon'] }, values: fc.constantFrom('ash', 'celadon') }),
  fc.constant<Made>({
    schema: { type: ['string', 'null'], maxLength: 9 },
    values: fc.option(fc.string({ maxLength: 9, unit: 'binary-ascii' })),
  }),
  fc.constant<Made>({
    schema: { type: 'string', pattern: '^[a-c]+$' },
    values: fc.stringMatching(/^[a-c]{1,8}$/),
  }),
);

const { any: schemas } = fc.letrec<{ any: Made }>((tie) => ({
  any: fc.oneof(
    { maxDepth: 3, withCrossShrink: true },
    { arbitrary: leaf, weight: 3 },
    {
      arbitrary: fc.dictionary(names, tie('any'), { minKeys: 1, maxKeys: 4 }).chain((members) =>
        fc.subarray(Object.keys(members)).map((required): Made => ({
          schema: {
            type: 'object',
            additionalProperties: false,
            required,
            properties: Object.fromEntries(
              Object.entries(members).map(([name, { schema }]) => [name, schema]),
            ),
          },
          values: fc.record(
            Object.fromEntries(Object.entries(members).map(([name, { values }]) => [name, values])),
            { requiredKeys: required },
          ),
        })),
      ),
      weight: 3,
    },
    {
      arbitrary: tie('any').map(({ schema, values }): Made => ({
        schema: { type: 'array', items: schema, maxItems: 4 },
        values: fc.array(values, { maxLength: 4 }),
      })),
      weight: 1,
    },
  ),
}));

const pairs = schemas.chain(({ schema, values }) => values.map((value) => ({ schema, value })));

/** Each way in which a value of a schema can be made not to fit, with the path at which that is. */
function* deviations(
  schema: Record<string, unknown>,
  value: Json,
  path: readonly (string | number)[] = [],
): Generator<{ readonly path: readonly (string | number)[]; readonly with: Json | undefined }> {
  const types = [schema['type']].flat();
  yield { path, with: types.includes('object') || schema['enum'] ? 17 : { other: true } };
  if (Array.isArray(value))
    for (const [i, item] of value.entries())
      yield* deviations(schema['items'] as Record<string, unknown>, item, [...path, i]);
  else if (typeof value === 'object' && value !== null) {
    for (const name of schema['required'] as string[]) yield { path: [...path, name], with: undefined };
    yield { path: [...path, 'one too many'], with: 1 };
    for (const [name, member] of Object.entries(value))
      yield* deviations((schema['properties'] as Record<string, Record<string, unknown>>)[name]!, member, [
        ...path,
        name,
      ]);
  }
}

function changed(value: Json, path: readonly (string | number)[], other: Json | undefined): Json {
  const [first, ...rest] = path;
  if (first === undefined) return other!;
  const copy = structuredClone(value) as Record<string | number, Json>;
  if (rest.length > 0) copy[first] = changed(copy[first]!, rest, other);
  else if (other === undefined) Reflect.deleteProperty(copy, first);
  else copy[first] = other;
  return copy;
}

describe('random schemas', () => {
  test('a value made from one fits it, and is of its kind', () => {
    fc.assert(
      fc.property(pairs, ({ schema, value }) => {
        expect(said(schema, value)).toEqual([]);
        const kind = kindOfSchema(schemaOfData(schema, 'test'));
        expect(kind.bits & kindOfValue(valueOf(value)).bits).toBeGreaterThan(0);
      }),
      { numRuns: 300 },
    );
  });

  test('one with a deviation anywhere never does, and its place is said', () => {
    fc.assert(
      fc.property(pairs, fc.nat(), ({ schema, value }, which) => {
        const all = [...deviations(schema, value)];
        const { path, with: other } = all[which % all.length]!;
        const violations = validator.violations(
          schemaOfData(schema, 'test'),
          valueOf(changed(value, path, other)),
        );
        const text = path.reduce<string>(
          (written, part) =>
            typeof part === 'number'
              ? `${written}[${part}]`
              : /^[A-Za-z_]\w*$/.test(part)
                ? `${written}.${part}`
                : `${written}['${part.replace(/[\\']/g, '\\$&')}']`,
          '$',
        );
        expect(violations.map((one) => one.path)).toContain(text);
      }),
      { numRuns: 300 },
    );
  });

  test('what is made up to begin with fits, but for patterns', () => {
    fc.assert(
      fc.property(
        schemas.map(({ schema }) => schema),
        (schema) => {
          const wrong = said(schema, sampleOf(schemaOfData(schema, 'test')));
          expect(wrong.filter((one) => !one.includes('does not match'))).toEqual([]);
        },
      ),
      { numRuns: 200 },
    );
  });

  test('what shape makes of 50 values fits each, and refuses one with a member less than all had', () => {
    fc.assert(
      fc.property(
        schemas.chain(({ values }) => fc.array(values, { minLength: 50, maxLength: 50 })),
        (values) => {
          const shape = shapeOfValues(values.map(valueOf));
          for (const value of values) expect(said(shape, value)).toEqual([]);
          const [first] = values;
          if (typeof first !== 'object' || first === null || Array.isArray(first)) return;
          const always = Object.keys(first).filter((name) =>
            values.every((value) => Object.hasOwn(value as object, name)),
          );
          for (const name of always)
            expect(said(shape, changed(first, [name], undefined)).join()).toContain('is missing');
        },
      ),
      { numRuns: 30 },
    );
  });
});

test('whatever stands in a schema, it is read, shown, made a kind of and tried', () => {
  const words = fc.constantFrom(
    ...[
      'type',
      'enum',
      'const',
      'items',
      'prefixItems',
      'properties',
      'required',
      'additionalProperties',
      'oneOf',
      'anyOf',
      'allOf',
      'not',
      'if',
      'then',
      'pattern',
      'format',
      'minimum',
      'multipleOf',
      'minLength',
      'uniqueItems',
      'contains',
      'dependentRequired',
      'propertyNames',
      'unevaluatedProperties',
      '$ref',
      'discriminator',
      'nullable',
      'readOnly',
    ],
  );
  const { any } = fc.letrec<{ any: unknown }>((tie) => ({
    any: fc.oneof(
      { maxDepth: 4 },
      fc.constantFrom<unknown>(
        'string',
        'object',
        'array',
        'integer',
        'null',
        '#/a',
        '#',
        '(',
        'date',
        true,
        false,
        null,
        0,
        -1,
        2,
        0.5,
        1e300,
        [],
        {},
      ),
      fc.array(tie('any'), { maxLength: 3 }),
      fc.dictionary(words, tie('any'), { maxKeys: 4 }),
      fc.dictionary(names, tie('any'), { maxKeys: 3 }),
    ),
  }));
  fc.assert(
    fc.property(fc.dictionary(words, any, { maxKeys: 6 }), fc.jsonValue({ maxDepth: 3 }), (schema, value) => {
      const read = schemaOfData(schema, 'test');
      kindOfSchema(read);
      schemaRows(read);
      sampleOf(read);
      validator.violations(read, valueOf(value));
    }),
    { numRuns: process.env.PROVE ? 1500 : 400 },
  );
});

describe('alternatives', () => {
  const animals = {
    oneOf: [{ $ref: '#/Jug' }, { $ref: '#/Plate' }],
    discriminator: { propertyName: 'form', mapping: { jug: '#/Jug', plate: '#/Plate' } },
  };
  const shapes = shapesOf(
    {
      Pot: animals,
      Either: { anyOf: [{ type: 'string' }, { type: 'integer' }] },
      Near: { oneOf: [{ $ref: '#/Jug' }, { $ref: '#/Plate' }] },
      Both: { oneOf: [{ type: 'integer' }, { type: 'number' }] },
      Deep: { type: 'object', properties: { pots: { type: 'array', items: { $ref: '#/Near' } } } },
      Jug: {
        type: 'object',
        required: ['form', 'litres'],
        properties: { form: { type: 'string' }, litres: { type: 'number' } },
      },
      Plate: {
        type: 'object',
        required: ['form', 'width'],
        properties: { form: { type: 'string' }, width: { type: 'integer' }, rim: { type: 'boolean' } },
      },
    },
    'test',
    () => undefined,
  );
  test.each([
    [
      'the one that a member names',
      'Pot',
      { form: 'plate', rim: 3 },
      ['$.width is missing, whole number wanted', '$.rim is a number, true or false wanted'],
    ],
    [
      'the one that is nearest',
      'Near',
      { form: 'x', width: 1.5, rim: true },
      ['$.width is 1.5, whole number wanted'],
    ],
    ['none is of its kind', 'Either', [], ['$ is a list, text or whole number wanted']],
    ['more than one', 'Both', 3, ['$ fits more than one of the alternatives, exactly one wanted']],
    [
      'inside of a list',
      'Deep',
      {
        pots: [
          { form: 'jug', litres: 1 },
          { form: 'jug', litres: '1' },
        ],
      },
      ['$.pots[1].litres is a text, number wanted'],
    ],
  ])('of %s it is said what is wrong', (_, name, value, expected) => {
    const found = validator.violations(shapes.find(name)!, valueOf(value));
    expect(found.map(({ path, says }) => `${path} ${says}`)).toEqual(expected);
  });
});

describe('how long it takes', () => {
  test('a pattern that other engines would take years for', () => {
    expect(said({ pattern: '^(a+)+$' }, `${'a'.repeat(60)}!`)).toHaveLength(1);
    // It is none of RFC 9485, so of a long text it is not looked at.
    expect(said({ pattern: '^(?=(a+)+$)' }, `${'a'.repeat(5000)}!`)).toEqual([]);
    // Of a short one it is tried for a moment, once.
    const texts = Array.from({ length: 500 }, () => `${'a'.repeat(60)}!`);
    expect(said({ items: { pattern: '^(?=(a+)+$)' } }, texts)).toEqual([]);
    expect(said({ items: { pattern: '^(?=.*b)' } }, [...texts, 'b'.repeat(60)])).toHaveLength(50);
  });

  test('a million items that are all wrong are said in few words', () => {
    const items = Array.from({ length: 200_000 }, () => 'x');
    expect(said({ type: 'array', items: { type: 'integer' } }, items)).toHaveLength(50);
  });

  test('a schema that holds itself ends', () => {
    const shapes = shapesOf(
      { Node: { type: 'object', properties: { next: { $ref: '#/Node' } } } },
      'test',
      () => undefined,
    );
    const node = shapes.find('Node')!;
    expect(kindOfSchema(node).members?.has('next')).toBe(true);
    expect(sampleOf(node)).toEqual({ next: {} });
    expect(
      validator.violations(node, valueOf({ next: { next: { next: 3 } } })).map(({ path }) => path),
    ).toEqual(['$.next.next.next']);
  });
});
