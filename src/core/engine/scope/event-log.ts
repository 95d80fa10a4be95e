import type { RunEvent } from '../../events.ts';
import type { Clock } from '../../ports.ts';
import type { WarningCode } from '../../problem-codes.ts';
import { ProblemError } from '../../problems.ts';
import { maskEvent } from '../masking/mask-event.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';
import type { RunOptions } from './run-options.ts';

/** An event before it is stamped. */
export type Emitted = RunEvent extends infer E ? (E extends RunEvent ? Omit<E, 'at'> : never) : never;

/** Sends out the events of a run, masked and stamped. What fails here is noted, and never ends the run. */
export class EventLog {
  readonly #hidden: SecretsOfRun;
  readonly #clock: Clock;
  readonly #options: Pick<RunOptions, 'emit' | 'onDefect'>;
  readonly #warnings = new Set<string>();
  /** When the last event was sent out. */
  #latest = 0;
  hasDefect = false;

  constructor(hidden: SecretsOfRun, clock: Clock, options: Pick<RunOptions, 'emit' | 'onDefect'>) {
    this.#hidden = hidden;
    this.#clock = clock;
    this.#options = options;
  }

  /** Masks an event and sends it out. */
  emit(event: Emitted): void {
    this.#send(event, this.#now());
  }

  /** Sends out an event of another log at its own time; what is known to be secret since then is masked in it too. */
  pass(event: RunEvent): void {
    this.#send(event, event.at);
  }

  /** Sends out an event that is masked as far as this run knows. */
  passMasked(event: RunEvent): void {
    this.#tell(event);
  }

  #send(event: Emitted, at: number): void {
    const masked = maskEvent(event, this.#hidden) as RunEvent;
    masked.at = at;
    this.#tell(masked);
  }

  #tell(event: RunEvent): void {
    try {
      this.#options.emit(event);
    } catch (error) {
      // Whoever looks on is no reason to leave a run where it is.
      this.noteDefect(error);
    }
  }

  /** Something went wrong in the program itself: the run goes on to its end, and fails. */
  noteDefect(error: unknown): void {
    if (error instanceof ProblemError) return;
    this.hasDefect = true;
    this.#options.onDefect?.(error);
  }

  /** Milliseconds on the clock's scale that never jumps. */
  elapsed(): number {
    try {
      return this.#clock.elapsed();
    } catch (error) {
      this.noteDefect(error);
      return 0;
    }
  }

  #now(): number {
    try {
      return (this.#latest = this.#clock.now());
    } catch (error) {
      this.noteDefect(error);
      return this.#latest;
    }
  }

  /** Says something that is no error, once; of the iterations of a loop the first says it for all. */
  warn(
    step: { readonly written: string; readonly address: string } | undefined,
    code: WarningCode,
    message: string,
  ): void {
    if (!this.isNewWarning(step?.written, code, message)) return;
    this.emit({ event: 'warning', ...(step ? { step: step.address } : {}), code, message });
  }

  /** Whether something has not been said yet; from here on it has. */
  isNewWarning(written: string | undefined, code: string, message: string): boolean {
    const key = `${written ?? ''} ${code} ${written?.includes('[]') ? '' : message}`;
    if (this.#warnings.has(key)) return false;
    this.#warnings.add(key);
    return true;
  }
}
