import type { Pause } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { durationOf } from './settings.ts';

/** The waits between requests or iterations, in milliseconds: always the same, or doubling up to a most. */
export class Pausing {
  readonly #most: number;
  #next: number;

  constructor({ least, most }: Pause, environment: Environment) {
    this.#next = durationOf(least, environment);
    this.#most = Math.max(most ?? this.#next, this.#next);
  }

  next(): number {
    const wait = this.#next;
    this.#next = Math.min(this.#most, Math.max(wait * 2, 1));
    return wait;
  }
}
