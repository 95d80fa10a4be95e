import { countOf } from '../../core/count-of.ts';
import type { PageData, PageRun, PageStep, PageIteration } from './data.ts';
import { timeWords } from '../../core/units.ts';
import { make } from './dom.ts';
import { stepEntry } from './entry.ts';
import { Search } from './search.ts';
import { timeline } from './timeline.ts';

/** Steps that were found and are shown at once. */
const FOUND_AT_ONCE = 30;
/** Broken steps that are shown open at the beginning. */
const BROKEN_OPEN = 5;
const BROKEN_SHOWN = 30;

/** Reads what is packed in the page. */
async function read(): Promise<PageData> {
  const packed = atob(document.getElementById('data')!.textContent.trim());
  const bytes = Uint8Array.from(packed, (char) => char.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream('gzip'));
  return (await new Response(stream).json()) as PageData;
}

function failedIn(steps: readonly PageStep[]): PageStep[] {
  return steps.flatMap((step) => {
    const inside = [
      ...failedIn(step.steps ?? []),
      ...(step.iterations ?? []).flatMap((iteration: PageIteration) => failedIn(iteration.steps)),
    ];
    return step.outcome === 'failed' && step.problem ? [step, ...inside] : inside;
  });
}

function head({
  calls,
  chain,
  elapsed,
  environment,
  at,
  file,
  id,
  outcome,
  problem,
  resumed,
}: PageRun): HTMLElement {
  const facts = [
    timeWords(elapsed),
    countOf(calls, 'call'),
    ...(environment === undefined ? [] : [environment]),
    ...(resumed > 0 ? [`resumed ${resumed === 1 ? 'once' : `${resumed} times`}`] : []),
    new Date(at).toLocaleString(),
    file,
    `run ${id}`,
  ];
  return make(
    'header',
    {},
    make('h1', {}, chain),
    make(
      'p',
      {},
      make('b', { class: `outcome ${outcome.replace(' ', '-')}` }, outcome),
      ` ${facts.join(' · ')}`,
    ),
    problem && make('p', { class: 'bad' }, problem.message),
  );
}

function values(title: string, of: Readonly<Record<string, string>>): HTMLElement | undefined {
  const entries = Object.entries(of);
  if (entries.length === 0) return undefined;
  return make(
    'details',
    { class: 'values' },
    make('summary', {}, `${title}: ${entries.map(([name]) => name).join(', ')}`),
    make(
      'dl',
      { class: 'facts' },
      ...entries.flatMap(([name, value]) => [make('dt', {}, name), make('dd', {}, value)]),
    ),
  );
}

function showRun(run: PageRun): HTMLElement {
  const section = make('article', { 'aria-label': run.chain, id: idOf(run) });
  const goTo = (address: string): void => {
    const found = section.querySelector<HTMLDetailsElement>(
      `.conversation [data-address="${CSS.escape(address)}"]`,
    );
    if (!found) return;
    for (let at: Element | null = found; at && at !== section; at = at.parentElement)
      if (at instanceof HTMLDetailsElement) at.open = true;
    found.scrollIntoView({ block: 'start' });
    found.querySelector('summary')!.focus({ preventScroll: true });
  };
  section.append(head(run), timeline(run, goTo));
  const broken = failedIn([...run.steps, ...run.undo, ...run.cleanup]);
  if (broken.length > 0)
    section.append(
      make('h2', {}, broken.length === 1 ? 'What failed' : `What failed: ${broken.length} steps`),
      make(
        'div',
        { class: 'broken' },
        ...broken.slice(0, BROKEN_SHOWN).map((step, i) => stepEntry(step, i < BROKEN_OPEN)),
        broken.length > BROKEN_SHOWN &&
          make(
            'p',
            { class: 'quiet' },
            `and ${broken.length - BROKEN_SHOWN} more; the search finds them by “failed”`,
          ),
      ),
    );
  const conversation = make('div', { class: 'conversation' }, ...run.steps.map((step) => stepEntry(step)));
  if (run.undo.length > 0)
    conversation.append(
      make(
        'details',
        { class: 'values' },
        make('summary', {}, `undo: ${countOf(run.undo.length, 'step')}`),
        ...run.undo.map((step) => stepEntry(step)),
      ),
    );
  if (run.cleanup.length > 0)
    conversation.append(make('h3', {}, 'cleanup'), ...run.cleanup.map((step) => stepEntry(step)));
  section.append(drawingOf(run), make('h2', {}, 'The conversation'), conversation);
  for (const part of [values('inputs', run.inputs), values('results', run.results)])
    if (part) section.append(part);
  return section;
}

function idOf({ id }: PageRun): string {
  return `run-${id}`;
}

/** The sequence diagram, which is put into the page once it is opened. */
function drawingOf({ drawing }: PageRun): HTMLElement {
  const place = make('div', {
    class: 'drawing',
    tabindex: '0',
    role: 'region',
    'aria-label': 'sequence diagram',
  });
  const details = make('details', { class: 'values' }, make('summary', {}, 'Sequence diagram'), place);
  details.addEventListener(
    'toggle',
    () => {
      const picture = new DOMParser().parseFromString(drawing, 'image/svg+xml').documentElement;
      place.append(document.adoptNode(picture));
    },
    { once: true },
  );
  return details;
}

/** An address, or what an unnamed step does. */
function nameOf({ address, name }: PageStep): string {
  return /(?:^|\.)\d+$/.test(address) ? `${address} ${name}` : address;
}

