import type { RunEvent } from '../../core/events.ts';

/** Of the iterations of a loop so many that were slowest are part of an outline, and so many that failed. */
const SLOWEST = 30;
const BROKEN = 30;
/** So many lines of an iteration, which may have loops of its own. */
const LINES = 200;

/** Where a line stands in the file of events, its end included, in bytes. */
export type ByteSpan = readonly [start: number, end: number];

interface Iteration {
  readonly lines: ByteSpan[];
  elapsed: number;
}

interface Loop {
  slow: Iteration[];
  readonly broken: Iteration[];
}

/**
 * The outline of a run: the lines of all that stands in no iteration of a loop, and those of the iterations that were slowest and that
 * failed. A run of many iterations is looked at by it, without reading what all of them have told.
 */
export class Outline {
  readonly #lines: ByteSpan[] = [];
  readonly #loops = new Map<string, Loop>();
  /** Iterations that have not ended, by their addresses: `fire[7]`. */
  readonly #going = new Map<string, Iteration>();

  /** Takes an event, with where its line stands. */
  take(event: RunEvent, line: ByteSpan): void {
    if (!('step' in event) || event.step === undefined) {
      this.#lines.push(line);
      return;
    }
    const { step } = event;
    const bracket = step.indexOf('[');
    if (bracket >= 0) {
      const iteration = this.#going.get(step.slice(0, step.indexOf(']', bracket) + 1));
      if (iteration && iteration.lines.length < LINES) iteration.lines.push(line);
    } else if (event.event === 'iteration-began') {
      if (!this.#loops.has(step)) this.#loops.set(step, { slow: [], broken: [] });
      this.#going.set(`${step}[${event.iteration}]`, { lines: [line], elapsed: 0 });
    } else if (event.event === 'iteration-ended') {
      const loop = this.#loops.get(step);
      const address = `${step}[${event.iteration}]`;
      const iteration = this.#going.get(address);
      if (!loop || !iteration) return;
      this.#going.delete(address);
      iteration.lines.push(line);
      iteration.elapsed = event.elapsed;
      if (event.outcome === 'passed') keepSlowest(loop, iteration);
      else if (loop.broken.length < BROKEN) loop.broken.push(iteration);
    } else this.#lines.push(line);
  }

  /** Where its lines stand, in their order. */
  spans(): ByteSpan[] {
    const iterations = [...this.#loops.values()].flatMap(({ broken, slow }) => [
      ...broken,
      ...slow.sort(slowestFirst).slice(0, SLOWEST),
    ]);
    iterations.push(...[...this.#going.values()].slice(0, BROKEN));
    return [...this.#lines, ...iterations.flatMap(({ lines }) => lines)].sort(([a], [b]) => a - b);
  }
}

function slowestFirst(a: Iteration, b: Iteration): number {
  return b.elapsed - a.elapsed;
}

function keepSlowest(loop: Loop, iteration: Iteration): void {
  loop.slow.push(iteration);
  if (loop.slow.length < 4 * SLOWEST) return;
  loop.slow = loop.slow.sort(slowestFirst).slice(0, SLOWEST);
}
