// How responses differ in shape from earlier ones: what changed is found, and what only happens to differ is not.
import { expect, test } from '@jest/globals';
import * as fc from 'fast-check';
import { objectOf, type Value } from '../../../src/core/language/values.ts';
import { parseJson } from '../../../src/core/language/json.ts';
import { driftOf } from '../../../src/core/record/drift.ts';

const of = (...texts: string[]): Value[] => texts.map((text) => parseJson(text));
const NONE = { gone: [], changed: [], added: [] };

test.each<[string, string[], string[], object]>([
  ['nothing', ['{"a":1}'], ['{"a":2}'], {}],
  ['a member gone', ['{"a":1,"b":2}'], ['{"a":1}'], { gone: [['$.b', 'number']] }],
  ['what was inside of it is not told', ['{"a":{"b":1}}'], ['{}'], { gone: [['$.a', 'object']] }],
  ['a member new', ['{"a":1}'], ['{"a":1,"b":"x"}'], { added: [['$.b', 'text']] }],
  ['another kind', ['{"a":1}'], ['{"a":"1"}'], { changed: [['$.a', 'number', 'text']] }],
  ['null, where it never was', ['{"a":1}'], ['{"a":null}'], { changed: [['$.a', 'number', 'null']] }],
  ['null, where it may be', ['{"a":1}', '{"a":null}'], ['{"a":null}'], {}],
  ['a member that only some had', ['[{"a":1,"b":1},{"a":1}]'], ['[{"a":1}]'], {}],
  [
    'a member that all items had',
    ['[{"a":1,"b":1},{"b":1}]'],
    ['[{"a":1},{"a":1}]'],
    { gone: [['$[].b', 'number']] },
  ],
  ['a list that is empty now', ['{"a":[{"b":1}]}'], ['{"a":[]}'], {}],
  ['a list that was empty', ['{"a":[]}'], ['{"a":[{"b":1}]}'], {}],
  ['an object instead of a list', ['{"a":[1]}'], ['{"a":{}}'], { changed: [['$.a', 'list', 'object']] }],
  ['names with signs', ['{"a b":{"c\'d":1}}'], ['{"a b":{}}'], { gone: [["$['a b']['c\\'d']", 'number']] }],
])('%s', (_, before, after, expected) => {
  expect(driftOf(of(...before), of(...after))).toEqual({ ...NONE, ...expected });
});

const piece = fc.record(
  {
    id: fc.string(),
    cone: fc.integer(),
    glaze: fc.option(fc.string(), { nil: null }),
    made: fc.record({ at: fc.string(), by: fc.string() }),
    note: fc.string(),
  },
  { requiredKeys: ['id', 'cone', 'glaze', 'made'] },
);
const bodies = fc.array(fc.record({ pieces: fc.array(piece, { minLength: 1, maxLength: 8 }) }), {
  minLength: 1,
  maxLength: 6,
});
const asValues = (all: readonly unknown[]): Value[] => all.map((one) => parseJson(JSON.stringify(one)));

test('some of the same responses never differ; one member less, or of another kind, always does', () => {
  fc.assert(
    fc.property(bodies, fc.constantFrom('id', 'cone', 'made'), (all, name) => {
      const before = asValues(all);
      const { added, changed, gone } = driftOf(before, before.slice(0, 1));
      expect([added, changed, gone]).toEqual([[], [], []]);
      const without = asValues(
        all.map(({ pieces }) => ({
          pieces: pieces.map((one) =>
            Object.fromEntries(Object.entries(one).filter(([own]) => own !== name)),
          ),
        })),
      );
      expect(driftOf(before, without).gone.map(([path]) => path)).toEqual([`$.pieces[].${name}`]);
      const other = asValues(
        all.map(({ pieces }) => ({ pieces: pieces.map((one) => ({ ...one, [name]: [true] })) })),
      );
      expect(driftOf(before, other).changed.map(([path]) => path)).toEqual([`$.pieces[].${name}`]);
    }),
    { numRuns: 200 },
  );
});

test('made-up names as keys do not take the memory', () => {
  const wide = objectOf(Array.from({ length: 50_000 }, (_, i): [string, Value] => [`k${i}`, i]));
  expect(driftOf([wide], [wide])).toEqual(NONE);
});
