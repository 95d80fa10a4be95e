import { asWritten } from '../address.ts';
import type { RunEvent } from '../events.ts';

/** So many times of one step are kept, the latest ones: enough for a percentile, however often it is carried out. */
const MOST_TIMES = 10_000;

/** So many ways in which one step failed are told apart. */
const MOST_REASONS = 20;

/** A step over several runs; iterations of a loop count together. */
export interface StepStatistic {
  /** The chain file. */
  readonly file: string;
  /** As the chain is written: `fire[].load`. */
  readonly address: string;
  readonly title: string;
  /** How often it was carried out; skipped ones don't count. */
  readonly times: number;
  readonly failed: number;
  /** Why it failed, the most frequent reason first. */
  readonly reasons: readonly (readonly [reason: string, times: number])[];
  /** Milliseconds. */
  readonly median: number;
  readonly percentile95: number;
}

interface Counted {
  readonly file: string;
  readonly address: string;
  readonly title: string;
  times: number;
  failed: number;
  readonly reasons: Map<string, number>;
  readonly elapsed: number[];
}

/** Counts how steps end, over the events of several runs. */
export class StepStatistics {
  readonly #steps = new Map<string, Counted>();
  readonly #titles = new Map<string, string>();

  /** Takes an event of a run of a chain file. */
  take(file: string, event: RunEvent): void {
    if (event.event === 'step-began') this.#titles.set(`${file} ${asWritten(event.step)}`, event.title);
    if (event.event !== 'step-ended' || event.outcome === 'skipped') return;
    const address = asWritten(event.step);
    const key = `${file} ${address}`;
    let step = this.#steps.get(key);
    if (!step) {
      const title = this.#titles.get(key) ?? address;
      step = { file, address, title, times: 0, failed: 0, reasons: new Map(), elapsed: [] };
      this.#steps.set(key, step);
    }
    step.elapsed[step.times++ % MOST_TIMES] = event.elapsed;
    if (event.outcome === 'passed') return;
    step.failed++;
    const reason = event.problem?.message ?? event.outcome;
    if (step.reasons.has(reason) || step.reasons.size < MOST_REASONS)
      step.reasons.set(reason, (step.reasons.get(reason) ?? 0) + 1);
  }

  /** All steps, in the order in which they first ended. */
  all(): StepStatistic[] {
    return [...this.#steps.values()].map(({ elapsed, reasons, ...step }) => {
      const sorted = elapsed.toSorted((a, b) => a - b);
      return {
        ...step,
        reasons: [...reasons].sort((a, b) => b[1] - a[1]),
        median: rank(sorted, 0.5),
        percentile95: rank(sorted, 0.95),
      };
    });
  }
}

/** The nearest rank: the least value that so large a part of all is not above. */
function rank(sorted: readonly number[], part: number): number {
  return sorted[Math.max(0, Math.ceil(sorted.length * part) - 1)] ?? 0;
}
