import { fail } from '../../problems.ts';
import { shorten } from '../show.ts';
import { formatDate, isZone } from '../dates.ts';
import { formatNumber } from '../format-number.ts';
import { NUMBER, TEXT, TIME } from '../kinds.ts';
import { instantOf, SHIFT_UNITS, shifted, type ShiftUnit } from '../local-times.ts';
import { nearest } from '../nearest.ts';
import { approximately, divide, type Numeric, numberText, wholeNumber } from '../numbers.ts';
import { readDate } from '../read-date.ts';
import { isNumeric, Time } from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';

const family = 'time';

const RFC_3339 = /^(\d{4})-(\d\d)-(\d\d)(?:[Tt ](\d\d):(\d\d):(\d\d)(\.\d+)?([Zz]|[+-]\d\d:\d\d)?)?$/;
const HTTP_DATE =
  /^(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun), \d\d (?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) \d{4} \d\d:\d\d:\d\d GMT$/;

/**
 * The instant that a text names: RFC 3339, the same without an offset or a date alone (midnight), which are times in `zone`, or
 * the date of HTTP (RFC 9110, 5.6.7). Nothing for any other text.
 */
export function readTime(text: string, zone: string): Time | undefined {
  if (HTTP_DATE.test(text)) return new Time(Date.parse(text));
  const found = RFC_3339.exec(text);
  if (!found) return undefined;
  const [, year, month, day, hour = '00', minute = '00', second = '00', fraction = '', offset] = found;
  const leap = second === '60';
  const written = offset === undefined || offset === 'z' ? 'Z' : offset;
  const stamp = Date.parse(
    `${year!}-${month!}-${day!}T${hour}:${minute}:${leap ? '59' : second}${fraction.slice(0, 4)}${written}`,
  );
  const calendar = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day)));
  if (Number.isNaN(stamp) || calendar.getUTCDate() !== Number(day)) return undefined;
  const at = offset === undefined && zone !== 'UTC' ? instantOf(stamp, zone) : stamp;
  return new Time(at + (leap ? 1000 : 0));
}

function zoneOr(zone: string | undefined, byDefault: string): string {
  if (zone !== undefined && !isZone(zone)) {
    fail('unknown-zone', `unknown time zone '${zone}'`, {
      hint: "use an IANA name, such as 'Europe/Lisbon', or 'UTC'",
    });
  }
  return zone ?? byDefault;
}

/** The latest time that a number of seconds is taken for: the end of the year 9999. */
const LATEST = Date.UTC(10_000, 0, 1) - 1;

function timeOfNumber(value: Numeric, unit: string | undefined): Time {
  if (unit !== undefined && unit !== 'ms')
    fail('wrong-kind', `a time has no unit '${unit}'`, { hint: "'ms', or none for seconds" });
  const milliseconds = Math.round(approximately(value) * (unit === 'ms' ? 1 : 1000));
  if (Math.abs(milliseconds) > LATEST)
    fail(
      'not-a-time',
      `${numberText(value)} ${unit === 'ms' ? 'milliseconds' : 'seconds'} since 1970 lie beyond the year 9999`,
      {
        ...(unit === 'ms' ? {} : { hint: "time(x, 'ms') for milliseconds" }),
      },
    );
  return new Time(milliseconds);
}

function inCalendar(milliseconds: number): Time {
  if (!(Math.abs(milliseconds) <= 8.64e15)) fail('not-a-time', 'this time lies outside the calendar');
  return new Time(milliseconds);
}

