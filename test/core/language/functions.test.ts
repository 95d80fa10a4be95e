import { expect, test } from '@jest/globals';
import { functions } from '../../../src/core/language/functions/index.ts';
import { parseJson, writeJson } from '../../../src/core/language/json.ts';
import type { ValueObject } from '../../../src/core/language/values.ts';
import { environment, expression } from './support.ts';

const response = parseJson(
  '{"pieces": [{"id": "p1", "glaze": "ash", "cone": 7}, {"id": "p2", "glaze": "celadon", "cone": 4}, {"id": "p3", "glaze": null, "cone": 5}]}',
);
const names: ValueObject = {
  url: 'http://127.0.0.1:4717/v1/racks/A3/pieces',
  headers: { link: '</v1/racks/A3/pieces?page=9>; rel="last", <?page=2>; rel="next prefetch"' },
};

const examples = [...functions.values()].flatMap(({ name, examples: own }) =>
  own.map(([text, result]) => ({ name, text, result })),
);

test.each(examples)('$name: $text', ({ text, result }) => {
  const value = expression(text, names).evaluate(environment({ response, names }));
  expect(value === undefined ? 'undefined' : writeJson(value)).toBe(result);
});

test('each function has an example, but those that stand only in one place', () => {
  expect(
    [...functions.values()].filter(({ examples: own }) => own.length === 0).map(({ name }) => name),
  ).toEqual(['fits', 'raw', 'hidden']);
});
