import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { expect, test } from '@jest/globals';

const root = join(import.meta.dirname, '..');

function filesBelow(folder: string, ending: RegExp): string[] {
  return readdirSync(join(root, folder), { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && ending.test(entry.name))
    .map((entry) => relative(root, join(entry.parentPath, entry.name)));
}

const sources = filesBelow('src', /\.ts$/);
const textOf = (path: string): string => readFileSync(join(root, path), 'utf8');

/** Those that stand more than once, with where they stand. */
function several(pairs: readonly (readonly [string, string])[]): string[] {
  const places = new Map<string, string[]>();
  for (const [name, place] of pairs) places.set(name, [...(places.get(name) ?? []), place]);
  return [...places].flatMap(([name, all]) => (all.length > 1 ? [`${name}: ${all.join(', ')}`] : []));
}

test('a name that is exported means one thing', () => {
  // The door for programs has names of its own.
  const exported = sources
    .filter((path) => path !== 'src/api/types.ts')
    .flatMap((path) =>
      [
        ...textOf(path).matchAll(/^export (?:async )?(?:function\*?|class|const|let|interface|type) (\w+)/gm),
      ].map(([, name]) => [name!, path] as const),
    );
  expect(exported.length).toBeGreaterThan(500);
  expect(several(exported)).toEqual([]);
});

test('a file name stands once, or the folder says what differs', () => {
  const twice = several(sources.map((path) => [path.replace(/^.*\//, ''), path] as const));
  expect(twice.map((one) => one.replace(/:.*/s, '')).toSorted()).toEqual([
    'compare.ts', // the command; comparing values
    'digest.ts', // the credential kind; the functions
    'exchange.ts', // in the page of the report; in the engine
    'index.ts',
    'json.ts', // the report; the language; the practice service
    'limits.ts', // of the language; of the practice service
    'main.ts',
    'run.ts', // the command; the engine
    'timeline.ts', // in the page of the report; in the terminal
  ]);
});

test('no file is longer than 400 lines, unless it is one table or one grammar', () => {
  const long = sources.filter((path) => textOf(path).split('\n').length > 401);
  expect(long.toSorted()).toEqual([
    'src/core/language/habits.ts', // one table
    'src/core/language/parser.ts', // the grammar of expressions
    'src/practice/openapi.ts', // one document
  ]);
});
