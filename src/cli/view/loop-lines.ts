import { countOf } from '../../core/count-of.ts';
import type { EventOf, RunEvent } from '../../core/events.ts';
import { progressBar, roughTime, untilWords } from './progress-words.ts';
import { FailureKinds } from './failure-kinds.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import { pad, fit } from '../terminal/text-width.ts';
import type { WorkLines } from './work-lines.ts';
import { MARK, type SeenStep, type StepLines } from './step-lines.ts';

/** How many of the iterations under way are shown, a line each. */
const SHOWN_ITERATIONS = 5;

interface Running {
  readonly item: string | undefined;
  step: string;
  doing: string;
  /** How far a loop inside of it is. */
  within: string;
}

/** A loop under way: how far it is, what its iterations do, and what failed in them, summed up by kind. */
export class LoopLines {
  readonly #lines: StepLines;
  readonly #step: SeenStep;
  readonly #began: EventOf<'loop-began'>;
  readonly #work: WorkLines;
  /** How many iterations loops inside of iterations have, by their addresses. */
  readonly #inner = new Map<string, number>();
  /** As many as go on at once, by their numbers. */
  readonly #running = new Map<number, Running>();
  readonly #failures = new FailureKinds();
  #passed = 0;
  #failed = 0;
  #calls = 0;
  #waits = '';
  /** How much of a file of rows has been read, from 0 to 1. */
  #share: number | undefined;
  /** When the last event was, in milliseconds since 1970. */
  #now = 0;

  constructor(lines: StepLines, step: SeenStep, began: EventOf<'loop-began'>, work: WorkLines) {
    this.#work = work;
    this.#lines = lines;
    this.#step = step;
    this.#began = began;
  }