/** All runs in a table; each row leads to its run. */
function overview(runs: readonly PageRun[]): HTMLElement {
  const passed = runs.filter(({ outcome }) => outcome === 'passed').length;
  const from = Math.min(...runs.map(({ at }) => at));
  const to = Math.max(...runs.map(({ at, elapsed }) => at + elapsed));
  const environments = [...new Set(runs.flatMap(({ environment }) => environment ?? []))];
  const hosts = [...new Set(runs.flatMap(({ services }) => Object.values(services)))];
  const calls = runs.reduce((sum, run) => sum + run.calls, 0);
  const facts = [
    passed === runs.length
      ? `all ${runs.length} passed`
      : `${runs.length - passed} of ${runs.length} did not pass`,
    countOf(calls, 'call'),
    `${timeWords(to - from)} in all`,
    ...environments,
    ...hosts,
    new Date(from).toLocaleString(),
  ];
  const rows = runs.map((run) => {
    const { calls: own, chain, elapsed, environment, outcome, problem } = run;
    const failed = failedIn([...run.steps, ...run.undo, ...run.cleanup]);
    const why = problem?.message ?? failed[0]?.problem?.message;
    const more = failed.length > 1 ? `, and ${failed.length - 1} more` : '';
    return make(
      'tr',
      {},
      make('td', {}, make('b', { class: `outcome ${outcome}` }, outcome)),
      make(
        'td',
        {},
        make('a', { href: `#${idOf(run)}` }, chain),
        why !== undefined && outcome !== 'passed'
          ? make('span', { class: 'why' }, `${failed[0] ? `${nameOf(failed[0])}: ` : ''}${why}${more}`)
          : undefined,
      ),
      make('td', {}, environments.length > 1 ? (environment ?? '') : ''),
      make('td', { class: 'number' }, countOf(own, 'call')),
      make('td', { class: 'number' }, timeWords(elapsed)),
    );
  });
  return make(
    'header',
    {},
    make('h1', {}, `${runs.length} chains`),
    make('p', {}, facts.join(' · ')),
    make(
      'table',
      { class: 'overview' },
      make(
        'thead',
        {},
        make(
          'tr',
          {},
          make('th', { scope: 'col' }, 'outcome'),
          make('th', { scope: 'col' }, 'chain'),
          make('th', { scope: 'col' }, environments.length > 1 ? 'environment' : ''),
          make('th', { scope: 'col', class: 'number' }, 'calls'),
          make('th', { scope: 'col', class: 'number' }, 'time'),
        ),
      ),
      make('tbody', {}, ...rows),
    ),
  );
}

function searchField(runs: readonly PageRun[], content: HTMLElement): HTMLElement {
  let search: Search | undefined;
  const field = make('input', {
    type: 'search',
    id: 'search',
    placeholder: 'Search: a name, an address, a value, 404',
    'aria-label': 'search the steps',
    'aria-controls': 'found',
    autocomplete: 'off',
    spellcheck: 'false',
  });
  const count = make('span', { class: 'quiet', role: 'status' });
  const found = make('div', { id: 'found' });
  const look = (): void => {
    const wanted = field.value.trim();
    content.hidden = wanted !== '';
    found.replaceChildren();
    count.textContent = '';
    if (wanted === '') return;
    search ??= new Search(runs);
    const steps = search.find(wanted);
    count.textContent = steps.length === 0 ? 'nothing found' : countOf(steps.length, 'step');
    const more = make('button', { type: 'button', class: 'more' });
    let shown = 0;
    const add = (): void => {
      const next = steps.slice(shown, shown + FOUND_AT_ONCE);
      more.before(...next.map((step) => stepEntry(step)));
      shown += next.length;
      more.textContent = `show more of ${steps.length - shown} steps`;
      if (shown >= steps.length) more.remove();
    };
    found.append(more);
    more.addEventListener('click', add);
    add();
  };
  field.addEventListener('input', look);
  // Before anybody types, so that the first key is answered at once.
  setTimeout(() => (search ??= new Search(runs)), 50);
  document.addEventListener('keydown', (event) => {
    const typing = event.target instanceof HTMLInputElement;
    if (event.key === '/' && !typing) {
      event.preventDefault();
      field.focus();
    } else if (event.key === 'Escape' && field.value !== '') {
      field.value = '';
      look();
    }
  });
  return make(
    'div',
    { class: 'search', role: 'search' },
    field,
    make('kbd', { title: 'goes to the search' }, '/'),
    count,
    found,
  );
}

/** What is printed is open: what failed is already, and of the conversation its first steps are opened. */
function openForPrint(): void {
  const closed = [
    ...document.querySelectorAll<HTMLDetailsElement>('.conversation > details:not([open])'),
  ].slice(0, 100);
  for (const details of closed) details.open = true;
}

async function show(): Promise<void> {
  const page = document.getElementById('page')!;
  const { runs: all } = await read();
  const runs = all.toSorted((a, b) => Number(a.outcome === 'passed') - Number(b.outcome === 'passed'));
  const content = make('main', {}, runs.length > 1 && overview(runs), ...runs.map(showRun));
  page.append(
    searchField(runs, content),
    content,
    make('div', { id: 'notice', role: 'status', 'aria-live': 'polite' }),
  );
  page.removeAttribute('aria-busy');
  addEventListener('beforeprint', openForPrint);
}

void show();
