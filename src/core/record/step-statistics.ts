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
  /** The run in which it failed first. */
  readonly firstFailed?: string;
  /** Medians of the earlier and of the later half of its times, where it has become much slower. */
  readonly slower?: { readonly before: number; readonly after: number };
}

interface Counted {
  readonly file: string;
  readonly address: string;
  readonly title: string;
  times: number;
  failed: number;
  firstFailed?: string;
  readonly reasons: Map<string, number>;
  readonly elapsed: number[];
}

/** Counts how steps end, over the events of several runs. */
export class StepStatistics {
  readonly #steps = new Map<string, Counted>();
  readonly #titles = new Map<string, string>();

  /** Takes an event of a run of a chain file; the earlier run first. */
  take({ file, run }: { readonly file: string; readonly run: string }, event: RunEvent): void {
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
    step.firstFailed ??= run;
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
        ...slowerIn(elapsed, step.times % MOST_TIMES),
      };
    });
  }
}

/** So many times a half has at least, or chance could make it slower. */
const LEAST_IN_HALF = 5;

/** Whether the later half of some times, of which the oldest stands at a place, is slower by half and more. */
function slowerIn(elapsed: readonly number[], oldest: number): Pick<StepStatistic, 'slower'> {
  const inOrder =
    elapsed.length < MOST_TIMES ? elapsed : [...elapsed.slice(oldest), ...elapsed.slice(0, oldest)];
  const half = Math.floor(inOrder.length / 2);
  if (half < LEAST_IN_HALF) return {};
  const median = (part: readonly number[]): number =>
    rank(
      part.toSorted((a, b) => a - b),
      0.5,
    );
  const [before, after] = [median(inOrder.slice(0, half)), median(inOrder.slice(-half))];
  return after >= before * 1.5 && after - before >= 20 ? { slower: { before, after } } : {};
}

/** The nearest rank: the least value that so large a part of all is not above. */
function rank(sorted: readonly number[], part: number): number {
  return sorted[Math.max(0, Math.ceil(sorted.length * part) - 1)] ?? 0;
}
