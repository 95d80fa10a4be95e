import { asWritten, iterationAt, leadsTo, parsePlace, type RecordPlace } from '../../core/address.ts';
import { whereWords } from '../records/where.ts';
import type { ExitCode } from '../../core/events.ts';
import { nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import type { RecordedProblem, RecordedStep } from '../../core/record/recorded-run.ts';
import { whichStep } from '../../core/record/step-words.ts';
import type { Records } from '../../api/record-types.ts';
import { asCurl } from '../records/as-curl.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { attemptAt, findStep, OpenRun } from '../../api/open-run.ts';
import { agoWords } from '../records/ago-words.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { StepLines } from '../view/step-lines.ts';
import { StepView } from '../view/step-view.ts';
import { outputTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';
import { pad, fit, widthOf } from '../terminal/text-width.ts';
import { Timeline } from '../view/timeline.ts';

export interface ViewOptions {
  readonly asCurl?: boolean;
  readonly browse?: boolean;
}

/** Iterations of a loop that are shown where the loop itself is looked at. */
const MORE_ITERATIONS = 20;

/** `batharon view [RUN[:STEP]]`: a run as a timeline, or one step with its requests and responses. */
export function view(text: string | undefined, options: ViewOptions): Promise<ExitCode> {
  return guarded(async () => {
    const records = recordsOf(loadProject(undefined, false).project);
    const where = parsePlace(text ?? 'last');
    const terminal = outputTerminal();
    if (options.browse) return browse(records, where);
    if (where.step === undefined) {
      if (options.asCurl)
        fail('wrong-form', '--as-curl wants a step', { hint: 'batharon view last:STEP --as-curl' });
      const id = records.find(where.run);
      const written: string[] = [];
      viewRun({ ...terminal, write: (line) => written.push(line) }, records, id);
      if (await wantsToBrowse(written.join('').split('\n').length)) return browse(records, where);
      terminal.write(written.join(''));
      return 0;
    }
    const iteration = iterationAt(where.step);
    if (iteration) {
      viewIteration(terminal, records, records.find(where.run), {
        loop: iteration.loop,
        number: iteration.iteration,
      });
      return 0;
    }
    const { open, step } = findStep(records, where);
    if (options.asCurl) return printCurl(open, step, where);
    await viewStep(terminal, open, step, where);
    return 0;
  });
}

/** Asks, where a run does not fit on the screen and somebody is there. */
async function wantsToBrowse(lines: number): Promise<boolean> {
  const { askQuestion, mayAsk } = await import('../terminal/ask-question.ts');
  const { hasScreen } = await import('../terminal/full-screen.ts');
  if (lines <= (process.stdout.rows || 24) || !hasScreen() || !mayAsk()) return false;
  const answer = await askQuestion(
    {
      text: `It takes ${lines} lines. Move through it?`,
      kind: 'yes-no',
      default: true,
      check: () => undefined,
    },
    new AbortController().signal,
  );
  return answer === true;
}

/** A run to be moved through by keys. Throws `not-sent` where there is no terminal for it. */
async function browse(records: Records, where: RecordPlace): Promise<ExitCode> {
  const { hasScreen, onWholeScreen, screenColours } = await import('../terminal/full-screen.ts');
  if (!hasScreen())
    fail('wrong-form', '--browse needs a terminal', {
      hint: 'batharon view RUN, and view RUN:STEP for a step',
    });
  const { nodesOfRun } = await import('../view/browse-nodes.ts');
  const { Browser } = await import('../view/browser.ts');
  const open = OpenRun.read(records, records.find(where.run));
  const { chain, elapsed, environment, id, outcome } = open.run;
  const title = [
    chain,
    ...(environment === undefined ? [] : [environment]),
    outcome,
    timeWords(elapsed),
    `run ${id}`,
  ];
  const browser = new Browser(title.join(' · '), nodesOfRun(open), screenColours());
  if (where.step !== undefined) browser.goTo(`${id}:${where.step}`);
  await onWholeScreen(browser);
  return 0;
}

function viewRun(terminal: Terminal, records: Records, id: string): void {
  const open = OpenRun.outline(records, id);
  const { run } = open;
  head(terminal, open, run.chain);
  const { colours } = terminal;
  const going = records.isRunning(id) !== undefined;
  const ended =
    run.outcome === 'unfinished'
      ? going
        ? 'still going on'
        : 'interrupted, without an end in its record'
      : run.outcome;
  const resumed = run.resumed === 0 ? [] : [`resumed ${run.resumed === 1 ? 'once' : `${run.resumed} times`}`];
  terminal.write(
    `${colours.dim([ended, timeWords(run.elapsed), ...resumed, agoWords(Date.now() - run.at), run.file].join(' · '))}\n\n`,
  );
  new Timeline(terminal).run(run);
  sayGarbled(terminal, open);
  sayFailed(terminal, open);
  const lines = new StepLines(terminal);
  if (run.problem) {
    terminal.write('\n');
    lines.line('failed', run.problem.message);
  }
  if (run.left) lines.line('warning', `undo and cleanup were left; batharon cleanup ${id} carries them out`);
  else if (
    run.outcome !== 'passed' &&
    !going &&
    run.exit !== 2 &&
    run.undo.length + run.cleanup.length === 0 &&
    run.file !== 'send' &&
    !run.part
  ) {
    terminal.write('\n');
    lines.line('', colours.dim(`batharon resume ${id} goes on from here`));
  }
}

/** So many steps that failed are shown in full. */
const MOST_BROKEN = 10;

/** What failed, in the whole run or below an address: of a step in a loop the first of each kind, and how often. */
function sayFailed(terminal: Terminal, open: OpenRun, below?: string): void {
  const lines = new StepLines(terminal);
  const first = new Map<
    string,
    { readonly step: RecordedStep; readonly problem: RecordedProblem; times: number }
  >();
  for (const step of open.steps()) {
    const { address, began, outcome, problem } = step;
    // What failed inside a step is said of that.
    if (outcome !== 'failed' || !problem || began.type === 'group') continue;
    if (below !== undefined && !isIn(address, below)) continue;
    const written = `${asWritten(address)} ${problem.code}`;
    const known = first.get(written);
    if (known) known.times++;
    else first.set(written, { step, problem, times: 1 });
  }
  for (const { step, problem, times } of [...first.values()].slice(0, MOST_BROKEN)) {
    terminal.write('\n');
    lines.line(
      'failed',
      `${whichStep(step)}${times > 1 ? `, and ${times - 1} more time${times === 2 ? '' : 's'}` : ''}`,
    );
    sayProblem(lines, problem);
    if (step.address !== below) lines.row('details', `batharon view ${open.id}:${step.address}`);
  }
  if (first.size > MOST_BROKEN) {
    terminal.write('\n');
    lines.line('failed', `${first.size - MOST_BROKEN} more steps, as shown above`);
  }
}

function isIn(address: string, outer: string): boolean {
  return address === outer || address.startsWith(`${outer}.`) || address.startsWith(`${outer}[`);
}

function sayProblem(lines: StepLines, { hint, message, place }: RecordedProblem): void {
  lines.row('problem', message);
  if (hint !== undefined) lines.row('hint', hint);
  if (place) lines.row('at', `${place.file}:${place.line}:${place.column}`);
}

function head(terminal: Terminal, { run }: OpenRun, title: string): void {
  const right = `run ${run.id}`;
  const { colours, width } = terminal;
  terminal.write(
    `${colours.bold(pad(fit(title, width - widthOf(right) - 2), width - widthOf(right)))}${colours.dim(right)}\n`,
  );
  const where = whereWords(run.environment, run.services);
  if (where !== undefined) terminal.write(colours.dim(`        ${fit(where, width - 8)}\n`));
}

function sayGarbled(terminal: Terminal, { garbled, id }: OpenRun): void {
  if (garbled.length === 0) return;
  const lines = new StepLines(terminal);
  const some = garbled.slice(0, 5).join(', ');
  terminal.write('\n');
  lines.line(
    'warning',
    `${garbled.length === 1 ? `line ${some}` : `${garbled.length} lines (${some}${garbled.length > 5 ? ', …' : ''})`} of .batharon/runs/${id}/events.jsonl can't be read; what they told is missing here`,
  );
}

function viewIteration(
  terminal: Terminal,
  records: Records,
  id: string,
  { loop, number }: { readonly loop: string; readonly number: number },
): void {
  const open = OpenRun.read(records, id, leadsTo(`${loop}[${number}]`));
  const step = open.step(loop);
  const iteration = step?.iterations.find((one) => one.iteration === number);
  if (!iteration) {
    const names = [...open.steps()].map(({ address }) => address);
    return fail('no-record', `the run ${id} has no iteration ${loop}[${number}]`, {
      hint: step
        ? `it has ${step.iterations.length} iterations, counted from 0`
        : (nearest(loop, names) ?? 'batharon view RUN shows its steps'),
    });
  }
  head(terminal, open, `${loop}[${number}] ${iteration.title ?? iteration.item ?? ''}`);
  terminal.write(
    `${terminal.colours.dim(`${iteration.outcome ?? 'interrupted'} · ${timeWords(iteration.elapsed)}`)}\n\n`,
  );
  new Timeline(terminal).steps(iteration.steps);
  sayFailed(terminal, open, `${loop}[${number}]`);
  // All its steps passed: what it gathers failed, or whether it was the last one.
  if (iteration.problem && iteration.failed === `${loop}[${number}]`) {
    terminal.write('\n');
    const lines = new StepLines(terminal);
    lines.line('failed', iteration.failed);
    sayProblem(lines, iteration.problem);
  }
}

async function viewStep(
  terminal: Terminal,
  open: OpenRun,
  step: RecordedStep,
  where: RecordPlace,
): Promise<void> {
  const inner = step.iterations.length > 0 || step.steps.length > 0;
  if (inner) {
    head(
      terminal,
      open,
      step.began.title === step.address ? step.address : `${step.address}, ${step.began.title}`,
    );
    terminal.write('\n');
    new Timeline(terminal, MORE_ITERATIONS).steps([step]);
    sayFailed(terminal, open, step.address);
    return;
  }
  const wanted = where.attempt !== undefined || where.page !== undefined ? attemptAt(step, where) : undefined;
  await new StepView(terminal, open).show(step, wanted);
}

function printCurl(open: OpenRun, step: RecordedStep, where: RecordPlace): ExitCode {
  const attempt = attemptAt(step, where);
  if (!attempt) return fail('no-record', `${step.address} sent no request`);
  const text = asCurl(attempt, open.bytes(attempt.sent));
  if (text === undefined)
    return fail('no-record', `what ${step.address} sent was not kept whole, or is no text`, {
      hint: 'the file it was read from, with --data-binary @FILE',
    });
  writeData(`${text}\n`);
  return 0;
}
