import type { RunEvent } from '../../core/events.ts';

/** Of the turns of a loop so many that were slowest are part of an outline, and so many that broke. */
const SLOWEST = 30;
const BROKEN = 30;
/** So many lines of a turn, which may have loops of its own. */
const LINES = 200;

/** Where a line stands in the file of events, its end included, in bytes. */
export type Span = readonly [start: number, end: number];

interface Turn {
  readonly lines: Span[];
  elapsed: number;
}

interface Loop {
  slow: Turn[];
  readonly broken: Turn[];
}

/**
 * The outline of a run: the lines of all that stands in no turn of a loop, and those of the turns that were slowest and that
 * broke. A run of many turns is looked at by it, without reading what all of them have told.
 */
export class Outline {
  readonly #lines: Span[] = [];
  readonly #loops = new Map<string, Loop>();
  /** Turns that have not ended, by their addresses: `fire[7]`. */
  readonly #going = new Map<string, Turn>();

  /** Takes an event, with where its line stands. */
  take(event: RunEvent, line: Span): void {
    if (!('step' in event) || event.step === undefined) {
      this.#lines.push(line);
      return;
    }
    const { step } = event;
    const bracket = step.indexOf('[');
    if (bracket >= 0) {
      const turn = this.#going.get(step.slice(0, step.indexOf(']', bracket) + 1));
      if (turn && turn.lines.length < LINES) turn.lines.push(line);
    } else if (event.event === 'turn-began') {
      if (!this.#loops.has(step)) this.#loops.set(step, { slow: [], broken: [] });
      this.#going.set(`${step}[${event.turn}]`, { lines: [line], elapsed: 0 });
    } else if (event.event === 'turn-ended') {
      const loop = this.#loops.get(step);
      const address = `${step}[${event.turn}]`;
      const turn = this.#going.get(address);
      if (!loop || !turn) return;
      this.#going.delete(address);
      turn.lines.push(line);
      turn.elapsed = event.elapsed;
      if (event.outcome === 'held') keepSlowest(loop, turn);
      else if (loop.broken.length < BROKEN) loop.broken.push(turn);
    } else this.#lines.push(line);
  }

  /** Where its lines stand, in their order. */
  spans(): Span[] {
    const turns = [...this.#loops.values()].flatMap(({ broken, slow }) => [
      ...broken,
      ...slow.sort(slowestFirst).slice(0, SLOWEST),
    ]);
    turns.push(...[...this.#going.values()].slice(0, BROKEN));
    return [...this.#lines, ...turns.flatMap(({ lines }) => lines)].sort(([a], [b]) => a - b);
  }
}

function slowestFirst(a: Turn, b: Turn): number {
  return b.elapsed - a.elapsed;
}

function keepSlowest(loop: Loop, turn: Turn): void {
  loop.slow.push(turn);
  if (loop.slow.length < 4 * SLOWEST) return;
  loop.slow = loop.slow.sort(slowestFirst).slice(0, SLOWEST);
}
