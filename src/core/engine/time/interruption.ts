import type { Clock } from '../../ports.ts';
import { type Problem, ProblemError } from '../../problems.ts';

/**
 * Tells many that the person interrupts the run, through one listener on its signal: adding and removing a listener for
 * each request would cost more than all else about its time limits.
 */
export class Interruption {
  readonly signal: AbortSignal;
  readonly #callbacks = new Set<(reason: Error) => void>();

  /** That of a signal: many runs of one command have the same, and each listener would stay until its end. */
  static of(signal: AbortSignal): Interruption {
    let known = KNOWN.get(signal);
    if (!known) KNOWN.set(signal, (known = new Interruption(signal)));
    return known;
  }

  private constructor(signal: AbortSignal) {
    this.signal = signal;
    signal.addEventListener('abort', () => {
      for (const callback of this.#callbacks) callback(signal.reason as Error);
      this.#callbacks.clear();
    });
  }

  /** Calls back once when the run is interrupted, at once where it is so already. */
  add(callback: (reason: Error) => void): void {
    if (this.signal.aborted) callback(this.signal.reason as Error);
    else this.#callbacks.add(callback);
  }

  delete(callback: (reason: Error) => void): void {
    this.#callbacks.delete(callback);
  }
}

const KNOWN = new WeakMap<AbortSignal, Interruption>();

/** Why a run was interrupted. */
export function interrupted(signal: AbortSignal): Problem {
  const { reason } = signal as { reason: unknown };
  return reason instanceof ProblemError
    ? reason.problem
    : { code: 'interrupted', message: 'the run was interrupted' };
}

/** Waits for so many milliseconds on a clock; rejects early, with the signal's reason, when the run is interrupted. */
export function sleep(clock: Clock, interruption: Interruption, milliseconds: number): Promise<void> {
  return new Promise<void>((resolve, reject) => {
    const stop = (reason: Error): void => {
      cancel();
      reject(reason);
    };
    const cancel = clock.timer(milliseconds, () => {
      interruption.delete(stop);
      resolve();
    });
    interruption.add(stop);
  });
}
