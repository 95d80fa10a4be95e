import type { Clock } from '../../ports.ts';

/** How often something may repeat, and for how long: at least one of them bounds it. */
export type Bounds =
  | { readonly times: number; readonly within?: number }
  | { readonly times?: undefined; readonly within: number };

/** What nothing repeats more often than, whatever is set. */
const MOST = 10_000_000;

/**
 * Bounds what repeats: retries, waits that a service asks for, polls, pages, repetitions of steps, sign-ins. Whatever does something again
 * takes each time from one of these first, so that there is nothing without an end.
 */
export class Bound {
  readonly times: number;
  readonly #clock: Clock;
  readonly #ends: number;
  #taken = 0;

  /** `within` is in milliseconds from now. */
  constructor(clock: Clock, { times = MOST, within = Infinity }: Bounds) {
    this.#clock = clock;
    this.times = Math.min(times, MOST);
    this.#ends = clock.elapsed() + within;
  }

  /** Takes one more time; false where there is none left, or the time is up. */
  take(): boolean {
    if (this.#taken >= this.times || this.isLate) return false;
    this.#taken++;
    return true;
  }

  /** Whether it may be taken once more. */
  get mayTake(): boolean {
    return this.#taken < this.times && !this.isLate;
  }

  /** How often it was taken. */
  get taken(): number {
    return this.#taken;
  }

  /** The time is up. */
  get isLate(): boolean {
    return this.#clock.elapsed() >= this.#ends;
  }

  /** How much time is left, in milliseconds. */
  get left(): number {
    return Math.max(0, this.#ends - this.#clock.elapsed());
  }
}
