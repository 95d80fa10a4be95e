import { LosslessNumber, parse, stringify } from 'lossless-json';

/** A number that is sent with exactly these digits. */
export const exact = (text: string): LosslessNumber => new LosslessNumber(text);

/** JSON in which numbers of many digits, or with trailing zeros, stay as they are. */
export function writePracticeJson(value: unknown): string {
  return stringify(value) ?? 'null';
}

/** Reads JSON; numbers that a double would change come as {@link LosslessNumber}. */
export function readJson(text: string): unknown {
  return parse(text, undefined, (digits) =>
    String(Number(digits)) === digits ? Number(digits) : new LosslessNumber(digits),
  );
}

/** Whether a value read by {@link readJson} is a number. */
export function isNumber(value: unknown): value is number | LosslessNumber {
  return typeof value === 'number' || value instanceof LosslessNumber;
}
