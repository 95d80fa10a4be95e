// Local times and the calendar, passed against the Temporal proposal as others have written it.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { parseJson, writeJson } from '../../../src/core/language/json.ts';
import { instantOf, shifted, type ShiftUnit } from '../../../src/core/language/local-times.ts';
import { readDate } from '../../../src/core/language/read-date.ts';
import { formatDate } from '../../../src/core/language/dates.ts';
import { plainText } from '../../../src/core/language/functions/conversion.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { checkExpression } from '../../../src/core/language/expression.ts';
import { JSON_VALUE } from '../../../src/core/language/kinds.ts';
import { bareScope } from '../../../src/core/language/scope.ts';
import { environment, expression } from './support.ts';

const ZONES = [
  'UTC',
  'Europe/Lisbon',
  'America/New_York',
  'America/St_Johns',
  'Australia/Lord_Howe',
  'Asia/Kathmandu',
  'Pacific/Auckland',
] as const;
const zones = fc.constantFrom(...ZONES);
const instants = fc
  .integer({ min: Date.UTC(1975, 0, 1), max: Date.UTC(2085, 0, 1) })
  .map((one) => one - (one % 1000));
/** Times around which clocks are changed, besides any other. */
const local = fc.oneof(
  instants,
  fc
    .tuple(
      fc.integer({ min: 2000, max: 2040 }),
      fc.constantFrom(2, 3, 8, 9, 10),
      fc.integer({ min: 1, max: 28 }),
      fc.integer({ min: 0, max: 239 }),
    )
    .map(([year, month, day, minutes]) => Date.UTC(year, month, day, 0, minutes)),
);

test('a local time is the instant at which the clocks of its zone show it', () => {
  fc.assert(
    fc.property(local, zones, (at, zone) => {
      const plain = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO('UTC').toPlainDateTime();
      expect(instantOf(at, zone)).toBe(plain.toZonedDateTime(zone).epochMilliseconds);
    }),
    { numRuns: 2000 },
  );
});

test('calendar arithmetic comes out as there', () => {
  const amounts = fc.record(
    {
      years: fc.integer({ min: -5, max: 5 }),
      months: fc.integer({ min: -30, max: 30 }),
      days: fc.integer({ min: -90, max: 90 }),
      hours: fc.integer({ min: -50, max: 50 }),
    } satisfies Partial<Record<ShiftUnit, unknown>>,
    { requiredKeys: [] },
  );
  fc.assert(
    fc.property(local, zones, amounts, (at, zone, by) => {
      // A duration of theirs has one sign.
      const signs = new Set(
        Object.values(by)
          .map(Math.sign)
          .filter((sign) => sign !== 0),
      );
      if (signs.size !== 1) return;
      const instant = instantOf(at, zone);
      const there = Temporal.Instant.fromEpochMilliseconds(instant).toZonedDateTimeISO(zone).add(by);
      expect(shifted(instant, by, zone)).toBe(there.epochMilliseconds);
    }),
    { numRuns: 2000 },
  );
});

test('what format writes by a pattern is read by it', () => {
  const patterns = fc.constantFrom(
    "yyyy-MM-dd'T'HH:mm:ss.SSSXXX",
    'dd.MM.yyyy HH:mm:ss',
    'EEE, d MMM yyyy h:mm:ss a xx',
    'yyyyMMddHHmmss',
    "EEEE d MMMM yyyy 'at' H:mm:ss",
  );
  fc.assert(
    fc.property(local, zones, patterns, (at, zone, pattern) => {
      const instant = instantOf(at, zone);
      const text = formatDate(instant, pattern, zone);
      const read = readDate(text, pattern, zone)!;
      // A time that clocks show twice is the first of both.
      expect(formatDate(read, pattern, zone)).toBe(text);
    }),
  );
});

/** What an expression gives, or the code of why not. */
function given(text: string, zone = 'UTC'): string | undefined {
  const env = environment({ response: null, names: {} });
  const { problems } = checkExpression(text, bareScope(JSON_VALUE));
  if (problems[0]) return `${problems[0].code}: ${problems[0].hint ?? ''}`;
  try {
    return plainText(
      expression(text).evaluate({ ...env, name: () => undefined, world: { ...env.world, zone } })!,
    );
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return `${error.problem.code}: ${error.problem.hint ?? ''}`;
  }
}

