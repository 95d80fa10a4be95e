import type { EventOf, RunEvent } from '../../core/events.ts';
import { FailureKinds } from './failure-kinds.ts';
import { timeWords } from '../terminal/units.ts';
import { pad } from '../terminal/text-width.ts';
import { fit } from '../terminal/text-width.ts';
import { MARK, type SeenStep, type StepLines } from './step-lines.ts';

/** How many of the turns under way are shown, a line each. */
const SHOWN_TURNS = 5;

interface Running {
  readonly item: string | undefined;
  step: string;
  doing: string;
}

/** A loop under way: how far it is, what its turns do, and what broke in them, summed up by kind. */
export class LoopLines {
  readonly #lines: StepLines;
  readonly #step: SeenStep;
  readonly #began: EventOf<'turns-began'>;
  /** As many as go on at once, by their numbers. */
  readonly #running = new Map<number, Running>();
  readonly #failures = new FailureKinds();
  #held = 0;
  #broke = 0;
  #calls = 0;
  #waits = '';

  constructor(lines: StepLines, step: SeenStep, began: EventOf<'turns-began'>) {
    this.#lines = lines;
    this.#step = step;
    this.#began = began;
  }

  /** Takes an event of the loop itself or from inside its turns; `turn` is that of the loop. */
  take(event: RunEvent, turn: number | undefined): void {
    switch (event.event) {
      case 'turn-began':
        if (turn === undefined) this.#running.set(event.turn, { item: event.item, step: '', doing: '' });
        return;
      case 'turn-ended':
        if (turn !== undefined) return;
        this.#running.delete(event.turn);
        if (event.outcome === 'held') this.#held++;
        else if (event.outcome === 'broke') this.#broke++;
        return;
      case 'step-began':
        return this.#does(turn, event.title, '');
      case 'request-sent':
        this.#calls++;
        // What was waited for is over.
        this.#waits = '';
        this.#does(turn, undefined, '');
        return;
      case 'state-seen':
        return this.#does(turn, undefined, event.state);
      case 'page-came':
        return this.#does(turn, undefined, `page ${event.page}`);
      case 'waiting':
        return this.#waiting(event, turn);
      default:
    }
  }

  #does(turn: number | undefined, step: string | undefined, doing: string): void {
    const running = turn === undefined ? undefined : this.#running.get(turn);
    if (!running) return;
    if (step !== undefined) running.step = step;
    running.doing = doing;
  }

  #waiting(event: EventOf<'waiting'>, turn: number | undefined): void {
    const until = untilWords(event);
    if (event.why === 'told') this.#waits = `${event.service ?? 'the service'} says wait, ${until}`;
    else if (event.why === 'pace')
      this.#does(turn, undefined, `in line for ${event.service ?? 'the service'}`);
    else if (event.why === 'retry') this.#does(turn, undefined, `${event.note ?? ''}, again ${until}`);
    else if (event.why === 'call-back') this.#does(turn, undefined, `waits to be called back, ${until}`);
    else this.#does(turn, undefined, `${event.note ?? 'waits'}, again ${until}`);
  }

  /** Takes a step that broke inside a turn. */
  broke(step: SeenStep, ended: EventOf<'step-ended'>, turn: number): void {
    const { of } = this.#began;
    const item = this.#running.get(turn)?.item;
    const which = `, the ${ordinal(turn + 1)}${of === undefined ? ' turn' : ` of ${of} turns`}`;
    this.#failures.add(step, ended, `${which}${item === undefined ? '' : `: ${item}`}`, turn);
  }

  /** The lines while it goes on. */
  progress(): string[] {
    const lines = this.#lines;
    const { atOnce, of } = this.#began;
    const done = this.#held + this.#broke;
    const head = [
      of === undefined ? `${done} turn${done === 1 ? '' : 's'} done` : `${done} of ${of} turns done`,
      ...(this.#broke > 0 ? [`${this.#broke} broke`] : []),
      ...(atOnce > 1 ? [`${this.#running.size} at once`] : []),
      `${this.#calls} calls`,
      ...(this.#waits === '' ? [] : [this.#waits]),
    ].join(' · ');
    const { colours, width } = lines.terminal;
    const all = [...this.#running];
    const shown = all.slice(0, SHOWN_TURNS).map(([turn, { doing, item, step }]) => {
      const text = `${pad(`[${turn}]`, 6)} ${pad(fit(item ?? `turn ${turn}`, 28), 28)} ${pad(fit(step, 16), 16)} ${doing}`;
      return ' '.repeat(MARK) + colours.dim(fit(text.trimEnd(), width - MARK));
    });
    const more = all.length - SHOWN_TURNS;
    return [
      fit(`${lines.paint('waits')}${lines.name(this.#step)} ${head}`, width + 8),
      ...shown,
      ...(more > 0 ? [`${' '.repeat(MARK)}${colours.dim(`and ${more} more`)}`] : []),
    ];
  }

  /** The line that stays, and what broke: the first of each kind in full. */
  end(event: EventOf<'step-ended'>, waited: string): void {
    const lines = this.#lines;
    const { colours, width, wrapWidth } = lines.terminal;
    const { broke = 0, held = 0, left = 0 } = event.turns ?? {};
    const all = held + broke + left;
    const count =
      // A turn that was cut off has neither held nor broken.
      broke + left === 0 && event.outcome !== 'cut off'
        ? `${held} turn${held === 1 ? '' : 's'}`
        : [
            `${held} of ${this.#began.of ?? Math.max(all, held + 1)} turns held`,
            ...(broke > 0 ? [`${broke} broke`] : []),
            ...(left > 0 ? [`${left} not begun`] : []),
          ].join(' · ');
    const tail = [
      ...(this.#calls > 0 ? [`${this.#calls} call${this.#calls === 1 ? '' : 's'}`] : []),
      timeWords(event.elapsed),
      ...(waited === '' ? [] : [waited]),
      ...this.#step.kept,
    ].join(' · ');
    const text = `${lines.paint(event.outcome)}${lines.name(this.#step)} ${count}  ${colours.dim(tail)}`;
    lines.erase();
    lines.terminal.write(`${wrapWidth === Infinity ? text : fit(text, width + 16)}\n`);
    this.#failures.write(lines);
  }
}

/** Until when something waits: a short wait by its length, a longer one by the time of day. */
export function untilWords({ at, for: milliseconds }: EventOf<'waiting'>): string {
  if (milliseconds < 10_000) return `in ${timeWords(milliseconds)}`;
  const until = new Date(at + milliseconds);
  return `until ${until.toTimeString().slice(0, 8)}`;
}

export function ordinal(number: number): string {
  const tens = number % 100;
  const ending = tens > 10 && tens < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][number % 10] ?? 'th');
  return `${number}${ending}`;
}
