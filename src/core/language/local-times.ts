import { offsetAt } from './dates.ts';

const MINUTE = 60_000;
export const DAY = 86_400_000;

/**
 * The instant, in milliseconds since 1970, at which a clock in a zone shows a local time (given as if it were UTC). Of a time
 * that is shown twice, when clocks go back, the first; one that is left out, when they go forward, is as much later as they
 * went (as `compatible` in RFC 9557's companion, the Temporal proposal).
 */
export function instantOf(local: number, zone: string): number {
  const [before, after] = [offsetAt(local - DAY, zone), offsetAt(local + DAY, zone)].map(
    (one) => one * MINUTE,
  ) as [number, number];
  const first = local - before;
  if (before === after || offsetAt(first, zone) * MINUTE === before) return first;
  const second = local - after;
  return offsetAt(second, zone) * MINUTE === after ? second : first;
}

/** Whether the clocks of a zone show another offset at one instant than at another. */
export function clockChanges(from: number, to: number, zone: string): boolean {
  return offsetAt(from, zone) !== offsetAt(to, zone);
}

/** Parts of a time that calendar arithmetic changes. */
export const SHIFT_UNITS = ['years', 'months', 'weeks', 'days', 'hours', 'minutes', 'seconds'] as const;
export type ShiftUnit = (typeof SHIFT_UNITS)[number];

/**
 * An instant some years, months, weeks and days later (or earlier) by the calendar of a zone, at the same time of day; then
 * hours and less as they pass. A day that the month does not have is its last one.
 */
export function shifted(
  milliseconds: number,
  by: Readonly<Partial<Record<ShiftUnit, number>>>,
  zone: string,
): number {
  const { years = 0, months = 0, weeks = 0, days = 0, hours = 0, minutes = 0, seconds = 0 } = by;
  let at = milliseconds;
  if (years !== 0 || months !== 0 || weeks !== 0 || days !== 0) {
    const local = new Date(milliseconds + offsetAt(milliseconds, zone) * MINUTE);
    const day = local.getUTCDate();
    local.setUTCDate(1);
    local.setUTCMonth(local.getUTCMonth() + years * 12 + months);
    const last = new Date(local);
    last.setUTCMonth(local.getUTCMonth() + 1, 0);
    local.setUTCDate(Math.min(day, last.getUTCDate()) + weeks * 7 + days);
    at = instantOf(local.getTime(), zone);
  }
  return at + ((hours * 60 + minutes) * 60 + seconds) * 1000;
}
