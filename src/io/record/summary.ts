import type { EventOf, RunEvent } from '../../core/events.ts';
import type { RecordedProblem, RunOutcome } from '../../core/record/recorded-run.ts';

/** What a run came to, in short, for lists of runs. */
export interface RunSummary {
  readonly version: 1;
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
  /** The address of the step that broke, and why. */
  readonly broke?: string;
  readonly problem?: RecordedProblem;
  readonly resumed: number;
  readonly part?: boolean;
  /** Undo or cleanup was left. */
  readonly left?: boolean;
  /** What its folder takes, in bytes. */
  readonly size: number;
}

/** Makes a summary of the events of a run. */
export class Summing {
  #began: EventOf<'run-began'> | undefined;
  #ended: EventOf<'run-ended'> | undefined;
  #broke: EventOf<'step-ended'> | undefined;
  #calls = 0;
  #resumed = 0;
  #left = false;
  #cleaning = false;
  #lastAt = 0;
  #pauses = 0;

  take(event: RunEvent): void {
    switch (event.event) {
      case 'run-began':
        this.#began = event;
        break;
      case 'run-resumed':
        this.#pauses += event.at - this.#lastAt;
        this.#cleaning = event.cleanup ?? false;
        if (this.#cleaning) break;
        this.#resumed++;
        this.#ended = this.#broke = undefined;
        this.#left = false;
        break;
      case 'request-sent':
        this.#calls++;
        break;
      case 'step-ended':
        if (event.outcome === 'broke' && event.problem) this.#broke ??= event;
        break;
      case 'left':
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
    const problem = this.#broke?.problem ?? this.#ended?.problem;
    return {
      version: 1,
      run,
      chain,
      file,
      ...(environment === undefined ? {} : { environment }),
      at,
      outcome: this.#ended?.outcome ?? 'unfinished',
      ...(this.#ended ? { exit: this.#ended.exit } : {}),
      elapsed: Math.max(0, this.#lastAt - at - this.#pauses),
      calls: this.#calls,
      ...(this.#broke ? { broke: this.#broke.step } : {}),
      ...(problem ? { problem } : {}),
      resumed: this.#resumed,
      ...(part ? { part } : {}),
      ...(this.#left ? { left: true } : {}),
      size,
    };
  }
}
