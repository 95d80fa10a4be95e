import { countOf } from '../../core/count-of.ts';
import {
  type RecordedRun,
  type RecordedStep,
  type RecordedIteration,
  iterationCounts,
} from '../../core/record/recorded-run.ts';
import { nameOfStep } from '../../api/open-run.ts';
import { DRAWN, elapsedOf, endOf, type Stretch, stretchesOf, stretchesOfIteration } from './stretches.ts';
import { StepLines } from './step-lines.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';
import { padStart, pad, fit, widthOf } from '../terminal/text-width.ts';

/** A request that takes little of the time that a cell stands for. */
const SHORT = '▏';
const ORDER: readonly (keyof typeof DRAWN)[] = ['step', 'wait', 'pace', 'retry-after', 'request', 'broken'];

interface Row {
  readonly mark: string;
  readonly name: string;
  readonly about: string;
  readonly time: number | undefined;
  readonly stretches: readonly Stretch[];
  readonly dim?: boolean;
}

/** Of a loop so many iterations are shown, and of a step so many of its requests. */
const SHOWN_ITERATIONS = 3;
const SHOWN_BROKEN = 5;
const SHOWN_UNDO = 3;
const SHOWN_REQUESTS = 6;

/** Draws the steps of a run, each a row with a bar on a common scale. */
export class Timeline {
  readonly #terminal: Terminal;
  readonly #lines: StepLines;
  readonly #iterations: number;
  #from = 0;
  #to = 1;
  /** When the run ended, for what in it did not. */
  #end = 0;
  #used = new Set<keyof typeof DRAWN>();

  /** `iterations` says how many iterations of a loop are shown at most. */
  constructor(terminal: Terminal, iterations = SHOWN_ITERATIONS) {
    this.#terminal = terminal;
    this.#lines = new StepLines(terminal);
    this.#iterations = iterations;
  }

