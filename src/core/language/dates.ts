import { nearest } from './nearest.ts';
import { fail } from '../problems.ts';

export const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
export const MONTHS = [
  ...['January', 'February', 'March', 'April', 'May', 'June'],
  ...['July', 'August', 'September', 'October', 'November', 'December'],
];

interface LocalTime {
  readonly year: number;
  readonly month: number;
  readonly day: number;
  readonly hour: number;
  readonly minute: number;
  readonly second: number;
  readonly millisecond: number;
  readonly weekday: number;
  /** Minutes east of UTC. */
  readonly offset: number;
  readonly zone: string;
}

const formats = new Map<string, Intl.DateTimeFormat | undefined>();

function formatOf(zone: string): Intl.DateTimeFormat | undefined {
  if (!formats.has(zone)) {
    try {
      formats.set(
        zone,
        new Intl.DateTimeFormat('en-US', {
          timeZone: zone,
          hourCycle: 'h23',
          era: 'short',
          year: 'numeric',
          month: 'numeric',
          day: 'numeric',
          hour: 'numeric',
          minute: 'numeric',
          second: 'numeric',
        }),
      );
    } catch {
      formats.set(zone, undefined);
    }
  }
  return formats.get(zone);
}

/** Whether a name is a time zone of the IANA list, or UTC. */
/** The IANA zone that is most like a misspelt one: the same city, or the nearest name. */
export function nearestZone(zone: string): string | undefined {
  const zones = Intl.supportedValuesOf('timeZone');
  const city = zone.toLowerCase().replaceAll(' ', '_');
  return zones.find((one) => one.toLowerCase().endsWith(`/${city}`)) ?? nearest(zone, zones);
}

export function isZone(zone: string): boolean {
  return zone === 'UTC' || formatOf(zone) !== undefined;
}

/** The most frequent zone, for which the platform's slow tables are not needed. */
function utcTime(milliseconds: number): LocalTime {
  const date = new Date(milliseconds);
  return {
    year: date.getUTCFullYear(),
    month: date.getUTCMonth() + 1,
    day: date.getUTCDate(),
    hour: date.getUTCHours(),
    minute: date.getUTCMinutes(),
    second: date.getUTCSeconds(),
    millisecond: date.getUTCMilliseconds(),
    weekday: date.getUTCDay(),
    offset: 0,
    zone: 'UTC',
  };
}

function localTime(milliseconds: number, zone: string): LocalTime {
  if (zone === 'UTC') return utcTime(milliseconds);
  const format = formatOf(zone) ?? fail('unknown-zone', `unknown time zone '${zone}'`);
  const parts = new Map(format.formatToParts(milliseconds).map(({ type, value }) => [type, value]));
  const part = (type: Intl.DateTimeFormatPartTypes): number => Number(parts.get(type));
  const year = parts.get('era') === 'BC' ? 1 - part('year') : part('year');
  const [month, day, hour, minute, second] = [
    part('month'),
    part('day'),
    part('hour'),
    part('minute'),
    part('second'),
  ];
  const millisecond = ((milliseconds % 1000) + 1000) % 1000;
  const asUtc = new Date(0);
  asUtc.setUTCFullYear(year, month - 1, day);
  asUtc.setUTCHours(hour, minute, second, millisecond);
  const offset = Math.round((asUtc.getTime() - milliseconds) / 60_000);
  return { year, month, day, hour, minute, second, millisecond, weekday: asUtc.getUTCDay(), offset, zone };
}

/** By how many minutes the clocks of a zone are before UTC at an instant. Throws `unknown-zone`. */
export function offsetAt(milliseconds: number, zone: string): number {
  return zone === 'UTC' ? 0 : localTime(milliseconds, zone).offset;
}

const pad = (value: number, width: number): string => String(Math.abs(value)).padStart(width, '0');

function offsetText(offset: number, colon: boolean, zForZero: boolean, minutes: boolean): string {
  if (offset === 0 && zForZero) return 'Z';
  const sign = offset < 0 ? '-' : '+';
  const hours = pad(Math.floor(Math.abs(offset) / 60), 2);
  const rest = Math.abs(offset) % 60;
  return sign + hours + (minutes || rest !== 0 ? (colon ? ':' : '') + pad(rest, 2) : '');
}

/** The letters of Unicode Technical Standard 35 that are understood; the text English. */
const FIELDS: Readonly<Record<string, (time: LocalTime, width: number) => string>> = {
  y: ({ year }, width) => (width === 2 ? pad(year % 100, 2) : (year < 0 ? '-' : '') + pad(year, width)),
  M: ({ month }, width) =>
    width <= 2
      ? pad(month, width)
      : width === 3
        ? MONTHS[month - 1]!.slice(0, 3)
        : width === 5
          ? MONTHS[month - 1]![0]!
          : MONTHS[month - 1]!,
  d: ({ day }, width) => pad(day, width),
  E: ({ weekday }, width) =>
    width <= 3 ? DAYS[weekday]!.slice(0, 3) : width === 5 ? DAYS[weekday]![0]! : DAYS[weekday]!,
  a: ({ hour }) => (hour < 12 ? 'AM' : 'PM'),
  H: ({ hour }, width) => pad(hour, width),
  h: ({ hour }, width) => pad(hour % 12 === 0 ? 12 : hour % 12, width),
  m: ({ minute }, width) => pad(minute, width),
  s: ({ second }, width) => pad(second, width),
  S: ({ millisecond }, width) => pad(millisecond, 3).padEnd(width, '0').slice(0, width),
  X: ({ offset }, width) => offsetText(offset, width === 3, true, width > 1),
  x: ({ offset }, width) => offsetText(offset, width === 3, false, width > 1),
  Z: ({ offset }) => offsetText(offset, false, false, true),
  V: ({ zone }) => zone,
};

const TOKEN = /'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']+|'/gy;

/**
 * Writes an instant by a pattern of Unicode date letters (UTS 35); quoted parts stand for themselves.
 * Throws `date-pattern-invalid` or `unknown-zone`.
 */
export function formatDate(milliseconds: number, pattern: string, zone: string): string {
  const time = localTime(milliseconds, zone);
  let text = '';
  for (const [token, quoted, letter] of pattern.matchAll(TOKEN)) {
    if (letter !== undefined) text += FIELDS[checkedLetter(letter)]!(time, token.length);
    else if (quoted !== undefined) text += quoted === '' ? "'" : quoted.replaceAll("''", "'");
    else if (token === "'")
      fail('date-pattern-invalid', `the date pattern ${pattern} has a quote that is not closed`);
    else text += token;
  }
  return text;
}

function checkedLetter(letter: string): string {
  if (letter in FIELDS) return letter;
  const likely = {
    Y: 'y for the year',
    D: 'd for the day',
    u: 'y for the year',
    k: 'H for the hour',
    n: 'm for the minute',
  }[letter];
  return fail('date-pattern-invalid', `the letter ${letter} has no meaning in a date pattern`, {
    hint: likely ?? `${Object.keys(FIELDS).join(' ')}; put other letters in single quotes`,
  });
}