describe('times', () => {
  test.each<[string, string, string]>([
    ["date(time('2026-03-29'))", 'America/New_York', '2026-03-29'],
    ["time('2026-03-29T01:30:00')", 'Europe/Lisbon', '2026-03-29T01:30:00Z'],
    ["time('2026-06-01T01:30:00')", 'Europe/Lisbon', '2026-06-01T00:30:00Z'],
    ["time('2026-06-01T01:30:00Z')", 'Europe/Lisbon', '2026-06-01T01:30:00Z'],
    ["time('29/03/2026', 'dd/MM/yyyy')", 'UTC', '2026-03-29T00:00:00Z'],
    ["time('3/29/26 5:07 pm', 'M/d/yy h:mm a', 'America/New_York')", 'UTC', '2026-03-29T21:07:00Z'],
    ["time('31/02/2026', 'dd/MM/yyyy')", 'UTC', 'not-a-time: '],
    ["time('2026-03-29x', 'yyyy-MM-dd')", 'UTC', 'not-a-time: '],
    ['time(1774747800123)', 'UTC', "not-a-time: time(x, 'ms') for milliseconds"],
    ["time(1774747800123, 'ms')", 'UTC', '2026-03-29T01:30:00.123Z'],
    ["shift(time('2026-03-28T09:00:00'), { days: 1 })", 'Europe/Lisbon', '2026-03-29T08:00:00Z'],
    ["shift(time('2026-03-28T09:00:00'), { day: 1 })", 'UTC', 'wrong-kind: days'],
    ["shift(time('2026-03-28T09:00:00'), { days: 1.5 })", 'UTC', 'wrong-kind: '],
  ])('%s in %s', (text, zone, expected) => {
    expect(given(text, zone)).toBe(expected);
  });
});

describe('numbers are written as they are meant', () => {
  test.each<[string, string]>([
    ['12345678901234567890123 + 1', '12345678901234567890124'],
    ['1000000000000 * 1000000000000000', '1000000000000000000000000000'],
    ['1e22 + 1', '1.0000000000000000000001e+22'],
    ['1 / 10000000', '0.0000001'],
    ["format(2, '0.00')", '2.00'],
    ["format(2.005, '0.00')", '2.00'],
    ["format(-1234567.5, '#,##0.00')", '-1,234,567.50'],
    ["format(0.5, '0.###')", '0.5'],
    ["format(1e21, '0')", '1000000000000000000000'],
    ["format(-0.001, '0.00')", '0.00'],
    ["format(5, '00000')", '00005'],
  ])('%s', (text, expected) => {
    expect(given(text)).toBe(expected);
  });
  test('a pattern that is none is found before', () => {
    expect(() => expression("format(1, '0.0.0')")).toThrow(/not a number pattern/);
  });
});

test('members keep their order, whatever their names', () => {
  const name = fc.oneof(
    fc.stringMatching(/^[0-9]{1,3}$/),
    fc.stringMatching(/^[a-z]{1,3}$/),
    fc.constant('__proto__'),
  );
  fc.assert(
    fc.property(fc.uniqueArray(name, { minLength: 1 }), (names) => {
      const json = `{${names.map((one, i) => `"${one}":${i}`).join(',')}}`;
      const response = parseJson(json);
      expect(writeJson(response)).toBe(json);
      const env = environment({ response });
      for (const text of ['$', 'merge($, {})', 'merge({}, parse(json($)))'])
        expect(writeJson(expression(text).evaluate(env)!)).toBe(json);
      expect(writeJson(expression('keys($)').evaluate(env)!)).toBe(JSON.stringify(names));
      expect(writeJson(expression('$[*]').evaluate(env)!)).toBe(JSON.stringify(names.map((_, i) => i)));
    }),
  );
});

test.each([
  ["time('2026-03-28T08:00:00Z') + 1d", 'shift(T, {days: 1})'],
  ["time('2026-03-30T08:00:00Z') - 2d", 'shift(T, {days: -2})'],
  ["time('2026-03-27T08:00:00Z') + 1d", undefined],
  ["time('2026-03-28T08:00:00Z') + 25h", undefined],
  ["time('2026-10-25T22:00:00Z') - 7d", 'shift(T, {days: -7})'],
])('whole days over a change of the clocks are said: %s', (text, hint) => {
  const said: string[] = [];
  const env = environment({ warn: ({ code, message }) => said.push(`${code} ${message}`) });
  expression(text).evaluate({ ...env, world: { ...env.world, zone: 'Europe/Lisbon' } });
  expect(said).toHaveLength(hint === undefined ? 0 : 1);
  if (hint !== undefined) expect(said[0]).toContain(hint);
});

test.each([
  ['44.1234567ms', '44.123ms'],
  ['90s', '1m30s'],
  ['1.5h', '1h30m'],
  ['61234.567ms', '1m1.234567s'],
])('a duration is shown as people write it: %s', (text, shown) => {
  expect([
    plainText(expression(text).evaluate(environment())!),
    writeJson([expression(text).evaluate(environment())!], 0, 'text'),
  ]).toEqual([shown, JSON.stringify([shown])]);
});
