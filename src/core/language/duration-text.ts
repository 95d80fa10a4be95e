import type { Duration } from './values.ts';

/** A duration as people write it and the language reads it: 1h30m, 2.5s, 40ms. What is less than a microsecond is rounded. */
export function durationText({ milliseconds }: Duration): string {
  const all = Number(Math.abs(milliseconds).toFixed(3));
  const sign = milliseconds < 0 ? '-' : '';
  if (all < 1000) return `${sign}${all}ms`;
  const hours = Math.floor(all / 3_600_000);
  const minutes = Math.floor(all / 60_000) % 60;
  const seconds = Number(((all % 60_000) / 1000).toFixed(6));
  return sign + (hours ? `${hours}h` : '') + (minutes ? `${minutes}m` : '') + (seconds ? `${seconds}s` : '');
}