  /** Takes an event of the loop itself or from inside its iterations; `iteration` is that of the loop. */
  take(event: RunEvent, iteration: number | undefined): void {
    this.#now = event.at;
    switch (event.event) {
      case 'loop-began':
        // One inside of an iteration.
        if (iteration !== undefined && event.of !== undefined) this.#inner.set(event.step, event.of);
        return;
      case 'iteration-began':
        if (iteration !== undefined) return this.#within(event, iteration);
        this.#share = event.share ?? this.#share;
        this.#running.set(event.iteration, {
          item: event.title ?? event.item,
          step: '',
          doing: '',
          within: '',
        });
        return;
      case 'iteration-ended':
        if (iteration !== undefined) return;
        this.#running.delete(event.iteration);
        for (const address of this.#inner.keys())
          if (address.startsWith(`${event.step}[${event.iteration}]`)) this.#inner.delete(address);
        if (event.outcome === 'passed') this.#passed++;
        else if (event.outcome === 'failed' || event.outcome === 'accepted') this.#failed++;
        return;
      case 'step-began':
        return this.#does(iteration, event.title, '');
      case 'request-sent':
        this.#calls++;
        // What was waited for is over.
        this.#waits = '';
        this.#does(iteration, undefined, '');
        return;
      case 'state-seen':
        return this.#does(iteration, undefined, event.state);
      case 'page-received':
        return this.#does(iteration, undefined, `page ${event.page}`);
      case 'item-received':
        return this.#does(iteration, undefined, countOf(event.nth, 'item'));
      case 'transferred':
        return this.#does(iteration, undefined, shareWords(event));
      case 'waiting':
        return this.#waiting(event, iteration);
      default:
    }
  }

  #within({ iteration: nth, step }: EventOf<'iteration-began'>, iteration: number): void {
    const running = this.#running.get(iteration);
    if (!running) return;
    const of = this.#inner.get(step);
    const name = step.slice(step.lastIndexOf('.') + 1);
    running.within = `${name} ${nth + 1}${of === undefined ? '' : ` of ${of}`}`;
  }

  #does(iteration: number | undefined, step: string | undefined, doing: string): void {
    const running = iteration === undefined ? undefined : this.#running.get(iteration);
    if (!running) return;
    if (step !== undefined) running.step = step;
    running.doing = doing;
  }

  #waiting(event: EventOf<'waiting'>, iteration: number | undefined): void {
    const until = untilWords(event);
    if (event.why === 'retry-after') this.#waits = `${event.service ?? 'the service'} says wait, ${until}`;
    else if (event.why === 'pace')
      this.#does(iteration, undefined, `in line for ${event.service ?? 'the service'}`);
    else if (event.why === 'retry') this.#does(iteration, undefined, `${event.note ?? ''}, again ${until}`);
    else if (event.why === 'callback') this.#does(iteration, undefined, `waits for the callback, ${until}`);
    else this.#does(iteration, undefined, `${event.note ?? 'waits'}, again ${until}`);
  }

  /** Takes a step that failed inside an iteration. */
  failed(step: SeenStep, ended: EventOf<'step-ended'>, iteration: number): void {
    const { of } = this.#began;
    const item = this.#running.get(iteration)?.item;
    const which = `, the ${ordinal(iteration + 1)}${of === undefined ? ' iteration' : ` of ${of} iterations`}`;
    this.#failures.add(step, ended, `${which}${item === undefined ? '' : `: ${item}`}`, iteration);
  }

  /** How far it is, in a line for a log. */
  soFar(): string {
    return [`${this.#step.began.title}: ${this.#head(false)}`, ...this.#work.words].join(' · ');
  }

  #head(withBar: boolean): string {
    const { atOnce, of } = this.#began;
    const done = this.#passed + this.#failed;
    const bar = (share: number, whole: number): string => (withBar ? `${progressBar(share, whole)} ` : '');
    return [
      of !== undefined
        ? `${bar(done, of)}${done} of ${of} done`
        : this.#share === undefined
          ? `${countOf(done, 'iteration')} done`
          : `${bar(this.#share, 1)}${countOf(done, 'iteration')} done`,
      ...this.#left(done),
      ...(this.#failed > 0 ? [`${this.#failed} failed`] : []),
      ...(atOnce > 1 ? [`${this.#running.size} at once`] : []),
      `${this.#calls} calls`,
      ...(this.#waits === '' ? [] : [this.#waits]),
    ].join(' · ');
  }

  /** The lines while it goes on. */
  progress(): string[] {
    const lines = this.#lines;
    const head = this.#head(true);
    const work = this.#work.words;
    const { colours, width } = lines.terminal;
    const all = [...this.#running];
    const shown = all.slice(0, SHOWN_ITERATIONS).map(([iteration, { doing, item, step, within }]) => {
      const text = `${pad(`[${iteration}]`, 6)} ${pad(fit(item ?? `iteration ${iteration}`, 28), 28)} ${pad(fit(step, 16), 16)} ${[within, doing].filter((part) => part !== '').join(' · ')}`;
      return ' '.repeat(MARK) + colours.dim(fit(text.trimEnd(), width - MARK));
    });
    const more = all.length - SHOWN_ITERATIONS;
    return [
      fit(`${lines.paint('waits')}${lines.name(this.#step)} ${head}`, width),
      ...(work.length > 0 ? [' '.repeat(MARK) + fit(work.join(' · '), width - MARK)] : []),
      ...shown,
      ...(more > 0 ? [`${' '.repeat(MARK)}${colours.dim(`and ${more} more`)}`] : []),
    ];
  }

  /** How long it probably goes on, by how long it has taken so far; once that says something. */
  #left(done: number): string[] {
    const { at, of } = this.#began;
    const taken = this.#now - at;
    const share = of === undefined ? this.#share : done / of;
    if (share === undefined || share <= 0 || share >= 1 || done < 3 || taken < 2000) return [];
    return [`about ${roughTime((taken / share) * (1 - share))} left`];
  }

  /** The line that stays, and what failed: the first of each kind in full. */
  end(event: EventOf<'step-ended'>, waited: string): void {
    const lines = this.#lines;
    const { colours, width, wrapWidth } = lines.terminal;
    const { failed = 0, passed = 0, notBegun = 0 } = event.iterations ?? {};
    const all = passed + failed + notBegun;
    const count =
      // An iteration that was interrupted has neither passed nor broken.
      failed + notBegun === 0 && event.outcome !== 'interrupted'
        ? countOf(passed, 'iteration')
        : [
            `${passed} of ${this.#began.of ?? Math.max(all, passed + 1)} iterations passed`,
            ...(failed > 0 ? [`${failed} failed`] : []),
            ...(notBegun > 0 ? [`${notBegun} not begun`] : []),
          ].join(' · ');
    const tail = [
      ...(this.#calls > 0 ? [countOf(this.#calls, 'call')] : []),
      timeWords(event.elapsed),
      ...(waited === '' ? [] : [waited]),
      ...this.#step.kept,
    ].join(' · ');
    const text = `${lines.paint(event.outcome)}${lines.name(this.#step)} ${count}  ${colours.dim(tail)}`;
    lines.erase();
    lines.terminal.write(`${wrapWidth === Infinity ? text : fit(text, width)}\n`);
    this.#failures.write(lines);
  }
}

/** How much of a body has been sent or has come. */
function shareWords({ bytes, direction, of }: EventOf<'transferred'>): string {
  return `${sizeWords(bytes)}${of === undefined ? '' : ` of ${sizeWords(of)}`} ${direction}`;
}

export function ordinal(number: number): string {
  const tens = number % 100;
  const ending = tens > 10 && tens < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][number % 10] ?? 'th');
  return `${number}${ending}`;
}
