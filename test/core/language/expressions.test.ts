import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkExpression } from '../../../src/core/language/expression.ts';
import { MAXIMUM_DEPTH, parseJson, writeJson } from '../../../src/core/language/json.ts';
import { Exact } from '../../../src/core/language/numbers.ts';
import type { Maybe, Value, ValueObject } from '../../../src/core/language/values.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { environment, expression, scopeOf } from './support.ts';

const response = parseJson(
  '{"pieces": [{"id": "p1", "glaze": "ash", "cone": 7, "glazed": false}, {"id": "p2", "glaze": null, "cone": 4}], "empty": [], "note": null, "count": 2, "content-type": "x", "name": "moon"}',
);
const names: ValueObject = { rack: 'A3', limit: 5, pieces: (response as { pieces: Value }).pieces };

function evaluate(text: string): Maybe {
  return expression(text, names).evaluate(environment({ response, names }));
}

/** The first problem before anything runs, or the one that arises when it does. */
function problem(text: string, condition = false): { code: string; message: string; hint?: string } {
  const { expression: checked, problems } = checkExpression(text, scopeOf(names), { condition });
  if (!checked) return problems[0]!;
  try {
    const env = environment({ response, names });
    if (condition) checked.test(env);
    else checked.require(env);
  } catch (error) {
    return (error as ProblemError).problem;
  }
  throw new Error(`${text} has no problem`);
}

test('a pattern that looks at the rest of a text again and again is bounded', () => {
  const long = { response: { long: 'a'.repeat(4_000) } };
  expect(() => expression("matches($.long, 'a*b|a')").evaluate(environment(long))).toThrow(
    expect.objectContaining({ problem: expect.objectContaining({ code: 'too-many-nodes' }) }),
  );
  expect(expression("length(matches($.long, 'a'))").evaluate(environment(long))).toBe(4_000);
});

describe('what expressions give', () => {
  test.each<[string, Value | undefined]>([
    ['1 + 2 * 3', 7],
    ['(1 + 2) * 3', 9],
    ['10 / 4', 2.5],
    ['7 % 3', 1],
    ['0.1 + 0.2', 0.3],
    ['-limit', -5],
    ['!(limit == 5)', false],
    ["rack ?? 'none'", 'A3'],
    ["$.note ?? 'none'", 'none'],
    ["$.missing ?? 'none'", 'none'],
    ['$.missing', undefined],
    ['length($.missing)', undefined],
    ['false && $.missing == 1', false],
    ['$.missing == 1 && false', false],
    ['true || $.missing == 1', true],
    ['$.missing == 1 || false', undefined],
    ['$.missing == nothing', true],
    ['$.note == nothing', false],
    ["'p1' in $.pieces[*].id", true],
    ['limit in [1, 5.0]', true],
    ['pieces[1].id', 'p2'],
    ['pieces[-1].id', 'p2'],
    ['pieces [?@.cone > limit] .id', ['p1']],
    ['pieces[?@.cone > $.count * 3].id', ['p1']],
    ["{ a: limit, 'b c': [rack] }", { a: 5, 'b c': ['A3'] }],
    ['[limit, $.missing ?? nothing]', [5]],
    ['[limit, $.missing]', undefined],
    ['first($.empty)', undefined],
    ['sum($.empty)', 0],
    ['kind(1h30m)', 'duration'],
    ["time('2026-03-01T10:00:00Z') - time('2026-03-01') == 10h", true],
    ['90s / 1m', 1.5],
    ['1.10 == 1.1', true],
    ["'10' == 10 || true", true],
    ["$.pieces[*].id == ['p1', 'p2']", true],
    ['any(pieces, @.glaze == null)', true],
    ['any(pieces, @.colour == 1)', undefined],
    ['every($.empty, @.x == 1)', true],
    ['if(limit > 3, rack, number(rack))', 'A3'],
    ['if(limit > 9, rack)', undefined],
    ["rack + '-' + text(limit)", 'A3-5'],
    ['{ [rack]: limit, b: 1 }', { A3: 5, b: 1 }],
    ['{ [$.missing]: 1 }', undefined],
    // An inner @ would hide the outer one; the name does not.
    ['map(one in pieces, count($.pieces[?@.cone >= one.cone]))', [1, 2]],
    ['every(one in pieces, any(other in $.pieces, other.id == one.id))', true],
    [
      'map(one in pieces, map(two in pieces, one.id + two.id))',
      [
        ['p1p1', 'p1p2'],
        ['p2p1', 'p2p2'],
      ],
    ],
    ['sort(one in pieces, [-one.cone, one.id])[*].id', ['p1', 'p2']],
    ['limit == 2xx', false],
    ['limit * 100 == 5xx', true],
    ['limit * 100 != 4xx', true],
    ['limit * 100 in [2xx, 500]', true],
    ['limit * 81 in [2xx, 405]', true],
    ['$.missing == 2xx', undefined],
    ["same({ a: [1, { b: [2, 3] }] }, { a: [{ b: [3.0, 2] }, 1] }, 'any order')", true],
    ["same([1, 1, 2], [1, 2, 2], 'any order')", false],
    ["replace('a1b22', '[0-9]+', '<$0>', 'pattern')", 'a<1>b<22>'],
    ["replace('abc', 'x*', '-', 'pattern')", '-a-b-c-'],
    ["replace('x', 'x', 'a$$1', 'pattern')", 'a$1'],
    ["split('abc', '', 'pattern')", ['a', 'b', 'c']],
    ["matches('Ash ASH oak', 'ash', 'i')", ['Ash', 'ASH']],
    ["matches('🌙a🌙', '.')", ['🌙', 'a', '🌙']],
    ["match('ÄRGER', '[ä-ö]rger', 'i')", true],
    ["match('A', '[^a]', 'i')", false],
    ['without({ a: { b: 1, c: [{ d: 1, e: 2 }] } }, @.a.b, @..d)', { a: { c: [{ e: 2 }] } }],
    ['without([{ a: 1, b: 2 }], @[*].a)', [{ b: 2 }]],
  ])('%s', (text, expected) => {
    const { expression: checked } = checkExpression(text, scopeOf(names));
    const value = checked ? checked.evaluate(environment({ response, names })) : 'refused';
    if (text.startsWith("'10' == 10")) expect(value).toBe('refused');
    else expect(value).toEqual(expected);
  });
});

