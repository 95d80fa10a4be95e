import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT } from '../../../../src/core/chain/read/read-project.ts';
import { findings, foundIn, project, steps } from '../support.ts';

test.each<[string, string, string]>([
  [
    'kinds that never match',
    "  - call: GET kiln /a\n    expect: status == '200'\n",
    '4:23 kinds-differ: a number and text are never equal | without quotes it is a number: 200',
  ],
  [
    'elapsed without a unit',
    '  - call: GET kiln /a\n    expect: elapsed < 800\n',
    '4:23 kinds-differ: a duration and a number have no order | 800ms',
  ],
  [
    'a member of a list',
    '  - call: GET kiln /a\n    keep: { ids: "$.pieces[*].id" }\n  - show: ${ids.first}\n',
    '5:16 wrong-kind: ids is a list, which has no members | ids[0].first for the first',
  ],
  [
    'a comparison of two literals',
    "  - call: GET kiln /a\n    expect: [ 1 == 1, '2 > 3', \"'a' in ['a']\" ]\n",
    '4:15 warning unreachable: this is always true, whatever comes\n4:23 warning unreachable: this is always false, whatever comes\n4:32 warning unreachable: this is always true',
  ],
  [
    'a number that is none',
    '  - call: POST kiln /a\n    json: { a: 007 }\n',
    '4:16 wrong-form: 007 is neither a number of JSON nor plainly a text | 7, or "007" for the text',
  ],
  [
    "an expectation that can't fail",
    '  - call: GET kiln /a\n    expect: true || status == 200\n',
    '4:13 warning unreachable: this is always true',
  ],
  [
    'an insertion in an expression',
    '  - call: GET kiln /a\n    keep: { id: "${$.id}" }\n',
    '4:18 text-in-expression: this field is already an expression, so ${ } has no meaning in it | $.id',
  ],
  [
    'double braces',
    '  - show: "{{studio}}"\n',
    '3:12 expression-in-text: double braces mean nothing here and are sent as they stand | ${studio}',
  ],
  [
    'a value that is encoded twice, in a path',
    '  - keep: { x: "\'a b\'" }\n  - call: GET kiln /a/${percent(x)}?y=${x}\n',
    '4:25 warning encoded-twice: what is inserted here is percent-encoded anyway; with percent(…) it is encoded twice | ${x}',
  ],
  [
    'in a query, and not where an address is inserted as it is',
    '  - keep: { x: "\'a b\'" }\n  - call: GET kiln ${percent(x)}\n  - call: GET kiln /a\n    query: { a: ["${percent(x)}"] }\n',
    '6:21 warning encoded-twice: ',
  ],
])('an expression: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});

test.each([
  ['$.a[?@.b == 1][0]', 'first($.a[?@.b == 1])'],
  ['$.a[?@.b == 1][-1].c', 'last($.a[?@.b == 1]).c'],
  ['$.a[1:3][2]', 'slice($.a[1:3], 2, 3)'],
  ['$.a[0][?@.b == 1].c', undefined],
  ['$.a[*][0]', undefined],
  ["length($.a[?@.b == 'x'][0])", "first($.a[?@.b == 'x'])"],
])('an index behind a filter or a slice is warned about: %s', (expression, hint) => {
  const text = `chain: A\nsteps:\n  - call: GET https://kiln.example/a\n    keep: { x: "${expression}" }\n`;
  const { findings } = readChain('a.chain.yaml', text, NO_PROJECT);
  const warnings = findings.filter(({ code }) => code === 'index-in-each-item');
  expect(warnings.map((one) => one.hint)).toEqual(hint === undefined ? [] : [hint]);
});

test("constants that can't be read, and files that are not there, are found before anything is sent", () => {
  const expressions = ["number('abc')", "time('nope')", '1 / 0', "parse('nope')", "percent('a') % 0"];
  for (const one of expressions.slice(0, 4))
    expect([one, findings(steps(`  - keep: { x: "${one}" }\n`)).map(({ level }) => level)]).toEqual([
      one,
      ['problem'],
    ]);
  const files = Object.assign(() => undefined, { exists: (path: string) => path === 'there.bin' });
  const text = steps(
    `  - call: POST kiln /a
    file: missing.bin
  - call: POST kiln /a
    file: there.bin
  - call: GET kiln /a
    save: made.bin
  - call: POST kiln /a
    multipart: { part: { file: made.bin }, other: { file: gone.bin } }
  - call: POST kiln /a
    file: \${studio}.bin
  `,
  );
  expect(
    readChain('a.chain.yaml', text, project, { files }).findings.map(({ code, message }) => [code, message]),
  ).toEqual([
    ['file-not-found', 'the file missing.bin does not exist'],
    ['file-not-found', 'the file gone.bin does not exist'],
  ]);
});
