// What the core writes itself, checked against the platform.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compareTexts, compareValues, equalValues } from '../../../src/core/language/compare.ts';
import { formatDate, isZone } from '../../../src/core/language/dates.ts';
import {
  decodeBase64,
  decodeHex,
  encodeBase64,
  encodeHex,
  fromUtf8,
  percentDecode,
  percentEncode,
  percentEncodeReserved,
  utf8,
} from '../../../src/core/language/encodings.ts';
import { readTime } from '../../../src/core/language/functions/time.ts';
import { parseJson, writeJson } from '../../../src/core/language/json.ts';
import { findLink } from '../../../src/core/language/links.ts';
import { nearest } from '../../../src/core/language/nearest.ts';
import { normalisedPath } from '../../../src/core/language/paths.ts';
import type { Value } from '../../../src/core/language/values.ts';
import { ProblemError } from '../../../src/core/problems.ts';

const text = fc.string({ unit: 'binary' });

describe('encodings', () => {
  test('base64 and hex', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 40 }), (bytes) => {
        const buffer = Buffer.from(bytes);
        expect(encodeBase64(bytes)).toBe(buffer.toString('base64'));
        expect(encodeBase64(bytes, 'url')).toBe(buffer.toString('base64url'));
        expect(encodeHex(bytes)).toBe(buffer.toString('hex'));
        expect(decodeBase64(buffer.toString('base64'))).toEqual(bytes);
        expect(decodeBase64(buffer.toString('base64url'))).toEqual(bytes);
        expect(decodeHex(buffer.toString('hex').toUpperCase())).toEqual(bytes);
      }),
    );
    for (const bad of ['a', 'a===', '*abc', 'ab=c']) expect(decodeBase64(bad)).toBeUndefined();
    for (const bad of ['a', 'xy', '0x00']) expect(decodeHex(bad)).toBeUndefined();
  });

  test('UTF-8 is strict, and keeps a byte order mark', () => {
    fc.assert(fc.property(text, (one) => expect(fromUtf8(utf8(one))).toBe(one.toWellFormed())));
    expect(fromUtf8(Uint8Array.of(0xc3, 0x28))).toBeUndefined();
    expect(fromUtf8(utf8('\ufeffa'))).toBe('\ufeffa');
  });

  test('percent-encoding leaves only unreserved characters, and is undone', () => {
    fc.assert(
      fc.property(text, (one) => {
        const encoded = percentEncode(one);
        expect(encoded).toMatch(/^(?:[A-Za-z0-9\-._~]|%[0-9A-F]{2})*$/);
        expect(percentDecode(encoded)).toBe(one.toWellFormed());
      }),
    );
    expect(percentEncodeReserved('/a b?c=%20&d=é%')).toBe('/a%20b?c=%20&d=%C3%A9%25');
    expect(percentDecode('%zz')).toBeUndefined();
  });
});

describe('JSON', () => {
  test('what the platform writes is read as the platform reads it', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 5 }), fc.nat(3), (value, indent) => {
        const json = JSON.stringify(value, null, indent);
        expect(JSON.stringify(parseJson(json))).toBe(JSON.stringify(JSON.parse(json)));
      }),
      { numRuns: 500 },
    );
  });

  test('with numbers that need care everything else is read alike', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 4 }), (value) => {
        const json = JSON.stringify([value, 'mark']).replace(/"mark"\]$/, '1.0]');
        expect(writeJson(parseJson(json))).toBe(
          writeJson([parseJson(JSON.stringify(value)), parseJson('1.0')]),
        );
      }),
      { numRuns: 500 },
    );
  });

  test('what the platform refuses is refused, with line and column', () => {
    const piece = fc.constantFrom(
      '{',
      '}',
      '[',
      ']',
      ',',
      ':',
      '"a"',
      '"',
      '1',
      '1.0',
      '-',
      '01',
      '.5',
      'true',
      'nul',
      ' ',
      '\n',
      '\\',
      "'",
      '1e',
      '\t',
      '"\u0001"',
      '"\\x"',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 9 }), (pieces) => {
        const json = pieces.join('');
        const platform = (() => {
          try {
            JSON.parse(json);
            return true;
          } catch {
            return false;
          }
        })();
        const ours = (() => {
          try {
            parseJson(json);
            return true;
          } catch (error) {
            expect((error as ProblemError).problem.message).toMatch(/line \d+, column \d+/);
            return false;
          }
        })();
        expect([json, ours]).toEqual([json, platform]);
      }),
      { numRuns: 3000 },
    );
  });

  test("indented writing is the platform's", () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) =>
        expect(writeJson(parseJson(JSON.stringify(value)), 2)).toBe(
          JSON.stringify(JSON.parse(JSON.stringify(value)), null, 2),
        ),
      ),
    );
  });
});

