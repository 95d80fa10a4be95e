import type { WireResponse } from '../../ports.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import type { Interruption } from '../time/interruption.ts';

/** One request that may go. */
export interface Passage {
  /** It goes out on its connection: the service sees it from now on, whenever it has begun. */
  sent(): void;
  /** It has ended, with a response or without; `wasSent` says whether it went out. */
  leave(response: WireResponse | undefined, wasSent: boolean): void;
}

/** A request that waits. */
export interface Waiter {
  /** How long it waits at most because the service says so, in milliseconds. */
  readonly patience: number;
  readonly interruption: Interruption;
  readonly go: (passage: Passage) => void;
  readonly refuse: (reason: Error) => void;
}

/** Requests that wait for a service, in the order in which they came. Whoever is interrupted leaves it. */
export class Line {
  readonly #waiters: Waiter[] = [];

  get length(): number {
    return this.#waiters.length;
  }

  /**
   * Waits until it is let go; `again` lets a repeated request go first. `left` is called where it leaves because the run was interrupted.
   * Rejects with why it was refused or interrupted.
   */
  join(
    patience: number,
    interruption: Interruption,
    again: boolean,
    left: () => void = () => undefined,
  ): Promise<Passage> {
    return new Promise((resolve, reject) => {
      const stop = (reason: Error): void => {
        const place = this.#waiters.indexOf(waiter);
        // It may have been taken out to wait elsewhere.
        if (place >= 0) this.#waiters.splice(place, 1);
        left();
        reject(reason);
      };
      const settled =
        <T>(settle: (value: T) => void) =>
        (value: T): void => {
          interruption.delete(stop);
          settle(value);
        };
      const waiter: Waiter = { patience, interruption, go: settled(resolve), refuse: settled(reject) };
      if (again) this.#waiters.unshift(waiter);
      else this.#waiters.push(waiter);
      interruption.add(stop);
    });
  }

  /** Takes the first one out. */
  shift(): Waiter | undefined {
    return this.#waiters.shift();
  }

  /** Takes all out from a place on. */
  takeFrom(place: number): Waiter[] {
    return this.#waiters.splice(place);
  }

  /** Refuses all that may not wait for so many milliseconds, with what is wrong for their patience. */
  refuseImpatient(wait: number, problemOf: (patience: number) => Problem): void {
    for (const waiter of [...this.#waiters]) {
      if (wait <= waiter.patience) continue;
      this.#waiters.splice(this.#waiters.indexOf(waiter), 1);
      waiter.refuse(new ProblemError(problemOf(waiter.patience)));
    }
  }
}
