// The JSONPath compliance suite (RFC 9535), as it comes with a package that implements the standard.
import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { compileFilter, compileNodeList } from '../../../src/core/language/compile.ts';
import { checkTree } from '../../../src/core/language/expression.ts';
import { JSON_VALUE } from '../../../src/core/language/kinds.ts';
import { parseQuery } from '../../../src/core/language/parser.ts';
import { locate, normalisedPath } from '../../../src/core/language/paths.ts';
import { bareScope } from '../../../src/core/language/scope.ts';
import type { Tree } from '../../../src/core/language/tree.ts';
import type { Value } from '../../../src/core/language/values.ts';
import { environment } from './support.ts';

interface Case {
  name: string;
  selector: string;
  document?: Value;
  result?: Value[];
  results?: Value[][];
  result_paths?: string[];
  results_paths?: string[][];
  invalid_selector?: boolean;
}

const suite = new URL(
  '../../../node_modules/jsonpath-rfc9535/src/__tests__/jsonpath-compliance-test-suite/cts.json',
  import.meta.url,
);
const { tests } = JSON.parse(readFileSync(suite, 'utf8')) as { tests: Case[] };

function query(selector: string): Tree {
  const tree = parseQuery(selector);
  const { problems } = checkTree(tree, selector, bareScope(JSON_VALUE));
  if (problems.length > 0) throw new Error(problems[0]!.message);
  return tree;
}

test('the suite is whole', () => {
  expect(tests).toHaveLength(687);
  expect(tests.filter((one) => one.invalid_selector)).toHaveLength(245);
});

test.each(tests.filter((one) => one.invalid_selector))('is refused: $name', ({ selector }) => {
  expect(() => query(selector)).toThrow();
});

test.each(tests.filter((one) => !one.invalid_selector))(
  '$name',
  ({ selector, document, result, results, ...one }) => {
    const tree = query(selector);
    const values = compileNodeList(tree, false)(environment({ response: document! }), undefined);
    expect(results ?? [result!]).toContainEqual(values);
    const segments = tree.type === 'query' ? tree.segments : [];
    const located = locate(environment({ response: document! }), document!, segments, compileFilter);
    expect(located.map(({ value }) => value)).toEqual(values);
    expect(one.results_paths ?? [one.result_paths!]).toContainEqual(
      located.map(({ path }) => normalisedPath(path)),
    );
  },
);
