import { describe, expect, test } from '@jest/globals';
import { findings, shown, steps } from '../support.ts';

describe('what YAML does to expressions is said, and the line is printed as it should stand', () => {
  test.each<[string, string, RegExp, string]>([
    [
      'a bracket in { }',
      '  - keep: { x: list[0].b }',
      /ends a value at a bracket/,
      '- keep: { x: "list[0].b" }',
    ],
    [
      'a comma in { }',
      '  - keep: { a: round(1.5, 2) }',
      /ends a value at a comma/,
      '- keep: { a: "round(1.5, 2)" }',
    ],
    [
      'a quote in [ ]',
      "  - expect: [ headers['a'] == 'b' ]",
      /bracket/,
      `- expect: [ "headers['a'] == 'b'" ]`,
    ],
    [
      'a colon',
      "  - expect:\n      - x.m == 'error: none'",
      /makes a key of what stands before it/,
      `- "x.m == 'error: none'"`,
    ],
    ['a tag', '  - when: !done', /as a tag/, '- when: "!done"'],
    [
      'a comment',
      "  - when: x == ' #1'",
      /starts a comment, so it reads only x == '/,
      `- when: "x == ' #1'"`,
    ],
    ['a first quote', "  - when: 'a' == x", /ends the value at the second quote/, `- when: "'a' == x"`],
    ['an at sign', '  - keep:\n      a: @.b', /no value may begin with @/, 'a: "@.b"'],
    [
      'an insertion in { }',
      '  - call: POST kiln /a\n    json: { a: ${x}, b: y }',
      /takes the braces of an insertion/,
      'json: { a: "${x}", b: y }',
    ],
    ['a filter in { }', '  - keep: { a: list[?@.x == 1] }', /bracket/, '- keep: { a: "list[?@.x == 1]" }'],
  ])('%s', (_, text, message, hint) => {
    const trap = findings(steps(`${text}\n`)).find(({ code }) => code === 'yaml-trap');
    expect(trap?.message).toMatch(message);
    expect(trap?.instead).toBe(hint);
    const { range, text: written } = trap!.fix!;
    const source = steps(`${text}\n`);
    const fixed = source.slice(0, range[0]) + written + source.slice(range[1]);
    expect(findings(fixed).filter(({ code }) => code === 'yaml-trap' || code === 'yaml')).toEqual([]);
  });

  test('what stands below a trap is found in the same go', () => {
    const text =
      'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { peices: $.x }\n    expect: { holds: "$.a" in [6, 8], because: it fits }\n  - keep: { y: max(peices, 2) }\n  - show: ${length(pieces)}\n';
    expect(findings(text.replace('"$.a"', '$.a')).map(({ place, code }) => `${place!.line} ${code}`)).toEqual(
      ['5 yaml-trap', '6 yaml-trap', '7 unknown-name'],
    );
  });

  test('a quoted lone name', () => {
    expect(findings(steps("  - keep: { x: 'pieces' }\n")).map(shown)[0]).toBe(
      `3:16 yaml-trap: the quotes around pieces belong to YAML, so this is the name pieces, not a text | "'pieces'" for the text; pieces without quotes for the name`,
    );
  });

  test.each([
    ['a first star', '  - show: *** done ***', /begins with this sign needs quotes/],
    ['a second document', '  - show: x\n---\na: b', /second document/],
    ['a key twice', '  - show: x\n    show: y', /stands here twice/],
    ['a tag', '  - show: !!int 5', /begins with this sign needs quotes/],
    ['a merge key', '  - <<: { show: x }', /merge keys/],
    ['a tab', '\t- show: x', /tab/],
  ])('%s', (_, text, message) => {
    expect(
      findings(steps(`${text}\n`))
        .map(({ message: said }) => said)
        .join('\n'),
    ).toMatch(message);
  });

  test('what stands in texts as texts do is none of them', () => {
    const fine = [
      '  - call: POST kiln /a',
      '    name: shop',
      '    keep: { fired: $, layer: $.a, n: "1" }',
      '  - call: POST kiln /b',
      '    json: { host: shop.example.com, log: fired.csv, id: "uuid()", page: "n + 1", say: it is so (really) }',
      '    query: { after: 007, file: layer.bin }',
      '    headers: { X: shop.status }',
      '  - show: shop.status # as it was',
      '  - write: { to: fired.csv, row: { a: 1 } }',
    ];
    expect(findings(steps(`${fine.join('\n')}\n`)).map(shown)).toEqual([]);
  });

  test('what YAML reads as it was meant is no trap', () => {
    const fine = [
      '  - show: it is # 1, "really"',
      '  - show: a, b [c] {d}',
      '  - call: GET kiln /a # the list',
      '    expect: status == 200 # as always',
      '    query: { state: waiting, ids: [a, b], note: "x: y" }',
      '    headers: { Accept: "application/json", X-A: a/b }',
      "    keep: { first: $.a.b, second: 'if(true, 1, 2)' }",
    ].join('\n');
    expect(findings(steps(`${fine}\n`)).map(shown)).toEqual([]);
  });

  test("aliases can't be made to explode", () => {
    const bomb = Array.from(
      { length: 12 },
      (_, i) =>
        `  b${i}: &b${i} [${Array(10)
          .fill(i === 0 ? 'x' : `*b${i - 1}`)
          .join(', ')}]`,
    ).join('\n');
    expect(findings(`${steps('  - show: x\n')}results:\n${bomb}\n`).length).toBeGreaterThan(0);
  });
});
