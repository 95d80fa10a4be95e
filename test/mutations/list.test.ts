// Each mutation of the list stands where it says; whether the tests notice them is asked by `npm run prove -- mutations`.
import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';

const textOf = (path: string): string => readFileSync(new URL(path, import.meta.url), 'utf8');

test('each place of a mutation is there, once', () => {
  const mutations = JSON.parse(textOf('./list.json')) as { readonly file: string; readonly from: string }[];
  const lost = mutations.filter(
    ({ file, from }) => textOf(`../../src/core/${file}`).split(from).length !== 2,
  );
  expect(lost).toEqual([]);
  expect(mutations.length).toBeGreaterThanOrEqual(60);
});
