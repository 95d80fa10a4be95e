import { fail } from '../problems.ts';
import { boundText } from './limits.ts';
import { absolute, compareNumbers, fullDigits, type Numeric, round } from './numbers.ts';

const PATTERN = /^(#,##0|#?,?0+|#)(?:\.(0*)(#*))?$/;

/**
 * Writes a number by a pattern of digits: as many `0` before the point as digits are there at least, `0` behind it for those
 * that are always there, `#` for those that are there where needed; `#,##0` groups by three. Rounds half to even. Throws
 * `number-pattern-invalid`.
 */
export function formatNumber(number: Numeric, pattern: string): string {
  const [, whole = '', always = '', more = ''] =
    PATTERN.exec(pattern) ??
    fail('number-pattern-invalid', `'${pattern}' is not a number pattern`, {
      hint: "'0.00', '000', '#,##0.00', '0.##'",
    });
  const rounded = round(number, always.length + more.length);
  const isNegative = compareNumbers(rounded, 0) < 0;
  const [digits = '0', fraction = ''] = fullDigits(absolute(rounded)).split('.');
  const least = whole.includes(',') ? 1 : whole.replaceAll('#', '').length;
  boundText(digits.length);
  const padded = digits.padStart(least, '0');
  const grouped = whole.includes(',') ? padded.replace(/\B(?=(?:\d{3})+$)/g, ',') : padded;
  const behind = fraction.padEnd(always.length, '0');
  return `${isNegative ? '-' : ''}${grouped}${behind === '' ? '' : `.${behind}`}`;
}