describe('problems say what, why and what to write instead', () => {
  test.each<[string, string, RegExp, RegExp?]>([
    [
      '$.pieces[0].colour',
      'found-nothing',
      /`?\$\.pieces\[0\].colour found nothing: \$\.pieces\[0\] has the members id, glaze, cone, glazed/,
    ],
    ['$.pieces[0].gaze', 'found-nothing', /has the members/, /\$\.pieces\[0\]\.glaze/],
    [
      '$.pieces.id',
      'found-nothing',
      /\$\.pieces is a list of 2 items/,
      /\$\.pieces\[0\]\.id for the first, \$\.pieces\[\*\]\.id for all/,
    ],
    ['$.pieces[7]', 'found-nothing', /list of 2 items/],
    ['$.note.x', 'found-nothing', /\$\.note is null/],
    ['pieces.id', 'wrong-kind', /is a list, which has no members/, /pieces\[0\]\.id/],
    ['peices', 'unknown-name', /nothing defines the name peices/, /pieces/],
    ['True', 'unknown-name', /True/, /true/],
    ['length', 'unknown-name', /length/, /is a function/],
    ['lenght(pieces)', 'unknown-function', /lenght/, /length\(value\)/],
    ['length(pieces, 2)', 'wrong-arguments', /takes 1 argument/],
    ['$.content-type', 'bad-syntax', /a name with a hyphen stands in brackets/, /^\$\['content-type'\]$/],
    ['2024-12-10', 'bad-syntax', /a date is written/, /time\('2024-12-10'\)/],
    ['!$.a == 1', 'bad-syntax', /! applies to what directly follows it/, /^!\(\$\.a == 1\)$/],
    ['1 < 2 < 3', 'bad-syntax', /do not chain/],
    ['limit and rack', 'bad-syntax', /and is written &&/, /&&/],
    ['limit = 5', 'bad-syntax', /two equal signs/, /^limit == 5$/],
    ['${limit}', 'bad-syntax', /expected/, /already/],
    ['{{limit}}', 'bad-syntax', /a name stands bare/, /^limit$/],
    ["'abc", 'bad-syntax', /begins with this ' has no end/],
    ['rack + limit', 'wrong-kind', /\+ has no meaning/, /^rack \+ text\(limit\)$/],
    ['map(rack in pieces, 1)', 'name-twice', /the name rack is already defined/],
    ['limit > 2xx', 'wrong-kind', /class of statuses, which has no order/, /limit == 2xx/],
    ['2xx', 'wrong-kind', /only where a status is compared/, /status == 2xx/],
    ['rack == 2xx', 'kinds-differ', /compared with a number/, /number\(rack\)/],
    ["replace('a', '(a)', '$2', 'pattern')", 'wrong-kind', /no group 2/, /\$\$/],
    ["replace('a', 'a', 'b', 'regex')", 'wrong-kind', /no mode 'regex'/, /pattern/],
    ["number(time('2026-03-01'))", 'wrong-kind', /is a time/, /^epoch\(time\('2026-03-01'\)\)$/],
    ['object([1])', 'wrong-kind', /item 0 is no member/, /object\(map\(/],
    ['$.pieces[name]', 'bad-syntax', /at\(list, place\)/, /^\$\.pieces\['name'\]$/],
    ['$.a.0', 'bad-syntax', /an item stands in brackets/, /^\$\.a\[0\]$/],
    ['count(rack)', 'wrong-kind', /one value/, /length\(rack\)/],
    ["limit == '5'", 'kinds-differ', /never equal/, /without quotes/],
    ['limit < rack', 'kinds-differ', /no order/, /number\(rack\)/],
    ["$.count < 'a'", 'kinds-differ', /no order/],
    ['rack + 1', 'wrong-kind', /\+ has no meaning/, /rack \+ text\(1\)/],
    ["$.pieces[*].id == 'p1'", 'list-in-comparison', /several values/, /any\(/],
    ["'a' in rack", 'wrong-kind', /in looks through lists/, /contains\(rack/],
    ['1 / 0', 'division-by-zero', /zero/],
    ['@.id', 'no-item', /no meaning here/],
    ["match(rack, '\\\\d+')", 'pattern-invalid', /not valid \(RFC 9485\)/, /\[0-9\]/],
    ["number('12,5')", 'not-a-number', /12,5/],
    ["format(now(), 'YYYY')", 'date-pattern-invalid', /letter Y/, /'yyyy'/],
    ["sort([1, 'a'])", 'kinds-differ', /no order/],
    ['map(pieces, @.colour)', 'found-nothing', /item 0: @\.colour found nothing/],
    ['raw(rack)', 'function-not-here', /raw/],
  ])('%s', (...[text, code, message, hint]) => {
    const found = problem(text);
    expect(found.code).toBe(code);
    expect(found.message).toMatch(message);
    if (hint) expect(found.hint).toMatch(hint);
  });

  test('a condition is true or false and nothing else', () => {
    expect(problem('rack', true)).toMatchObject({
      code: 'not-yes-or-no',
      message: 'rack is text, but a condition must be true or false',
    });
    expect(problem('$.count', true).code).toBe('not-yes-or-no');
    expect(problem('pieces[*].glazed', true).hint).toMatch(/exists\(pieces/);
  });

  test('what came is said where a condition does not hold', () => {
    const came = (text: string): string => expression(text, names).whatCame(environment({ response, names }));
    expect(came('$.count == 3')).toBe('2');
    expect(came("$.count == '3'")).toMatch(/2, a number, and a number never equals text/);
    expect(came('every(pieces, @.cone > 5)')).toBe('1 of 2 items are otherwise, the first is item 1: 4');
    expect(came("limit == 5 && rack == 'B1'")).toBe("'A3'");
    expect(came('limit == $.count')).toBe('limit is 5, $.count is 2');
  });
});

test('filters say once what they silently did', () => {
  const warnings: string[] = [];
  const env = environment({ response, names, warn: ({ message }) => warnings.push(message) });
  expression('$.pieces[?@.glazed]').evaluate(env);
  expression("$.pieces[?@.glase == 'ash']").evaluate(env);
  expect(warnings).toEqual([
    '[?@.glazed] kept 1 item whose glazed is false; to keep only true ones, write @.glazed == true',
    '[?…@.glase…] looks for @.glase, and none of 2 items has it; the nearest is @.glaze',
  ]);
});

describe('numbers', () => {
  const digits = (most: number): fc.Arbitrary<string> => fc.stringMatching(new RegExp(`^[0-9]{1,${most}}$`));
  const jsonNumber = fc
    .tuple(fc.boolean(), digits(25), fc.option(digits(20)), fc.option(fc.integer({ min: -400, max: 400 })))
    .map(
      ([minus, whole, fraction, exponent]) =>
        `${minus ? '-' : ''}${whole.replace(/^0+(?=.)/, '')}${fraction === null ? '' : `.${fraction}`}${exponent === null ? '' : `e${exponent}`}`,
    );

  test('pass from a response into the next request as they came', () => {
    fc.assert(
      fc.property(fc.array(jsonNumber), (texts) => {
        const json = `{"items":[${texts.join(',')}]}`;
        expect(writeJson(parseJson(json))).toBe(json);
        const kept = expression('$.items[*]').evaluate(environment({ response: parseJson(json) }));
        expect(writeJson(kept!)).toBe(`[${texts.join(',')}]`);
      }),
    );
  });

  test('are compared and added by value, whatever their text', () => {
    const scaled = fc.tuple(
      // Also such as a double holds, and those at the edge.
      fc.oneof(
        fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n }),
        fc.bigInt({ min: -(10n ** 7n), max: 10n ** 7n }),
        fc.bigInt({ min: 10n ** 15n - 99n, max: 10n ** 15n + 99n }),
      ),
      fc.integer({ min: 0, max: 12 }),
    );
    const written = ([value, places]: [bigint, number]): string => {
      const text = String(value < 0n ? -value : value).padStart(places + 1, '0');
      return `${value < 0n ? '-' : ''}${text.slice(0, text.length - places)}${places > 0 ? `.${text.slice(-places)}` : ''}`;
    };
    fc.assert(
      fc.property(scaled, scaled, (a, b) => {
        const common = Math.max(a[1], b[1]);
        const [x, y] = [a[0] * 10n ** BigInt(common - a[1]), b[0] * 10n ** BigInt(common - b[1])];
        const env = environment({
          response: parseJson(
            `{"a":${written(a)},"b":${written(b)},"sum":${written([x + y, common])},"product":${written([a[0] * b[0], a[1] + b[1]])}}`,
          ),
        });
        const test = (text: string): boolean | undefined => expression(text).test(env);
        expect([test('$.a < $.b'), test('$.a == $.b')]).toEqual([x < y, x === y]);
        expect([
          test('$.a + $.b == $.sum'),
          test('$.sum - $.b == $.a'),
          test('$.a * $.b == $.product'),
        ]).toEqual([true, true, true]);
      }),
    );
  });

  test("stop the platform's serialiser where it would damage them", () => {
    expect(() => JSON.stringify({ id: new Exact('9007199254740993') })).toThrow(TypeError);
  });

  test.each([
    ['1e999999', '1e999999 == 1e999999', true],
    ['huge sums', '1e5000 + 1', 'number-too-long'],
    ['huge powers of ten', '1e99999999999999999999 == 1', 'number-too-long'],
    ['sums beyond 2^53', '9007199254740991 + 2 == 9007199254740993', true],
    ['order by code points', "'\uffee' < '\u{1f600}' && min(['\u{1f600}', '\uffee']) == '\uffee'", true],
    ['thirds', '1 / 3 == 0.3333333333333333333333333333333333', true],
    ['half to even', '2 / 3 == 0.6666666666666666666666666666666667', true],
    ['negative zero', '-0 == 0', true],
  ])('%s', (_, text, expected) => {
    if (typeof expected === 'string') expect(problem(text).code).toBe(expected);
    else expect(evaluate(text)).toBe(expected);
  });
});

describe('hostile input', () => {
  const inherited = [
    ...Object.getOwnPropertyNames(Object.prototype),
    ...Object.getOwnPropertyNames(Array.prototype),
  ];

  test('names of prototypes are names like any other', () => {
    for (const name of inherited) {
      const there = parseJson(`{${JSON.stringify(name)}: {"x": 1}}`);
      const path = `$[${JSON.stringify(name)}]`;
      expect(expression(path).evaluate(environment({ response: {} }))).toBeUndefined();
      expect(expression(path).evaluate(environment({ response: [] }))).toBeUndefined();
      expect(expression(`${path}.x`).evaluate(environment({ response: there }))).toBe(1);
      expect(writeJson(expression('merge($, {})').evaluate(environment({ response: there }))!)).toBe(
        `{${JSON.stringify(name)}:{"x":1}}`,
      );
      expect(checkExpression(name, scopeOf()).problems[0]?.code).toBe('unknown-name');
      expect(checkExpression(`${name}(1)`, scopeOf()).expression).toBeUndefined();
    }
  });

  test.each<[string, () => unknown, string]>([
    ['deep JSON', () => parseJson('['.repeat(100_000)), 'json-too-deep'],
    ['deep exact JSON', () => parseJson(`${'['.repeat(600)}1.0${']'.repeat(600)}`), 'json-too-deep'],
    ['deep brackets', () => expression(`${'('.repeat(200)}1${')'.repeat(200)}`), 'too-deep'],
    ['many signs', () => expression(`${'-'.repeat(500)}1`), 'too-deep'],
    ['a long expression', () => expression(`'${'x'.repeat(10_000)}'`), 'too-long'],
    ['many operators', () => expression(`1${' + 1'.repeat(2490)}`), 'too-deep'],
    ['many conditions', () => expression(`true${' && true'.repeat(1200)}`), 'too-deep'],
    ['many defaults', () => expression(`1${' ?? 1'.repeat(1900)}`), 'too-deep'],
    [
      'many nodes',
      () => {
        const row = Array<Value>(3200).fill(1);
        return expression('$[*][?@ > 9]').evaluate(environment({ response: Array<Value>(3200).fill(row) }));
      },
      'too-many-nodes',
    ],
    ['a long range', () => expression('range(1, 100000000)').evaluate(environment()), 'list-too-long'],
    [
      'a long text',
      () =>
        expression(
          "join(map(range(1, 1000000), 'a long text of some hundred letters, so that a million of them are far too many'), '')",
        ).evaluate(environment()),
      'text-too-long',
    ],
    ['a large pattern', () => expression("match($.a, '((a{1000}){1000})')"), 'pattern-too-large'],
  ])('%s', (_, attempt, code) => {
    let caught: unknown;
    try {
      attempt();
    } catch (error) {
      caught = error;
    }
    const found =
      caught instanceof ProblemError
        ? caught.problem.code
        : String((caught as Error | undefined)?.message).split(':')[0];
    expect(found).toBe(code);
  });

  test(`JSON of ${MAXIMUM_DEPTH} levels is read`, () => {
    expect(() => parseJson('['.repeat(MAXIMUM_DEPTH) + ']'.repeat(MAXIMUM_DEPTH))).not.toThrow();
  });

  test('whatever is typed is read, or refused with a place in it', () => {
    const piece = fc.constantFrom(
      ...[
        '$',
        '@',
        '.',
        '..',
        '[',
        ']',
        '(',
        ')',
        '?',
        "'a'",
        '"b"',
        '1',
        '-',
        '2.50',
        '5m',
        '==',
        '&&',
        '!',
        '??',
        ',',
        ':',
        '*',
        'a',
        'in',
        'length',
        '{',
        '}',
        ' ',
        '\n',
        '🌙',
        '\\',
        '#',
      ],
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 14 }), (pieces) => {
        const text = pieces.join('');
        for (const { span, message } of checkExpression(text, scopeOf({ a: 1 })).problems) {
          expect(message).not.toBe('');
          expect(span![0]).toBeGreaterThanOrEqual(0);
          expect(span![1]).toBeLessThanOrEqual(text.length);
        }
      }),
      { numRuns: 2000 },
    );
  });
});
