import type { Clock } from '../core/ports.ts';

/** A clock on which nobody waits: the next timer goes off as soon as nothing else is to be done. */
export class HurriedClock implements Clock {
  readonly #began: number;
  #passed = 0;
  #timers: { readonly at: number; readonly callback: () => void }[] = [];
  #scheduled = false;

  /** `began` is in milliseconds since 1970. */
  constructor(began: number) {
    this.#began = began;
  }

  now(): number {
    return this.#began + this.#passed;
  }

  elapsed(): number {
    return this.#passed;
  }

  timer(milliseconds: number, callback: () => void): () => void {
    const timer = { at: this.#passed + milliseconds, callback };
    this.#timers.push(timer);
    this.#schedule();
    return () => {
      this.#timers = this.#timers.filter((other) => other !== timer);
    };
  }

  #schedule(): void {
    if (this.#scheduled) return;
    this.#scheduled = true;
    setImmediate(() => {
      this.#scheduled = false;
      this.#timers.sort((a, b) => a.at - b.at);
      const next = this.#timers.shift();
      if (!next) return;
      this.#passed = Math.max(this.#passed, next.at);
      next.callback();
      if (this.#timers.length > 0) this.#schedule();
    });
  }
}