  run(run: RecordedRun): void {
    this.#end = run.elapsed;
    const rows = run.steps.flatMap((step) => this.#step(step, 0));
    if (run.undo.length > 0) rows.push({ mark: '', name: 'undo', about: '', time: undefined, stretches: [] });
    rows.push(...run.undo.slice(0, SHOWN_UNDO).flatMap((step) => this.#step(step, 1)));
    if (run.undo.length > SHOWN_UNDO) rows.push(more(1, `and ${run.undo.length - SHOWN_UNDO} more steps`));
    if (run.cleanup.length > 0)
      rows.push({ mark: '', name: 'cleanup', about: '', time: undefined, stretches: [] });
    rows.push(...run.cleanup.flatMap((step) => this.#step(step, 1)));
    this.#draw(rows);
  }

  /** Some steps of a run alone, on a scale of their own. */
  steps(steps: readonly RecordedStep[]): void {
    this.#draw(steps.flatMap((step) => this.#step(step, 0)));
  }

  #step(step: RecordedStep, depth: number): Row[] {
    const { began, outcome, elapsed } = step;
    const last = step.attempts.at(-1);
    const status = last?.response ? String(last.response.status) : '';
    const count = step.attempts.length;
    const about = [
      ...(count > 1 ? [`${count} requests`] : []),
      status,
      step.states ?? '',
      ...(step.iterationsBegan ? [iterationWords(step)] : []),
      ...(outcome === 'skipped' ? [step.reason ?? ''] : []),
    ]
      .filter((text) => text !== '')
      .join(' · ');
    const isOuter = began.type === 'group' || began.type === 'follow';
    const own: Row = {
      mark: outcome ?? 'interrupted',
      // What an unnamed call has asked for says more than how it is written.
      name:
        '  '.repeat(depth) +
        signInWords(step) +
        (nameOfStep(step) ?? (last ? `${last.sent.method} ${last.sent.written}` : began.title)),
      about,
      time:
        outcome === 'skipped'
          ? undefined
          : outcome === undefined
            ? endOf(step, this.#end) - step.from
            : elapsed,
      stretches: outcome === 'skipped' ? [] : stretchesOf(step, endOf(step, this.#end)),
    };
    return [
      own,
      // In a call stands what signed in for it.
      ...(isOuter || began.type === 'call'
        ? step.steps.flatMap((inner) => this.#step(inner, depth + 1))
        : []),
      ...this.#requests(step, depth + 1),
      ...this.#iterationRows(step, depth + 1),
    ];
  }

  /** The requests of a step that had several: the first, those that failed, the slowest, and the last. */
  #requests({ attempts }: RecordedStep, depth: number): Row[] {
    if (attempts.length < 2) return [];
    const failed = attempts.filter(
      ({ response, failed: why }) => why ?? (response && response.status >= 400),
    );
    const slowest = [...attempts].sort((a, b) => elapsedOf(b) - elapsedOf(a));
    const wanted = new Set(
      attempts.length <= SHOWN_REQUESTS
        ? attempts
        : [attempts[0]!, attempts.at(-1)!, ...failed.slice(0, 3), ...slowest].slice(0, SHOWN_REQUESTS),
    );
    const rows = attempts
      .map((attempt, i) => ({ attempt, i }))
      .filter(({ attempt }) => wanted.has(attempt))
      .map(({ attempt, i }): Row => {
        const { response, failed: why, from, sent } = attempt;
        const broken = why !== undefined || (response !== undefined && response.status >= 400);
        const to = from + elapsedOf(attempt);
        const pace = sent.delayed ?? 0;
        return {
          mark: '',
          name: `${'  '.repeat(depth)}${sent.page === undefined ? `attempt ${i + 1}` : `page ${sent.page}`}`,
          about: response ? String(response.status) : (why?.problem.code ?? 'no response'),
          time: elapsedOf(attempt),
          stretches: [
            ...(pace > 0 ? [{ from: from - pace, to: from, as: 'pace' as const }] : []),
            { from, to, as: broken ? ('broken' as const) : ('request' as const) },
          ],
          dim: true,
        };
      });
    const hidden = attempts.length - rows.length;
    return hidden > 0 ? [...rows, more(depth, `and ${hidden} more requests`)] : rows;
  }

  /** Of a loop the iterations that failed, and the slowest of the others. */
  #iterationRows(step: RecordedStep, depth: number): Row[] {
    const { iterations, iterationsBegan } = step;
    if (!iterationsBegan) return [];
    const broken = iterations.filter(
      ({ outcome }) => outcome === 'failed' || outcome === 'interrupted' || outcome === undefined,
    );
    const others = iterations
      .filter((iteration) => !broken.includes(iteration))
      .sort((a, b) => b.elapsed - a.elapsed);
    const shown = new Set<RecordedIteration>([
      ...broken.slice(0, Math.max(SHOWN_BROKEN, this.#iterations)),
      ...others.slice(0, this.#iterations),
    ]);
    const rows = iterations
      .filter((iteration) => shown.has(iteration))
      .sort((a, b) => a.iteration - b.iteration)
      .flatMap((iteration): Row[] => {
        const isFailed = broken.includes(iteration);
        // Its steps passed, and then what it gathers failed, or whether it was the last one.
        const atEnd = iteration.failed === `${step.address}[${iteration.iteration}]`;
        const failed = iteration.steps.find(({ address }) => address === iteration.failed);
        const at = atEnd
          ? 'its end'
          : failed
            ? (nameOfStep(failed) ?? failed.began.title)
            : iteration.failed?.replace(/^.*\]\./, '');
        return [
          {
            mark: '',
            name: `${'  '.repeat(depth)}[${iteration.iteration}] ${iteration.title ?? iteration.item ?? ''}`.trimEnd(),
            about: isFailed
              ? `${iteration.outcome ?? 'interrupted'}${at === undefined ? '' : ` at ${at}`}`
              : iterations.length > 1
                ? rank(others.indexOf(iteration))
                : '',
            time: endOf(iteration, this.#end) - iteration.from,
            stretches: stretchesOfIteration(iteration, this.#end),
            dim: !isFailed,
          },
        ];
      });
    const { all, failed } = iterationCounts(step);
    const hiddenFailed = failed - broken.filter((iteration) => shown.has(iteration)).length;
    const hidden = all - rows.length;
    if (hidden <= 0) return rows;
    return [
      ...rows,
      more(
        depth,
        `and ${hidden} more iterations${hiddenFailed > 0 ? `, ${hiddenFailed} of them broken` : ''}`,
      ),
    ];
  }

  #draw(rows: readonly Row[]): void {
    const { colours, width, wrapWidth } = this.#terminal;
    const all = rows.flatMap(({ stretches }) => stretches);
    this.#from = all.length === 0 ? 0 : all.reduce((least, { from }) => Math.min(least, from), Infinity);
    this.#to = all.reduce((most, { to }) => Math.max(most, to), this.#from + 1);
    const named = rows.filter(({ stretches }) => stretches.length > 0);
    const nameWidth = Math.min(34, Math.max(16, ...named.map(({ name }) => widthOf(name))));
    const aboutWidth = Math.min(30, Math.max(4, ...rows.map(({ about }) => widthOf(about))));
    const bar = Math.max(20, (wrapWidth === Infinity ? 120 : width) - 8 - nameWidth - aboutWidth - 9 - 5);
    const indent = 8 + nameWidth + 1 + aboutWidth + 1 + 9 + 2;
    this.#terminal.write(`${' '.repeat(indent)}${colours.dim(scale(this.#to - this.#from, bar))}\n`);
    for (const { about, dim, mark, name, stretches, time } of rows) {
      if (about === '' && time === undefined && stretches.length === 0) {
        this.#terminal.write(`${this.#lines.paint(mark)}${dim ? colours.dim(name) : name}\n`);
        continue;
      }
      const text = `${pad(fit(name, nameWidth), nameWidth)} ${pad(fit(about, aboutWidth), aboutWidth)} ${padStart(time === undefined ? '' : timeWords(time), 9)}  `;
      this.#terminal.write(
        `${this.#lines.paint(mark)}${dim ? colours.dim(text) : text}${this.#bar(stretches, bar)}`.trimEnd() +
          '\n',
      );
    }
    this.#legend();
  }

  #bar(stretches: readonly Stretch[], columns: number): string {
    const { colours } = this.#terminal;
    const unit = (this.#to - this.#from) / columns;
    // How much of each cell each kind takes, from 0 to 1: what takes most of it is drawn.
    const shares = Array.from({ length: columns }, () => new Map<keyof typeof DRAWN, number>());
    for (const { as, from, to } of stretches) {
      this.#used.add(as);
      const first = Math.max(0, Math.min(columns - 1, Math.floor((from - this.#from) / unit)));
      const last = Math.max(first, Math.min(columns - 1, Math.ceil((to - this.#from) / unit) - 1));
      for (let i = first; i <= last; i++) {
        const edge = this.#from + i * unit;
        const share = Math.max(0.001, (Math.min(to, edge + unit) - Math.max(from, edge)) / unit);
        shares[i]!.set(as, (shares[i]!.get(as) ?? 0) + share);
      }
    }
    const cells = shares.map((own) => cellOf(own));
    const paint: Record<keyof typeof DRAWN, (text: string) => string> = {
      step: colours.dim,
      wait: colours.dim,
      pace: colours.yellow,
      'retry-after': colours.yellow,
      request: colours.green,
      broken: colours.red,
    };
    let text = '';
    for (let i = 0; i < columns;) {
      const as = cells[i];
      let end = i;
      while (end < columns && cells[end] === as) end++;
      text +=
        as === undefined
          ? ' '.repeat(end - i)
          : as === 'short request'
            ? paint.request(SHORT.repeat(end - i))
            : paint[as](DRAWN[as].repeat(end - i));
      i = end;
    }
    return text;
  }

  #legend(): void {
    const words: Partial<Record<keyof typeof DRAWN, string>> = {
      request: 'request',
      wait: 'waits of the step',
      pace: 'delayed by pace',
      'retry-after': 'waits for Retry-After',
    };
    const parts = ORDER.filter((as) => this.#used.has(as)).flatMap((as) => {
      const word = words[as];
      return word === undefined ? [] : [`${DRAWN[as]}${as === 'request' ? ` ${SHORT}` : ''} ${word}`];
    });
    if (parts.length > 0)
      this.#terminal.write(this.#terminal.colours.dim(`\n${' '.repeat(8)}${parts.join('   ')}\n`));
  }
}

/** What is drawn in a cell: a failure always, a short request as a thin line, otherwise what takes most of it. */
function cellOf(
  shares: ReadonlyMap<keyof typeof DRAWN, number>,
): keyof typeof DRAWN | 'short request' | undefined {
  if (shares.has('broken')) return 'broken';
  const others = ORDER.filter((as) => as !== 'step' && shares.has(as));
  const [most] = others.sort((a, b) => shares.get(b)! - shares.get(a)!);
  const request = shares.get('request');
  if (request === undefined) return most ?? (shares.has('step') ? 'step' : undefined);
  return request >= 0.3 ? 'request' : 'short request';
}

function rank(place: number): string {
  return place === 0 ? 'the slowest' : '';
}

function more(depth: number, text: string): Row {
  return { mark: '', name: '  '.repeat(depth) + text, about: '', time: undefined, stretches: [], dim: true };
}

function iterationWords(step: RecordedStep): string {
  const { iterations, iterationsBegan, iterationsEnded } = step;
  const passed = iterationsEnded?.passed ?? iterations.filter(({ outcome }) => outcome === 'passed').length;
  const all = iterationsBegan?.of ?? iterationCounts(step).all;
  return passed === all ? countOf(all, 'iteration') : `${passed} of ${all} iterations passed`;
}

/** Which credential a step signs in: `list@office.login`. */
function signInWords({ address }: RecordedStep): string {
  const credential = /@([^.]*)\.[^@]*$/.exec(address)?.[1];
  return credential === undefined ? '' : `${credential}: `;
}

/** Marks of time above the bars: the beginning, and round times. */
function scale(milliseconds: number, columns: number): string {
  const units = [1, 2, 5].flatMap((n) => [1, 10, 100, 1000, 10_000].map((ten) => n * ten));
  const all = [
    ...units,
    60_000,
    120_000,
    300_000,
    600_000,
    1_800_000,
    3_600_000,
    7_200_000,
    21_600_000,
    86_400_000,
  ];
  const step =
    all.sort((a, b) => a - b).find((unit) => (unit / milliseconds) * columns >= 12) ?? milliseconds;
  let text = '';
  for (let at = 0; at < milliseconds; at += step) {
    const column = Math.round((at / milliseconds) * columns);
    const label = at === 0 ? '0' : roundTime(at);
    if (column + label.length > columns) break;
    text = pad(text, column) + label;
  }
  return text;
}

function roundTime(milliseconds: number): string {
  if (milliseconds < 1000) return `${milliseconds} ms`;
  if (milliseconds < 60_000) return `${milliseconds / 1000} s`;
  return milliseconds < 3_600_000 ? `${milliseconds / 60_000} min` : `${milliseconds / 3_600_000} h`;
}
