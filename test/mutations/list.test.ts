// Each mutation of the list stands where it says; whether the tests notice them is asked by `npm run prove -- mutations`.
import { existsSync, readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';

const textOf = (path: string): string => readFileSync(new URL(path, import.meta.url), 'utf8');

test('each place of a mutation is there, once', () => {
  const mutations = JSON.parse(textOf('./list.json')) as {
    readonly file: string;
    readonly from: string;
    readonly suites: string;
  }[];
  const lost = mutations.filter(
    ({ file, from }) => textOf(`../../src/core/${file}`).split(from).length !== 2,
  );
  expect(lost).toEqual([]);
  // A suite that is not there would fail, and so would seem to notice.
  const suites = new Set(mutations.flatMap((one) => one.suites.split(' ')));
  const gone = [...suites].filter((suite) => !existsSync(new URL(`../${suite}.test.ts`, import.meta.url)));
  expect(gone).toEqual([]);
  expect(mutations.length).toBeGreaterThanOrEqual(60);
});
