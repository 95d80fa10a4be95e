import type { Clock } from '../../ports.ts';

/** Something with a time limit. */
export interface Watched {
  /** Looks whether its limit is reached; returns when to look again, in milliseconds of the clock. */
  look(now: number): number;
}

/** One timer for the limits of all requests of a run: one for each would cost more than all else about them. */
export class Watchdog {
  readonly #clock: Clock;
  readonly #watched = new Set<Watched>();
  #due = Infinity;
  #cancel: (() => void) | undefined;

  constructor(clock: Clock) {
    this.#clock = clock;
  }

  /** Looks after something, the first time at `due` (milliseconds of the clock). */
  add(watched: Watched, due: number): void {
    this.#watched.add(watched);
    if (due < this.#due) this.#wake(due);
  }

  /** What has ended is looked after no more; the timer stays, since the next request comes soon. */
  delete(watched: Watched): void {
    this.#watched.delete(watched);
  }

  #wake(due: number): void {
    this.#cancel?.();
    this.#due = due;
    this.#cancel = due === Infinity ? undefined : this.#clock.timer(due - this.#clock.elapsed(), this.#look);
  }

  readonly #look = (): void => {
    this.#cancel = undefined;
    const now = this.#clock.elapsed();
    let due = Infinity;
    for (const watched of this.#watched) due = Math.min(due, watched.look(now));
    this.#wake(due);
  };

  /** The run has ended. */
  close(): void {
    this.#watched.clear();
    this.#wake(Infinity);
  }
}
