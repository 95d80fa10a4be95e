import { ProblemError, type Problem } from '../problems.ts';
import { formatDate } from './dates.ts';

/** A pattern in the manner of strftime, by its letters. */
const PERCENT: Readonly<Record<string, string>> = {
  Y: 'yyyy',
  y: 'yy',
  m: 'MM',
  d: 'dd',
  H: 'HH',
  I: 'hh',
  M: 'mm',
  S: 'ss',
  f: 'SSS',
  p: 'a',
  a: 'EEE',
  A: 'EEEE',
  b: 'MMM',
  B: 'MMMM',
  z: 'Z',
  F: 'yyyy-MM-dd',
  T: 'HH:mm:ss',
};

/** Of a longer one only what is wrong is said. */
const LONGEST = 100;

/** Letters that other languages use, by those of UTS 35. */
const OTHERS: Readonly<Record<string, string>> = { Y: 'y', D: 'd', A: 'a', k: 'H', n: 'm' };

/**
 * What is wrong with a pattern of date letters ([UTS 35](https://www.unicode.org/reports/tr35/tr35-dates.html#Date_Field_Symbol_Table)),
 * and the pattern that was probably meant; undefined where nothing is.
 */
export function wrongDatePattern(
  pattern: string,
): (Pick<Problem, 'code' | 'message' | 'hint'> & { readonly meant?: string }) | undefined {
  const problem = refusal(pattern);
  if (pattern.length > LONGEST) return problem;
  const bare = pattern.replace(/'[^']*'/g, '');
  const meant = meantBy(pattern);
  const way = meant !== pattern && !refusal(meant) && !swapped(meant) ? { meant } : {};
  if (problem)
    return {
      code: problem.code,
      message: problem.message,
      ...(problem.hint === undefined ? {} : { hint: problem.hint }),
      ...way,
    };
  const letter = swapped(bare);
  return letter === undefined
    ? undefined
    : {
        code: 'date-pattern-invalid',
        message:
          letter === 'm'
            ? 'mm is the minute in a date pattern, and MM the month'
            : 'MM is the month in a date pattern, and mm the minute',
        hint: 'y for the year, M month, d day, H hour, m minute, s second',
        ...way,
      };
}

function refusal(pattern: string): Problem | undefined {
  try {
    formatDate(0, pattern, 'UTC');
    return undefined;
  } catch (error) {
    return error instanceof ProblemError ? error.problem : undefined;
  }
}

/** A minute in the place of a month, or a month in that of a minute. */
function swapped(pattern: string): 'm' | 'M' | undefined {
  const isMonth =
    /y[^A-Za-z]*m|m[^A-Za-z]*y/.test(pattern) ||
    (!/[Hh]/.test(pattern) && /d[^A-Za-z]*m|m[^A-Za-z]*d/.test(pattern));
  if (isMonth && !pattern.includes('M')) return 'm';
  return /[Hh][^A-Za-z]*M/.test(pattern) ? 'M' : undefined;
}

function meantBy(pattern: string): string {
  const letters = pattern.replace(/%([A-Za-z])/g, (all, letter: string) => PERCENT[letter] ?? all);
  return letters
    .split(/('[^']*')/)
    .map((part, i) =>
      i % 2 === 1
        ? part
        : part
            .replace(/[YDAkn]/g, (letter) => OTHERS[letter]!)
            .replace(/(?<=[dy])T(?=[Hh])/g, "'T'")
            .replace(/(?<=[sS])Z$/g, 'X')
            .replace(/([Hh]+[^A-Za-z]*)(M+)/g, (_, hour: string, month: string) => hour + month.toLowerCase())
            .replace(/(?<=[dy][^A-Za-z]*)m+|m+(?=[^A-Za-z]*[dy])/g, (all) => all.replace(/m/g, 'M')),
    )
    .join('');
}
