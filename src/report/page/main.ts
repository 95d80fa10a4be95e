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
  const section = make('article', { 'aria-label': run.chain });
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
  section.append(make('h2', {}, 'The conversation'), conversation);
  for (const part of [values('inputs', run.inputs), values('results', run.results)])
    if (part) section.append(part);
  return section;
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
  const { runs } = await read();
  const content = make('main', {}, ...runs.map(showRun));
  page.append(
    searchField(runs, content),
    content,
    make('div', { id: 'notice', role: 'status', 'aria-live': 'polite' }),
  );
  page.removeAttribute('aria-busy');
  addEventListener('beforeprint', openForPrint);
}

void show();
