import { fail } from '../problems.ts';
import { DAYS, MONTHS } from './dates.ts';
import { instantOf } from './local-times.ts';

interface Fields {
  year?: number;
  month?: number;
  day?: number;
  hour?: number;
  minute?: number;
  second?: number;
  millisecond?: number;
  afternoon?: boolean;
  /** Minutes east of UTC. */
  offset?: number;
}

const TOKEN = /'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']+|'/gy;

/**
 * Reads a text by a pattern of Unicode date letters (UTS 35, as `format` writes): the instant in milliseconds since 1970;
 * undefined where the text has another form. Without an offset it is a time in `zone`, without a time midnight. Throws
 * `date-pattern-invalid`.
 */
export function readDate(text: string, pattern: string, zone: string): number | undefined {
  const fields: Fields = {};
  let at = 0;
  const match = (expression: string): string | undefined => {
    const found = new RegExp(expression, 'iy');
    found.lastIndex = at;
    const [whole] = found.exec(text) ?? [];
    if (whole !== undefined) at += whole.length;
    return whole;
  };
  for (const [token, quoted, letter] of pattern.matchAll(TOKEN)) {
    if (letter === undefined) {
      const literal = quoted === undefined ? token : quoted === '' ? "'" : quoted.replaceAll("''", "'");
      if (!text.startsWith(literal, at)) return undefined;
      at += literal.length;
    } else if (!readField(fields, letter, token.length, match)) return undefined;
  }
  return at === text.length ? instant(fields, zone) : undefined;
}

function readField(
  fields: Fields,
  letter: string,
  width: number,
  match: (expression: string) => string | undefined,
): boolean {
  const number = (most: number): number | undefined => {
    const digits = match(width === 1 ? `\\d{1,${most}}` : `\\d{${width}}`);
    return digits === undefined ? undefined : Number(digits);
  };
  const set = (name: keyof Fields, value: number | undefined): boolean => {
    if (value === undefined) return false;
    (fields as Record<string, number>)[name] = value;
    return true;
  };
  switch (letter) {
    case 'y': {
      const digits = match(width === 2 ? '\\d{2}' : '\\d{4}');
      // Two digits are those of 1970 to 2069, as POSIX has it.
      return set(
        'year',
        digits === undefined
          ? undefined
          : width === 2
            ? Number(digits) + (Number(digits) < 70 ? 2000 : 1900)
            : Number(digits),
      );
    }
    case 'M':
      return width <= 2 ? set('month', number(2)) : set('month', named(match, MONTHS, width));
    case 'E':
      return named(match, DAYS, width) !== undefined;
    case 'd':
      return set('day', number(2));
    case 'H':
    case 'h':
      return set('hour', number(2));
    case 'm':
      return set('minute', number(2));
    case 's':
      return set('second', number(2));
    case 'S': {
      const digits = match(`\\d{${width}}`);
      return set('millisecond', digits === undefined ? undefined : Math.floor(Number(`0.${digits}`) * 1000));
    }
    case 'a': {
      const word = match('[ap]\\.?m\\.?');
      if (word === undefined) return false;
      fields.afternoon = /^p/i.test(word);
      return true;
    }
    case 'X':
    case 'x':
    case 'Z': {
      const written = match('Z|[+-]\\d\\d(?::?\\d\\d)?');
      if (written === undefined) return false;
      const [, sign = '+', hours = '0', minutes = '0'] = /^([+-])(\d\d):?(\d\d)?$/.exec(written) ?? [];
      return set('offset', (sign === '-' ? -1 : 1) * (Number(hours) * 60 + Number(minutes)));
    }
    default:
      return fail('date-pattern-invalid', `the letter ${letter} can't be read in a date`, {
        hint: 'y M d E H h a m s S X x Z; put other letters in single quotes',
      });
  }
}

/** The number, from 1, of the name that stands there, short or in full. */
function named(
  match: (expression: string) => string | undefined,
  names: readonly string[],
  width: number,
): number | undefined {
  const shown = names.map((name) => (width === 3 ? name.slice(0, 3) : name));
  const found = match(shown.join('|'))?.toLowerCase();
  const index = shown.findIndex((name) => name.toLowerCase() === found);
  return index < 0 ? undefined : index + 1;
}

function instant(fields: Fields, zone: string): number | undefined {
  const { year, month = 1, day = 1, minute = 0, second = 0, millisecond = 0, afternoon, offset } = fields;
  let { hour = 0 } = fields;
  if (afternoon !== undefined) {
    if (hour < 1 || hour > 12) return undefined;
    hour = (hour % 12) + (afternoon ? 12 : 0);
  }
  if (year === undefined || hour > 23 || minute > 59 || second > 59) return undefined;
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, day);
  // 31 February is no day.
  if (date.getUTCMonth() !== month - 1 || date.getUTCDate() !== day) return undefined;
  date.setUTCHours(hour, minute, second, millisecond);
  return offset === undefined ? instantOf(date.getTime(), zone) : date.getTime() - offset * 60_000;
}
