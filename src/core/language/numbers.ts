import { fail } from '../problems.ts';

/**
 * A number that a JavaScript number would damage: beyond 2^53, with trailing zeros, with more digits than a double keeps.
 * It is the decimal that its text denotes, and it is passed on with that text.
 */
export class Exact {
  // Private, so that no path finds it as a member.
  readonly #text: string;
  /** The same as a scaled integer, once that was asked for; null where it does not fit. */
  #scaled: Scaled | null | undefined;

  constructor(text: string) {
    this.#text = text;
  }

  get text(): string {
    return this.#text;
  }

  /** The number as a scaled integer; null where it does not fit. */
  get scaled(): Scaled | null {
    return (this.#scaled ??= this.#scaled === undefined ? scaledText(this.#text) : null);
  }

  /** The platform's serialiser would write an object here, or lose digits. */
  toJSON(): never {
    throw new TypeError('An exact number is written by writeJson, not by JSON.stringify.');
  }
}

/** A number of the language: a JavaScript number where that keeps its text, otherwise {@link Exact}. */
export type Numeric = number | Exact;

/**
 * coefficient / 10^scale in doubles, for decimals of at most 15 digits: each has a double of its own that is written with
 * those digits again (IEEE 754, section 5.12.2), and the quotient of two integers that a double holds is that double.
 */
interface Scaled {
  readonly coefficient: number;
  readonly scale: number;
}

/** Below this an integer has at most 15 digits. */
const FIFTEEN_DIGITS = 1e15;

/** Larger scales are left to the exact way. */
const MAXIMUM_SCALE = 9;

const POWERS = Array.from({ length: 2 * MAXIMUM_SCALE + 1 }, (_, i) => 10 ** i);

function scaledText(text: string): Scaled | null {
  if (text.length > 17) return null;
  const point = text.indexOf('.');
  const scale = point < 0 ? 0 : text.length - point - 1;
  if (scale > MAXIMUM_SCALE || /e/i.test(text)) return null;
  const coefficient = Number(point < 0 ? text : text.slice(0, point) + text.slice(point + 1));
  return Math.abs(coefficient) < FIFTEEN_DIGITS ? { coefficient, scale } : null;
}

function scaledNumber(number: number): Scaled | null {
  if (Number.isInteger(number))
    return Math.abs(number) < FIFTEEN_DIGITS ? { coefficient: number, scale: 0 } : null;
  // Smaller ones are written with an exponent.
  if (!(Math.abs(number) >= 1e-6 && Math.abs(number) < FIFTEEN_DIGITS)) return null;
  for (let scale = 1; scale <= MAXIMUM_SCALE; scale++) {
    const coefficient = Math.round(number * POWERS[scale]!);
    if (Math.abs(coefficient) >= FIFTEEN_DIGITS) return null;
    if (coefficient / POWERS[scale]! === number) return { coefficient, scale };
  }
  return null;
}

const scaledOf = (number: Numeric): Scaled | null =>
  typeof number === 'number' ? scaledNumber(number) : number.scaled;

/** The number that a scaled integer is; undefined where a double would not be written with its digits. */
function fromScaled(coefficient: number, scale: number): number | undefined {
  if (coefficient === 0) return 0;
  let [digits, places] = [coefficient, scale];
  while (places > 0 && digits % 10 === 0) {
    digits /= 10;
    places--;
  }
  if (Math.abs(digits) >= FIFTEEN_DIGITS) return undefined;
  const number = digits / POWERS[places]!;
  return Math.abs(number) >= 1e-6 ? number : undefined;
}

/** The most digits that arithmetic works with. */
export const MAXIMUM_DIGITS = 1000;

/** The digits to which a quotient is rounded. */
const QUOTIENT_DIGITS = 34;

const JSON_NUMBER = /^-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?$/;

/** Whether a text is a number as JSON writes it (RFC 8259, section 6). */
export function isNumberText(text: string): boolean {
  return JSON_NUMBER.test(text);
}

/** The number that a text in JSON's notation denotes. */
export function numberOf(text: string): Numeric {
  const plain = Number(text);
  return String(plain) === text ? plain : new Exact(text);
}

/** The text with which a number came, or was computed. */
export function numberText(number: Numeric): string {
  return typeof number === 'number' ? String(number) : number.text;
}

/** A decimal without leading or trailing zeros: sign × 0.DIGITS × 10^magnitude. Zero has no digits. */
interface Normal {
  readonly negative: boolean;
  readonly digits: string;
  readonly magnitude: number;
}

function normalise(text: string): Normal {
  const [, sign, whole = '', fraction = '', exponent = '0'] =
    /^(-?)([0-9]+)(?:\.([0-9]+))?(?:[eE]([+-]?[0-9]+))?$/.exec(text)!;
  const all = whole + fraction;
  const digits = all.replace(/^0+/, '');
  if (digits === '') return { negative: false, digits: '', magnitude: 0 };
  if (exponent.replace(/^[+-]?0*/, '').length > 12) {
    fail('number-too-long', `the exponent of ${shortened(text)} is too large to compute with`);
  }
  const magnitude = whole.length + Number(exponent) - (all.length - digits.length);
  return { negative: sign === '-', digits: digits.replace(/0+$/, ''), magnitude };
}

function shortened(text: string): string {
  return text.length > 40 ? `${text.slice(0, 37)}…` : text;
}

/** A double that no other number has that is compared like this; undefined where a double would lose digits. */
function doubleOf(number: Numeric): number | undefined {
  if (typeof number === 'number') return number;
  const { scaled } = number;
  return scaled ? scaled.coefficient / POWERS[scaled.scale]! : undefined;
}

/** Compares by value: -1, 0 or 1. 1.10 equals 1.1, and -0 equals 0. */
export function compareNumbers(a: Numeric, b: Numeric): number {
  const [x, y] = [doubleOf(a), doubleOf(b)];
  if (x !== undefined && y !== undefined) return x < y ? -1 : x > y ? 1 : 0;
  const left = normalise(numberText(a));
  const right = normalise(numberText(b));
  const leftSign = left.digits === '' ? 0 : left.negative ? -1 : 1;
  const rightSign = right.digits === '' ? 0 : right.negative ? -1 : 1;
  if (leftSign !== rightSign) return leftSign < rightSign ? -1 : 1;
  if (leftSign === 0) return 0;
  if (left.magnitude !== right.magnitude) return left.magnitude < right.magnitude ? -leftSign : leftSign;
  if (left.digits === right.digits) return 0;
  // Both begin with a digit that is not 0 and stand for 0.DIGITS, so the order of the texts is that of the numbers.
  return left.digits < right.digits ? -leftSign : leftSign;
}

/** coefficient × 10^exponent */
interface Decimal {
  readonly coefficient: bigint;
  readonly exponent: number;
  /** It came with an exponent, so what is computed of it may be written with one. */
  readonly scientific?: boolean;
}

function decimalOf(number: Numeric): Decimal {
  const text = numberText(number);
  const { negative, digits, magnitude } = normalise(text);
  if (digits.length > MAXIMUM_DIGITS) tooLong(digits.length);
  const coefficient = BigInt(digits === '' ? 0 : digits);
  return {
    coefficient: negative ? -coefficient : coefficient,
    exponent: digits === '' ? 0 : magnitude - digits.length,
    scientific: /e/i.test(text),
  };
}

function tooLong(digits: number): never {
  fail('number-too-long', `this needs a number of ${digits} digits; the bound is ${MAXIMUM_DIGITS}`);
}

function fromDecimal({ coefficient, exponent, scientific }: Decimal): Numeric {
  const negative = coefficient < 0n;
  let digits = (negative ? -coefficient : coefficient).toString();
  if (digits === '0') return 0;
  const kept = digits.replace(/0+$/, '');
  let power = exponent + digits.length - kept.length;
  digits = kept;
  if (digits.length > MAXIMUM_DIGITS) tooLong(digits.length);
  const point = digits.length + power;
  let text: string;
  if ((scientific || Math.abs(point) > MAXIMUM_DIGITS) && (point > 21 || point < -6)) {
    power = point - 1;
    text = digits[0]! + (digits.length > 1 ? `.${digits.slice(1)}` : '') + `e${power < 0 ? '' : '+'}${power}`;
  } else if (point <= 0) {
    text = `0.${'0'.repeat(-point)}${digits}`;
  } else if (point >= digits.length) {
    text = digits + '0'.repeat(point - digits.length);
  } else {
    text = `${digits.slice(0, point)}.${digits.slice(point)}`;
  }
  return numberOf(negative ? `-${text}` : text);
}

/** A number of which neither side came with an exponent is written in all its digits. */
function either(a: Decimal, b: Decimal): boolean {
  return (a.scientific ?? false) || (b.scientific ?? false);
}

/** The digits of a number, never with an exponent. Throws `number-too-long`. */
export function fullDigits(number: Numeric): string {
  const { coefficient, exponent } = decimalOf(number);
  if (Math.abs(exponent) > MAXIMUM_DIGITS) tooLong(Math.abs(exponent));
  return numberText(fromDecimal({ coefficient, exponent }));
}

function align(a: Decimal, b: Decimal): [bigint, bigint, number] {
  const exponent = Math.min(a.exponent, b.exponent);
  const wider = Math.max(a.exponent, b.exponent) - exponent;
  if (wider > MAXIMUM_DIGITS * 2) tooLong(wider);
  return [
    a.coefficient * 10n ** BigInt(a.exponent - exponent),
    b.coefficient * 10n ** BigInt(b.exponent - exponent),
    exponent,
  ];
}

const bothWhole = (a: Numeric, b: Numeric): boolean => Number.isSafeInteger(a) && Number.isSafeInteger(b);

function addScaled(a: Scaled | null, b: Scaled | null): number | undefined {
  if (!a || !b) return undefined;
  const scale = Math.max(a.scale, b.scale);
  const left = a.coefficient * POWERS[scale - a.scale]!;
  const right = b.coefficient * POWERS[scale - b.scale]!;
  const sum = left + right;
  return Number.isSafeInteger(left) && Number.isSafeInteger(right) && Number.isSafeInteger(sum)
    ? fromScaled(sum, scale)
    : undefined;
}

export function add(a: Numeric, b: Numeric): Numeric {
  if (bothWhole(a, b)) {
    const sum = (a as number) + (b as number);
    if (Number.isSafeInteger(sum)) return sum;
  }
  const sum = addScaled(scaledOf(a), scaledOf(b));
  if (sum !== undefined) return sum;
  const [first, second] = [decimalOf(a), decimalOf(b)];
  const [left, right, exponent] = align(first, second);
  return fromDecimal({ coefficient: left + right, exponent, scientific: either(first, second) });
}

export function negate(a: Numeric): Numeric {
  if (typeof a === 'number') return a === 0 ? 0 : -a;
  return numberOf(a.text.startsWith('-') ? a.text.slice(1) : `-${a.text}`);
}

export function subtract(a: Numeric, b: Numeric): Numeric {
  return add(a, negate(b));
}

export function multiply(a: Numeric, b: Numeric): Numeric {
  if (bothWhole(a, b)) {
    const product = (a as number) * (b as number);
    if (Number.isSafeInteger(product)) return product === 0 ? 0 : product;
  }
  const [small, other] = [scaledOf(a), scaledOf(b)];
  if (small && other) {
    const product = small.coefficient * other.coefficient;
    const fitting = Number.isSafeInteger(product)
      ? fromScaled(product, small.scale + other.scale)
      : undefined;
    if (fitting !== undefined) return fitting;
  }
  const left = decimalOf(a);
  const right = decimalOf(b);
  return fromDecimal({
    coefficient: left.coefficient * right.coefficient,
    exponent: left.exponent + right.exponent,
    scientific: either(left, right),
  });
}

/** The quotient, exact where it has at most 34 digits, otherwise rounded half-even to them. */
export function divide(a: Numeric, b: Numeric): Numeric {
  const left = decimalOf(a);
  const right = decimalOf(b);
  if (right.coefficient === 0n) fail('division-by-zero', 'division by zero');
  if (left.coefficient === 0n) return 0;
  const length = (value: bigint): number => (value < 0n ? -value : value).toString().length;
  // Enough digits that the quotient has at least 34 and one more to round by.
  const shift = Math.max(0, QUOTIENT_DIGITS + 2 + length(right.coefficient) - length(left.coefficient));
  const scaled = left.coefficient * 10n ** BigInt(shift);
  const quotient = scaled / right.coefficient;
  const exact = quotient * right.coefficient === scaled;
  const exponent = left.exponent - right.exponent - shift;
  const surplus = length(quotient) - QUOTIENT_DIGITS;
  const scientific = either(left, right);
  if (surplus <= 0) return fromDecimal({ coefficient: quotient, exponent, scientific });
  return fromDecimal({
    coefficient: roundOff(quotient, surplus, exact),
    exponent: exponent + surplus,
    scientific,
  });
}

/** Drops `surplus` digits, half to even; `exact` says that nothing was lost below them before. */
function roundOff(value: bigint, surplus: number, exact: boolean): bigint {
  const negative = value < 0n;
  const magnitude = negative ? -value : value;
  const unit = 10n ** BigInt(surplus);
  const rest = magnitude % unit;
  let kept = magnitude / unit;
  const twice = rest * 2n;
  if (twice > unit || (twice === unit && (!exact || kept % 2n === 1n))) kept += 1n;
  return negative ? -kept : kept;
}

/** The rest of a division whose quotient is cut to a whole number; it has the sign of `a`. */
export function remainder(a: Numeric, b: Numeric): Numeric {
  const [left, right, exponent] = align(decimalOf(a), decimalOf(b));
  if (right === 0n) fail('division-by-zero', 'division by zero');
  return fromDecimal({ coefficient: left % right, exponent });
}

export function absolute(a: Numeric): Numeric {
  return compareNumbers(a, 0) < 0 ? negate(a) : a;
}

/** Rounds half to even, to so many digits after the point; a negative count rounds before it. */
export function round(a: Numeric, digits: number): Numeric {
  if (Math.abs(digits) > MAXIMUM_DIGITS) tooLong(Math.abs(digits));
  const { coefficient, exponent } = decimalOf(a);
  const surplus = -digits - exponent;
  if (surplus <= 0) return fromDecimal({ coefficient, exponent });
  if (surplus > MAXIMUM_DIGITS * 2) return 0;
  return fromDecimal({ coefficient: roundOff(coefficient, surplus, true), exponent: exponent + surplus });
}

/** The largest whole number that is not above `a`. */
export function floor(a: Numeric): Numeric {
  const { coefficient, exponent } = decimalOf(a);
  if (exponent >= 0) return a;
  if (-exponent > MAXIMUM_DIGITS * 2) return coefficient < 0n ? -1 : 0;
  const unit = 10n ** BigInt(-exponent);
  const cut = coefficient / unit;
  return fromDecimal({
    coefficient: coefficient < 0n && cut * unit !== coefficient ? cut - 1n : cut,
    exponent: 0,
  });
}

/** A whole number as a JavaScript number; undefined if it is none, or beyond 2^53. */
export function wholeNumber(a: Numeric): number | undefined {
  const plain = typeof a === 'number' ? a : Number(a.text);
  if (!Number.isSafeInteger(plain)) return undefined;
  return typeof a === 'number' || compareNumbers(a, plain) === 0 ? plain : undefined;
}

/** The nearest JavaScript number, for milliseconds and the like where a double's precision is meant. */
export function approximately(a: Numeric): number {
  return typeof a === 'number' ? a : Number(a.text);
}