describe('order and equality', () => {
  test('texts are ordered by code points', () => {
    fc.assert(
      fc.property(text, text, (a, b) => {
        const points = (one: string): number[] => Array.from(one, (char) => char.codePointAt(0)!);
        const [x, y] = [points(a), points(b)];
        const differs = x.findIndex((point, i) => point !== y[i]);
        const expected =
          differs < 0 ? x.length - y.length : differs >= y.length ? 1 : x[differs]! - y[differs]!;
        if (a.isWellFormed() && b.isWellFormed())
          expect(Math.sign(compareTexts(a, b))).toBe(Math.sign(expected));
      }),
    );
  });

  test('equality is that of JSON, the order of members aside', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 3 }), fc.jsonValue({ maxDepth: 3 }), (a, b) => {
        const [x, y] = [parseJson(JSON.stringify(a)), parseJson(JSON.stringify(b))];
        expect(equalValues(x, parseJson(JSON.stringify(a)))).toBe(true);
        expect(equalValues(x, y)).toBe(equalValues(y, x));
        if (typeof x === 'object' && x !== null && !Array.isArray(x)) {
          expect(
            equalValues(x, Object.fromEntries(Object.entries(x as Record<string, Value>).reverse())),
          ).toBe(true);
        }
      }),
    );
    expect(compareValues('a', 1)).toBeUndefined();
  });
});

describe('times', () => {
  test.each<[string, string | undefined]>([
    ['2024-12-10T08:00:00Z', '2024-12-10T08:00:00.000Z'],
    ['2024-12-10t08:00:00.1234567+01:00', '2024-12-10T07:00:00.123Z'],
    ['2024-12-10', '2024-12-10T00:00:00.000Z'],
    ['2024-02-29', '2024-02-29T00:00:00.000Z'],
    ['2016-12-31T23:59:60Z', '2017-01-01T00:00:00.000Z'],
    ['Tue, 10 Dec 2024 08:00:00 GMT', '2024-12-10T08:00:00.000Z'],
    ['2023-02-29', undefined],
    ['2024-13-01', undefined],
    ['2024-12-10 08:00', undefined],
    ['10/12/2024', undefined],
    ['2024-12-10T25:00:00Z', undefined],
  ])('%s', (one, expected) => {
    const time = readTime(one, 'UTC');
    expect(time && new Date(time.milliseconds).toISOString()).toBe(expected);
  });

  test('dates in a zone are those of the platform', () => {
    const zones = [
      'UTC',
      'Europe/Lisbon',
      'Asia/Kathmandu',
      'America/St_Johns',
      'Pacific/Apia',
      'Africa/Casablanca',
    ];
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1972-01-01'), max: new Date('2090-01-01'), noInvalidDate: true }),
        fc.constantFrom(...zones),
        (date, zone) => {
          const platform = new Intl.DateTimeFormat('sv-SE', {
            timeZone: zone,
            dateStyle: 'short',
            timeStyle: 'medium',
          }).format(date);
          expect(formatDate(date.getTime(), 'yyyy-MM-dd HH:mm:ss', zone)).toBe(platform);
          const withOffset = formatDate(date.getTime(), "yyyy-MM-dd'T'HH:mm:ss.SSSXXX", zone);
          expect(readTime(withOffset, zone)!.milliseconds).toBe(date.getTime());
        },
      ),
    );
    expect([isZone('Europe/Lisbon'), isZone('Mars/Olympus')]).toEqual([true, false]);
  });
});

test.each([
  ['<a>; rel="next"', 'next', 'a'],
  ['<a>; rel=prev, <b?x=1,2>; title="a, \\"b\\""; REL="Last NEXT"', 'next', 'b?x=1,2'],
  ['<a>; title="rel=next"', 'next', undefined],
  ['<a>; rel=next; rel=prev', 'prev', undefined],
  ['<a>, <b>; rel=next', 'next', 'b'],
])('Link: %s', (field, relation, target) => {
  expect(findLink(field, relation)).toBe(target);
});

test('the nearest name is one that was probably meant', () => {
  const names = ['status', 'headers', 'pieces', 'first_id', 'idempotency'];
  expect(
    ['statsu', 'header', 'peices', 'firstId', 'idempotancy'].map((word) => nearest(word, names)),
  ).toEqual(names);
  expect(['xyz', 'colour', 'a'].map((word) => nearest(word, names))).toEqual([
    undefined,
    undefined,
    undefined,
  ]);
});

test('normalised paths are those of RFC 9535, section 2.7', () => {
  expect(normalisedPath(['a', 0, "it's", '\n\u000b\\', '"', '🌙'])).toBe(
    `$['a'][0]['it\\'s']['\\n\\u000b\\\\']['"']['🌙']`,
  );
});