export const timeFunctions = [
  define(family, 'now', {
    about: 'The current time; the same throughout one request.',
    parameters: [],
    returns: TIME,
    examples: [["now() > time('2020-01-01')", 'true']],
    evaluate: (_, { world }) => new Time(world.now()),
  }),
  define(family, 'time', {
    about:
      "The time that a text names (RFC 3339, a date, or an HTTP date; another form by a pattern as in format), or that a number counts in seconds since 1970, with 'ms' in milliseconds. A text without an offset is a time in the zone, that of the project if none is given.",
    parameters: [
      takes.textOrNumber('value'),
      optionalParameter(takes.text('pattern', { literal: 'date-pattern' })),
      optionalParameter(takes.text('zone', { literal: 'zone' })),
    ],
    returns: TIME,
    examples: [
      ["time('2024-12-10T08:00:00+01:00')", '"2024-12-10T07:00:00Z"'],
      ['time(1733814000)', '"2024-12-10T07:00:00Z"'],
      ["time('10.12.2024 08:00', 'dd.MM.yyyy HH:mm', 'Europe/Berlin')", '"2024-12-10T07:00:00Z"'],
    ],
    evaluate: ([value, pattern, zone], { world }) => {
      if (typeof value !== 'string') return timeOfNumber(value, pattern);
      const text = value.trim();
      const where = zoneOr(zone, world.zone);
      if (pattern === undefined)
        return (
          readTime(text, where) ??
          fail('not-a-time', `'${shorten(value, 60)}' is not a time`, {
            hint: "2024-12-10T08:00:00Z, 2024-12-10, or Tue, 10 Dec 2024 08:00:00 GMT; time(x, 'dd.MM.yyyy') for another form",
          })
        );
      if (pattern === 'ms')
        fail('wrong-kind', "'ms' is for numbers, but this is text", { hint: "time(number(x), 'ms')" });
      const at = readDate(text, pattern, where);
      return at === undefined
        ? fail('not-a-time', `'${shorten(value, 60)}' is not a time of the form ${pattern}`)
        : new Time(at);
    },
  }),
  define(family, 'shift', {
    about:
      'A time some years, months, weeks, days, hours, minutes or seconds later, or earlier, by the calendar of a zone (that of the project if none is given): a day later is the same time of day, also where clocks are changed.',
    parameters: [
      takes.time('time'),
      takes.object('by'),
      optionalParameter(takes.text('zone', { literal: 'zone' })),
    ],
    returns: TIME,
    examples: [
      ["shift(time('2024-01-31T09:00:00Z'), { months: 1 })", '"2024-02-29T09:00:00Z"'],
      ["shift(time('2024-03-30T08:00:00Z'), { days: 1 }, 'Europe/Berlin')", '"2024-03-31T07:00:00Z"'],
    ],
    evaluate: ([time, by, zone], { world }) => {
      const amounts: Partial<Record<ShiftUnit, number>> = {};
      for (const [name, value] of Object.entries(by)) {
        const unit = SHIFT_UNITS.find((one) => one === name);
        if (!unit)
          fail('wrong-kind', `a time has no ${name} to be shifted by`, {
            hint: nearest(name, SHIFT_UNITS) ?? SHIFT_UNITS.join(', '),
          });
        const amount = isNumeric(value) ? wholeNumber(value) : undefined;
        if (amount === undefined || Math.abs(amount) > 1e9)
          fail('wrong-kind', `the ${name} that a time is shifted by are a whole number`);
        amounts[unit] = amount;
      }
      return inCalendar(shifted(time.milliseconds, amounts, zoneOr(zone, world.zone)));
    },
  }),
  define(family, 'date', {
    about:
      'The date of a time as text, such as 2024-12-10, in a zone (that of the project if none is given).',
    parameters: [takes.time('time'), optionalParameter(takes.text('zone', { literal: 'zone' }))],
    returns: TEXT,
    examples: [["date(time('2024-12-10T23:30:00Z'), 'Europe/Berlin')", '"2024-12-11"']],
    evaluate: ([time, zone], { world }) =>
      formatDate(time.milliseconds, 'yyyy-MM-dd', zoneOr(zone, world.zone)),
  }),
  define(family, 'format', {
    about:
      'A time as text, by a pattern of Unicode date letters (yyyy MM dd HH mm ss SSS EEE MMM XXX …), in a zone; or a number, by a pattern of digits: 0 is always there, # where needed, #,##0 groups.',
    parameters: [
      takes.timeOrNumber('value'),
      takes.text('pattern', { literal: 'format' }),
      optionalParameter(takes.text('zone', { literal: 'zone' })),
    ],
    returns: TEXT,
    examples: [
      ["format(time('2024-12-10T07:05:00Z'), 'EEE d MMM, HH:mm')", '"Tue 10 Dec, 07:05"'],
      ["format(time('2024-12-10T07:05:00Z'), \"yyyyMMdd'T'HHmmssX\")", '"20241210T070500Z"'],
      ["format(12.5, '0.00')", '"12.50"'],
      ["format(7, '000')", '"007"'],
    ],
    evaluate: ([value, pattern, zone], { world }) =>
      value instanceof Time
        ? formatDate(value.milliseconds, pattern, zoneOr(zone, world.zone))
        : formatNumber(value, pattern),
  }),
  define(family, 'epoch', {
    about: 'The seconds since 1970-01-01T00:00:00Z; milliseconds are its fraction.',
    parameters: [takes.time('time')],
    returns: NUMBER,
    examples: [["epoch(time('2024-12-10T07:00:00Z'))", '1733814000']],
    evaluate: ([time]) => divide(time.milliseconds, 1000),
  }),
];
