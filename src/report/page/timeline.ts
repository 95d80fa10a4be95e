import { countOf } from '../../core/count-of.ts';
import type { PageRun, PageStep } from './data.ts';
import { timeWords } from '../../core/units.ts';
import { make } from './dom.ts';
import { ticks } from './ticks.ts';

/** Stretches of one row that are drawn; of thousands the longest are enough. */
const MOST = 300;

interface Stretch {
  readonly from: number;
  readonly length: number;
  readonly as: string;
}

/** The steps of a run as bars on one scale; a click goes to the step. */
export function timeline(run: PageRun, goTo: (address: string) => void): HTMLElement {
  const rows = [
    ...run.steps.flatMap((step) => flat(step, 0)),
    ...together('undo', run.undo),
    ...run.cleanup.flatMap((step) => flat(step, 0)),
  ];
  const length = Math.max(0.01, ...rows.map(({ step }) => step.from + step.elapsed));
  const used = new Set<string>();
  const list = make('ol', { class: 'timeline', 'aria-label': 'timeline of the steps' });
  for (const { depth, step } of rows) {
    const bars = make('span', { class: 'bars', 'aria-hidden': 'true' });
    for (const { as, from, length: own } of stretches(step)) {
      used.add(as);
      const bar = make('span', { class: `bar ${as}` });
      bar.style.left = `${(from / length) * 100}%`;
      // A wait that was interrupted ended with the run.
      bar.style.width = `${Math.max(0.15, (Math.min(own, length - from) / length) * 100)}%`;
      bars.append(bar);
    }
    const button = make(
      'button',
      { type: 'button', class: step.outcome.replace(' ', '-') },
      make('span', { class: 'mark' }, step.outcome),
      ' ',
      make('span', { class: 'name' }, '\u2003'.repeat(depth) + step.name),
      ' ',
      make('span', { class: 'time' }, step.outcome === 'skipped' ? '' : timeWords(step.elapsed)),
      bars,
    );
    button.addEventListener('click', () => goTo(step.address));
    list.append(make('li', {}, button));
  }
  const legend = Object.entries(WORDS).filter(([as]) => used.has(as));
  return make(
    'section',
    { 'aria-label': 'timeline' },
    make(
      'p',
      { class: 'scale', 'aria-hidden': 'true' },
      ...ticks(length).map((at) => {
        const tick = make('span', {}, at === 0 ? '0' : exactTime(at));
        // One at the end says the time before its mark, so that it stays on the sheet.
        if (at / length > 0.92) tick.className = 'last';
        tick.style.left = `${(at / length) * 100}%`;
        return tick;
      }),
    ),
    list,
    make(
      'p',
      { class: 'legend' },
      ...legend.map(([as, words]) => make('span', {}, make('span', { class: `bar ${as}` }), ` ${words}`)),
    ),
  );
}

/** A round time, as short as it can be written. */
function exactTime(milliseconds: number): string {
  const of = (value: number, unit: string): string => `${Number(value.toPrecision(6))} ${unit}`;
  if (milliseconds < 1000) return of(milliseconds, 'ms');
  return milliseconds < 120_000 ? of(milliseconds / 1000, 's') : of(milliseconds / 60_000, 'min');
}

const WORDS: Readonly<Record<string, string>> = {
  request: 'request',
  bad: 'request that failed',
  wait: 'waits of the step',
  pace: 'delayed by pace',
  'retry-after': 'waits for Retry-After',
};

/** The steps that take something back are many and alike: one row for all. */
function together(name: string, steps: readonly PageStep[]): { step: PageStep; depth: number }[] {
  const [first] = steps;
  if (!first) return [];
  const last = steps.at(-1)!;
  const failed = steps.some(({ outcome }) => outcome === 'failed');
  return [
    {
      depth: 0,
      step: {
        ...first,
        name: `${name}, ${countOf(steps.length, 'step')}`,
        outcome: failed ? 'failed' : 'delayed',
        elapsed: last.from + last.elapsed - first.from,
        requests: steps.flatMap(({ requests = [] }) => requests),
      },
    },
  ];
}

function flat(step: PageStep, depth: number): { step: PageStep; depth: number }[] {
  return [{ step, depth }, ...(step.steps ?? []).flatMap((inner) => flat(inner, depth + 1))];
}

function stretches(step: PageStep): Stretch[] {
  if (step.outcome === 'skipped') return [];
  const inner = [
    ...own(step),
    ...(step.iterations ?? []).flatMap((iteration) => iteration.steps.flatMap(deep)),
  ];
  const longest = inner.length <= MOST ? inner : inner.sort((a, b) => b.length - a.length).slice(0, MOST);
  return [{ from: step.from, length: step.elapsed, as: 'whole' }, ...longest];
}

function deep(step: PageStep): Stretch[] {
  return [
    ...own(step),
    ...(step.steps ?? []).flatMap(deep),
    ...(step.iterations ?? []).flatMap((iteration) => iteration.steps.flatMap(deep)),
  ];
}

function own({ requests = [], waits = [] }: PageStep): Stretch[] {
  return [
    ...waits.map(({ for: length, from, why }) => ({
      from,
      length,
      as: why === 'retry-after' || why === 'pace' ? why : 'wait',
    })),
    ...requests.flatMap(({ response, elapsed, from, delayed = 0 }) => [
      ...(delayed > 0 ? [{ from: from - delayed, length: delayed, as: 'pace' }] : []),
      { from, length: elapsed, as: !response || response.status >= 400 ? 'bad' : 'request' },
    ]),
  ];
}
