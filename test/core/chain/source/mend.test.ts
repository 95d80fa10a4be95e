// What `check --fix` writes: only what YAML then reads as it was meant.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mend } from '../../../../src/core/chain/source/mend.ts';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { SourceFile, type SourceNode } from '../../../../src/core/chain/source/source-file.ts';

const { project } = readProject(
  'batharon.yaml',
  'services: { kiln: { url: "https://kiln.example" } }\n',
  undefined,
  true,
);
const check = (text: string) => readChain('a.chain.yaml', text, project).findings;
const mended = (text: string): string => mend('a.chain.yaml', text, check).text;

const chain = (lines: readonly string[]): string =>
  `chain: A\ninputs: { x: { default: "1" } }\nsteps:\n${lines.map((line) => `  - call: GET kiln /a\n    ${line}\n`).join('')}`;

function textsIn(node: SourceNode): string[] {
  if (node.type === 'scalar') return [node.text];
  if (node.type === 'map')
    return node.entries.flatMap(({ key, value }) => [...textsIn(key), ...textsIn(value)]);
  return node.type === 'list' ? node.items.flatMap(textsIn) : [];
}

describe('a line is written as it was meant, or left', () => {
  test.each<[string, string]>([
    ['expect: - $.a == 1', 'expect: ["$.a == 1"]'],
    ['keep: { k: \'a\' == $.b, m: "x" == $.c }', `keep: { k: "'a' == $.b", m: '"x" == $.c' }`],
    ['json: { a: ${x}, b: [${x}] }', 'json: { a: "${x}", b: ["${x}"] }'],
    ["expect: [ $.a == 'x', @.d ]", `expect: [ $.a == 'x', "@.d" ]`],
    // A text is no expression, and a comment may be one.
    ['show: piece #${x}, ${x}', 'show: piece #${x}, ${x}'],
    ['show: "piece #${x}", ${x}', 'show: "piece #${x}", ${x}'],
    ['expect: [ $.a == 1', 'expect: [ $.a == 1'],
    ["keep: { a: 'it's' }", "keep: { a: 'it's' }"],
  ])('%s', (line, expected) => {
    expect(mended(chain([line]))).toBe(chain([expected]));
  });
});

const path = fc.constantFrom('$.a', "$.list[?@.x == 'y']", '$.b[0].c', "headers['x-a']", 'x', '$.p[1:2]');
const literal = fc.constantFrom('1', "'a'", '"b"', "' #1'", "'c: d'", 'true', "'it, is'");
const condition = fc.tuple(path, fc.constantFrom('==', '!=', 'in'), literal).map((parts) => parts.join(' '));
const expression = fc.oneof(
  condition,
  path,
  condition.map((one) => `!(${one})`),
  fc.tuple(literal, path).map(([a, b]) => `${a} == ${b}`),
);
const line = fc.oneof(
  expression.map((one) => ({ line: `expect: ${one}`, meant: [one] })),
  expression.map((one) => ({ line: `expect: - ${one}`, meant: [one] })),
  fc
    .array(expression, { minLength: 1, maxLength: 3 })
    .map((all) => ({ line: `expect: [ ${all.join(', ')} ]`, meant: all })),
  fc.tuple(expression, expression).map(([a, b]) => ({ line: `keep: { m: ${a}, n: ${b} }`, meant: [a, b] })),
  fc.string().map((text) => ({ line: `show: ${text.replace(/[\r\n]/g, ' ')}`, meant: [] })),
);

test('whatever is written reads as YAML, holds the expressions as they were, and is not changed again', () => {
  let written = 0;
  fc.assert(
    fc.property(fc.array(line, { minLength: 1, maxLength: 4 }), (lines) => {
      const text = chain(lines.map((one) => one.line));
      const result = mend('a.chain.yaml', text, check);
      const after = new SourceFile('a.chain.yaml', result.text);
      const texts = textsIn(after.root);
      const [before, now] = [text, result.text].map((one) => one.split('\n')) as [string[], string[]];
      for (const [i, { line: one, meant }] of lines.entries()) {
        const number = 5 + 2 * i;
        const changed = before[number - 1] !== now[number - 1];
        expect([one, changed]).toEqual([one, result.lines.includes(number)]);
        if (!changed) continue;
        written++;
        expect(after.problems.filter(({ place }) => place?.line === number)).toEqual([]);
        for (const expression of meant) expect(texts).toContain(expression);
      }
      expect(mended(result.text)).toBe(result.text);
    }),
    { numRuns: process.env.PROVE ? 600 : 150 },
  );
  expect(written).toBeGreaterThan(100);
});
