import { fail } from '../../problems.ts';
import { shorten } from '../show.ts';
import { formatDate, isZone } from '../dates.ts';
import { NUMBER, TEXT, TIME } from '../kinds.ts';
import { approximately, divide } from '../numbers.ts';
import { Time } from '../values.ts';
import { define, optional, takes } from './define.ts';

const family = 'time';

const RFC_3339 = /^(\d{4})-(\d\d)-(\d\d)(?:[Tt ](\d\d):(\d\d):(\d\d)(\.\d+)?([Zz]|[+-]\d\d:\d\d))?$/;
const HTTP_DATE =
  /^(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun), \d\d (?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) \d{4} \d\d:\d\d:\d\d GMT$/;

/** The instant that a text names: RFC 3339, a date alone (midnight UTC), or the date of HTTP (RFC 9110, 5.6.7). */
export function readTime(text: string): Time | undefined {
  if (HTTP_DATE.test(text)) return new Time(Date.parse(text));
  const found = RFC_3339.exec(text);
  if (!found) return undefined;
  const [, year, month, day, hour = '00', minute = '00', second = '00', fraction = '', offset = 'Z'] = found;
  const leap = second === '60';
  const zone = offset === 'z' ? 'Z' : offset;
  const stamp = Date.parse(
    `${year!}-${month!}-${day!}T${hour}:${minute}:${leap ? '59' : second}${fraction.slice(0, 4)}${zone}`,
  );
  const calendar = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day)));
  if (Number.isNaN(stamp) || calendar.getUTCDate() !== Number(day)) return undefined;
  return new Time(stamp + (leap ? 1000 : 0));
}

function zoneOr(zone: string | undefined, usual: string): string {
  if (zone !== undefined && !isZone(zone)) {
    fail('unknown-zone', `there is no time zone '${zone}'`, {
      instead: "a name of the IANA list, such as 'Europe/Lisbon', or 'UTC'",
    });
  }
  return zone ?? usual;
}

export const timeFunctions = [
  define(family, 'now', {
    about: 'The current time; the same throughout one request.',
    parameters: [],
    gives: TIME,
    examples: [["now() > time('2020-01-01')", 'true']],
    evaluate: (_, { world }) => new Time(world.now()),
  }),
  define(family, 'time', {
    about:
      "The time that a text names (RFC 3339, a date, or an HTTP date), or that a number counts in seconds since 1970, with 'ms' in milliseconds.",
    parameters: [takes.textOrNumber('value'), optional(takes.text('unit', { literal: { oneOf: ['ms'] } }))],
    gives: TIME,
    examples: [
      ["time('2024-12-10T08:00:00+01:00')", '"2024-12-10T07:00:00Z"'],
      ['time(1733814000)', '"2024-12-10T07:00:00Z"'],
    ],
    evaluate: ([value, unit]) => {
      if (unit !== undefined && unit !== 'ms')
        fail('wrong-kind', `a time has no unit '${unit}'`, { instead: "'ms', or none for seconds" });
      if (typeof value === 'string') {
        return (
          readTime(value.trim()) ??
          fail('not-a-time', `'${shorten(value, 60)}' is not a time`, {
            instead: '2024-12-10T08:00:00Z, 2024-12-10, or Tue, 10 Dec 2024 08:00:00 GMT',
          })
        );
      }
      const milliseconds = Math.round(approximately(value) * (unit === 'ms' ? 1 : 1000));
      if (Math.abs(milliseconds) > 8.64e15) {
        fail('not-a-time', 'this number is too large for a time', {
          instead: "time(x, 'ms') for milliseconds",
        });
      }
      return new Time(milliseconds);
    },
  }),
  define(family, 'date', {
    about:
      'The date of a time as text, such as 2024-12-10, in a zone (that of the project if none is given).',
    parameters: [takes.time('time'), optional(takes.text('zone', { literal: 'zone' }))],
    gives: TEXT,
    examples: [["date(time('2024-12-10T23:30:00Z'), 'Europe/Berlin')", '"2024-12-11"']],
    evaluate: ([time, zone], { world }) =>
      formatDate(time.milliseconds, 'yyyy-MM-dd', zoneOr(zone, world.zone)),
  }),
  define(family, 'format', {
    about:
      'A time as text, by a pattern of Unicode date letters (yyyy MM dd HH mm ss SSS EEE MMM XXX …), in a zone.',
    parameters: [
      takes.time('time'),
      takes.text('pattern', { literal: 'date-pattern' }),
      optional(takes.text('zone', { literal: 'zone' })),
    ],
    gives: TEXT,
    examples: [
      ["format(time('2024-12-10T07:05:00Z'), 'EEE d MMM, HH:mm')", '"Tue 10 Dec, 07:05"'],
      ["format(time('2024-12-10T07:05:00Z'), \"yyyyMMdd'T'HHmmssX\")", '"20241210T070500Z"'],
    ],
    evaluate: ([time, pattern, zone], { world }) =>
      formatDate(time.milliseconds, pattern, zoneOr(zone, world.zone)),
  }),
  define(family, 'epoch', {
    about: 'The seconds since 1970-01-01T00:00:00Z; milliseconds are its fraction.',
    parameters: [takes.time('time')],
    gives: NUMBER,
    examples: [["epoch(time('2024-12-10T07:00:00Z'))", '1733814000']],
    evaluate: ([time]) => divide(time.milliseconds, 1000),
  }),
];
