import type { RunEvent } from '../../core/events.ts';

/** Of the turns of a loop so many that were slowest are part of an outline, and so many that broke. */
const SLOWEST = 30;
const BROKEN = 30;
/** So many lines of a turn, which may have loops of its own. */
const LINES = 200;

/** A line with its place among all. */
type Line = readonly [place: number, line: string];

interface Turn {
  readonly lines: Line[];
  elapsed: number;
}

interface Loop {
  readonly going: Map<string, Turn>;
  slow: Turn[];
  readonly broken: Turn[];
}

/**
 * The outline of a run: the lines of all that stands in no turn of a loop, and those of the turns that were slowest and that
 * broke. A run of many turns is looked at by it, without reading what all of them have told.
 */
export class Outline {
  readonly #lines: Line[] = [];
  #place = 0;
  readonly #loops = new Map<string, Loop>();

  /** Takes an event with its line in the record. */
  take(event: RunEvent, text: string): void {
    const line: Line = [this.#place++, text];
    if (!('step' in event) || event.step === undefined) {
      this.#lines.push(line);
      return;
    }
    const { step } = event;
    const bracket = step.indexOf('[');
    if (bracket >= 0) {
      const turn = this.#loops
        .get(step.slice(0, bracket))
        ?.going.get(step.slice(bracket + 1, step.indexOf(']', bracket)));
      if (turn && turn.lines.length < LINES) turn.lines.push(line);
    } else if (event.event === 'turn-began') {
      let loop = this.#loops.get(step);
      if (!loop) this.#loops.set(step, (loop = { going: new Map(), slow: [], broken: [] }));
      loop.going.set(String(event.turn), { lines: [line], elapsed: 0 });
    } else if (event.event === 'turn-ended') {
      const loop = this.#loops.get(step);
      const turn = loop?.going.get(String(event.turn));
      if (!loop || !turn) return;
      loop.going.delete(String(event.turn));
      turn.lines.push(line);
      turn.elapsed = event.elapsed;
      if (event.outcome === 'held') keepSlowest(loop, turn);
      else if (loop.broken.length < BROKEN) loop.broken.push(turn);
    } else this.#lines.push(line);
  }

  /** Its lines, in their order. */
  text(): string {
    const turns = [...this.#loops.values()].flatMap(({ broken, going, slow }) => [
      ...broken,
      ...[...going.values()].slice(0, BROKEN),
      ...slow.sort(slowestFirst).slice(0, SLOWEST),
    ]);
    return [...this.#lines, ...turns.flatMap(({ lines }) => lines)]
      .sort(([a], [b]) => a - b)
      .map(([, line]) => `${line}\n`)
      .join('');
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
