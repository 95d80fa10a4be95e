import type { EventOf, RunEvent } from '../../core/events.ts';
import type { RecordedProblem, RunOutcome } from '../../core/record/recorded-run.ts';
import { isUnnamed } from '../../core/record/step-words.ts';

/** What a run came to, in short, for lists of runs. */
export interface RunSummary {
  readonly version: 2;
  readonly run: string;
  readonly chain: string;
  readonly file: string;
  readonly environment?: string;
  /** When it began, in milliseconds since 1970. */
  readonly at: number;
  readonly outcome: RunOutcome;
  readonly exit?: number;
  /** In milliseconds, pauses before it was resumed left out. */
  readonly elapsed: number;
  readonly calls: number;
  /** The address of the step that failed, and why. */
  readonly failed?: string;
  /** What that step does, where it has no name. */
  readonly does?: string;
  readonly problem?: RecordedProblem;
  readonly resumed: number;
  readonly part?: boolean;
  /** `batharon watch` carried it out. */
  readonly watch?: boolean;
  /** Undo or cleanup was left. */
  readonly left?: boolean;
  /** What its folder takes, in bytes. */
  readonly size: number;
}

/** Makes a summary of the events of a run. */
export class Summing {
  #began: EventOf<'run-began'> | undefined;
  #ended: EventOf<'run-ended'> | undefined;
  #failed: EventOf<'step-ended'> | undefined;
  #does: string | undefined;
  /** What the steps without a name that are under way do. */
  readonly #unnamed = new Map<string, string>();
  #calls = 0;
  #resumed = 0;
  #left = false;
  #watch = false;
  #cleaning = false;
  #lastAt = 0;
  #pauses = 0;

  take(event: RunEvent): void {
    switch (event.event) {
      case 'run-began':
        this.#began = event;
        this.#watch ||= event.watch ?? false;
        break;
      case 'run-resumed':
        this.#pauses += event.at - this.#lastAt;
        this.#watch ||= event.watch ?? false;
        this.#cleaning = event.cleanup ?? false;
        if (this.#cleaning) break;
        this.#resumed++;
        this.#ended = this.#failed = undefined;
        this.#left = false;
        break;
      case 'step-began':
        if (isUnnamed(event.step)) this.#unnamed.set(event.step, event.title);
        break;
      case 'request-sent':
        this.#calls++;
        break;
      case 'step-ended':
        if (event.outcome === 'failed' && event.problem && !this.#failed) {
          this.#failed = event;
          this.#does = this.#unnamed.get(event.step);
        }
        this.#unnamed.delete(event.step);
        break;
      case 'undo-left':
        this.#left = true;
        break;
      case 'run-ended':
        if (this.#cleaning && event.exit === 0) this.#left = false;
        else this.#ended = event;
        break;
      default:
    }
    this.#lastAt = event.at;
  }

  /** Nothing where the run never began. */
  summary(size: number): RunSummary | undefined {
    if (!this.#began) return undefined;
    const { at, chain, environment, file, part, run } = this.#began;
    const problem = this.#failed?.problem ?? this.#ended?.problem;
    return {
      version: 2,
      run,
      chain,
      file,
      ...(environment === undefined ? {} : { environment }),
      at,
      outcome: this.#ended?.outcome ?? 'unfinished',
      ...(this.#ended ? { exit: this.#ended.exit } : {}),
      elapsed: Math.max(0, this.#lastAt - at - this.#pauses),
      calls: this.#calls,
      ...(this.#failed ? { failed: this.#failed.step } : {}),
      ...(this.#failed && this.#does !== undefined ? { does: this.#does } : {}),
      ...(problem ? { problem } : {}),
      resumed: this.#resumed,
      ...(part ? { part } : {}),
      ...(this.#watch ? { watch: true } : {}),
      ...(this.#left ? { left: true } : {}),
      size,
    };
  }
}
