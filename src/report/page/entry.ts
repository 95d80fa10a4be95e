import type { PageStep, PageIteration } from './data.ts';
import { timeWords } from '../../core/units.ts';
import { copy, make } from './dom.ts';
import { showExchange } from './exchange.ts';

/** Iterations that are shown at once; a loop may have thousands. */
const ITERATIONS_AT_ONCE = 50;

/** A step of the conversation: a line that opens. What is inside is made when it is opened for the first time. */
export function stepEntry(step: PageStep, open = false): HTMLDetailsElement {
  const { address, elapsed, name, outcome, requests = [], iterations } = step;
  const last = requests.at(-1);
  const passed = iterations?.filter((iteration) => iteration.outcome === 'passed').length ?? 0;
  const about = [
    ...(iterations ? [`${passed} of ${Math.max(step.of ?? 0, iterations.length)} iterations passed`] : []),
    ...(requests.length > 1 ? [`${requests.length} requests`] : []),
    ...(step.reason === undefined ? [] : [step.reason]),
    ...(last ? [`${last.method} ${last.url}`] : []),
  ].join(' · ');
  return entry({
    address,
    outcome,
    open,
    name: address.includes('[') ? address : name,
    status: last?.response ? String(last.response.status) : '',
    time: outcome === 'skipped' ? '' : timeWords(elapsed),
    about,
    inside: () => [
      ...facts(step),
      ...requests.map((request, i) => showExchange(request, i, requests.length)),
      ...(step.steps ?? []).map((inner) => stepEntry(inner, inner.outcome === 'failed')),
      ...(iterations ? [iterationList(address, iterations)] : []),
    ],
  });
}

function iterationEntry(loop: string, iteration: PageIteration): HTMLDetailsElement {
  const { elapsed, item, outcome, problem, steps } = iteration;
  return entry({
    address: `${loop}[${iteration.iteration}]`,
    outcome,
    open: false,
    name: `[${iteration.iteration}] ${item ?? ''}`,
    status: '',
    time: timeWords(elapsed),
    about: problem?.message ?? '',
    inside: () =>
      iteration.isBrief
        ? [
            make(
              'p',
              { class: 'quiet' },
              'Its steps are left out here, as those of most iterations of so large a loop: batharon view shows them.',
            ),
          ]
        : steps.map((step) => stepEntry(step, step.outcome === 'failed')),
  });
}

/** The iterations of a loop, those that failed first, so many at a time. */
function iterationList(loop: string, iterations: readonly PageIteration[]): HTMLElement {
  const sorted = [...iterations].sort(
    (a, b) => Number(a.outcome === 'passed') - Number(b.outcome === 'passed') || a.iteration - b.iteration,
  );
  const list = make('div', { class: 'iterations' });
  const more = make('button', { type: 'button', class: 'more' });
  let shown = 0;
  const add = (): void => {
    const next = sorted.slice(shown, shown + ITERATIONS_AT_ONCE);
    list.append(...next.map((iteration) => iterationEntry(loop, iteration)));
    shown += next.length;
    more.textContent = `show ${Math.min(ITERATIONS_AT_ONCE, sorted.length - shown)} more of ${sorted.length - shown} iterations`;
    if (shown >= sorted.length) more.remove();
  };
  more.addEventListener('click', add);
  const whole = make('div', {}, list, more);
  add();
  return whole;
}

interface Entry {
  readonly address: string;
  readonly outcome: string;
  readonly open: boolean;
  readonly name: string;
  readonly status: string;
  readonly time: string;
  readonly about: string;
  readonly inside: () => readonly HTMLElement[];
}

function entry({ about, address, inside, name, open, outcome, status, time }: Entry): HTMLDetailsElement {
  const details = make(
    'details',
    { class: `entry ${outcome.replace(' ', '-')}`, 'data-address': address },
    make(
      'summary',
      {},
      make('span', { class: 'mark' }, outcome),
      ' ',
      make('span', { class: 'name' }, name),
      ' ',
      make('span', { class: 'status' }, status),
      ' ',
      make('span', { class: 'time' }, time),
      ' ',
      make('span', { class: 'about' }, about),
    ),
  );
  let made = false;
  const fill = (): void => {
    if (made) return;
    made = true;
    details.append(make('div', { class: 'inside' }, ...inside()));
  };
  details.addEventListener('toggle', () => details.open && fill());
  if (open) {
    fill();
    details.open = true;
  }
  return details;
}

/** What was expected, what came, what was kept: a label and a text each. */
function facts(step: PageStep): HTMLElement[] {
  const rows: (readonly [label: string, text: string, mark?: string])[] = [];
  for (const { because, got, condition, passed, hint } of step.expected ?? []) {
    rows.push([passed ? 'passed' : 'expected', condition, passed ? 'quiet' : '']);
    if (passed) continue;
    rows.push(['got', got ?? '', 'strong']);
    if (because !== undefined) rows.push(['because', because]);
    if (hint !== undefined) rows.push(['hint', hint]);
  }
  if (step.problem && (step.expected ?? []).every(({ passed }) => passed)) {
    rows.push(['problem', step.problem.message, 'strong']);
    if (step.problem.hint !== undefined) rows.push(['hint', step.problem.hint]);
  }
  for (const [name, value] of step.kept ?? []) rows.push(['kept', `${name}: ${shortened(value)}`]);
  for (const [label, text] of step.notes ?? []) rows.push([label, text]);
  for (const { for: time, why } of step.waits ?? [])
    rows.push(['waited', `${timeWords(time)}, ${WHY[why] ?? why}`, 'quiet']);
  const shown = rows.slice(0, 60);
  const address = make('button', { type: 'button', class: 'path', title: 'copy this address' }, step.address);
  address.addEventListener('click', () => void copy(step.address));
  return [
    make(
      'dl',
      { class: 'facts' },
      make('dt', {}, 'step'),
      make('dd', {}, address, make('span', { class: 'quiet' }, `  ${step.stands}`)),
      ...shown.flatMap(([label, text, mark]) => [
        make('dt', {}, label),
        ' ',
        make('dd', { class: mark }, text),
        ' ',
      ]),
      ...(rows.length > shown.length
        ? [make('dt', {}, ''), make('dd', {}, `and ${rows.length - shown.length} more`)]
        : []),
    ),
  ];
}

const WHY: Readonly<Record<string, string>> = {
  'retry-after': 'as the service said',
  pace: 'delayed by the pace of the service',
  retry: 'before it was sent again',
  poll: 'before it was asked again',
  repeat: 'before the next iteration',
  callback: 'for the callback',
  step: 'as the step says',
};

function shortened(text: string): string {
  return text.length > 400 ? `${text.slice(0, 400)}…` : text;
}
