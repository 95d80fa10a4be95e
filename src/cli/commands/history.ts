import { countOf } from '../../core/count-of.ts';
import { relative, resolve } from 'node:path';
import type { ExitCode } from '../../core/events.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { StepStatistics } from '../../core/record/step-statistics.ts';
import type { Records, UnreadableRun, RunSummary } from '../../api/record-types.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { sinceOf } from '../records/since.ts';
import { agoWords } from '../records/ago-words.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { printStepTable } from '../view/step-table.ts';
import { StepLines } from '../view/step-lines.ts';
import { errorTerminal, outputTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';
import { padStart, pad, fit } from '../terminal/text-width.ts';

export interface HistoryOptions {
  readonly env?: string;
  readonly outcome?: string;
  readonly since?: string;
  readonly most?: string;
  readonly json?: boolean;
  /** How their steps ended, over all of them. */
  readonly steps?: boolean;
  /** Runs of `watch` too. */
  readonly watch?: boolean;
}

const OUTCOMES: readonly string[] = ['passed', 'failed', 'interrupted', 'unfinished'];
const DEFAULT_MOST = 20;
/** Over so many runs steps are looked at. */
const DEFAULT_MOST_FOR_STEPS = 200;

/** `batharon history`: the recorded runs, the latest first. */
export function history(files: readonly string[], options: HistoryOptions): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const { outcome } = options;
    if (outcome !== undefined && !OUTCOMES.includes(outcome))
      fail('wrong-form', `no run ends as ${outcome}`, {
        hint: OUTCOMES.map((one) => `'${one}'`).join(', '),
      });
    const since = options.since === undefined ? undefined : Date.now() - sinceOf(options.since);
    const most = Number(options.most ?? (options.steps ? DEFAULT_MOST_FOR_STEPS : DEFAULT_MOST));
    if (!Number.isInteger(most) || most < 1)
      fail('wrong-form', '--most is a number of runs', { hint: '--most 5' });
    const wanted = files.map((file) => relative(process.cwd(), resolve(file)));
    const isWanted = (run: RunSummary | UnreadableRun): boolean =>
      'unreadable' in run
        ? outcome === undefined && wanted.length === 0 && options.env === undefined && since === undefined
        : (outcome === undefined || run.outcome === outcome) &&
          (options.env === undefined || run.environment === options.env) &&
          (since === undefined || run.at >= since) &&
          (wanted.length === 0 || wanted.includes(run.file));
    const records = recordsOf(project);
    const found: (RunSummary | UnreadableRun)[] = [];
    let more = 0;
    let watched = 0;
    for (const run of records.list()) {
      if (!isWanted(run)) continue;
      if ('watch' in run && !options.watch) {
        watched++;
        continue;
      }
      if (found.length < most) found.push(run);
      else more++;
    }
    if (options.steps) return printSteps(records, found, options.json ?? false);
    if (options.json) {
      writeData(`${JSON.stringify(found, undefined, 2)}\n`);
      return 0;
    }
    if (found.length === 0) {
      const none = records.ids().length === 0;
      errorTerminal().write(
        none
          ? 'No run is recorded here yet: batharon run, or batharon send.\n'
          : 'No recorded run is like that.\n',
      );
      return 0;
    }
    const terminal = outputTerminal();
    for (const run of found)
      print(terminal, run, 'unreadable' in run ? false : records.isRunning(run.run) !== undefined);
    if (more > 0)
      terminal.write(terminal.colours.dim(`and ${more} more; --most ${most + more} shows them\n`));
    if (watched > 0)
      terminal.write(terminal.colours.dim(`and ${countOf(watched, 'run')} of watch; --watch shows them\n`));
    return 0;
  });
}

/** `--steps`: how the steps of these runs ended, the earliest run first. */
function printSteps(
  records: Records,
  runs: readonly (RunSummary | UnreadableRun)[],
  json: boolean,
): ExitCode {
  const statistics = new StepStatistics();
  let [read, unreadable] = [0, 0];
  for (const summary of runs.toReversed()) {
    if ('unreadable' in summary) {
      unreadable++;
      continue;
    }
    try {
      for (const event of records.events(summary.run).events) statistics.take(summary, event);
      read++;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      unreadable++;
    }
  }
  const steps = statistics.all();
  if (json) {
    writeData(`${JSON.stringify(steps, undefined, 2)}\n`);
    return 0;
  }
  if (steps.length === 0) {
    errorTerminal().write('No recorded run like that has a step that ended.\n');
    return 0;
  }
  const terminal = outputTerminal();
  printStepTable(terminal, steps);
  const left = unreadable === 0 ? '' : `; ${countOf(unreadable, 'record')} can't be read`;
  terminal.write(terminal.colours.dim(`over ${countOf(read, 'run')}${left}\n`));
  return 0;
}

function print(terminal: Terminal, run: RunSummary | UnreadableRun, going: boolean): void {
  const { colours, width, wrapWidth } = terminal;
  const lines = new StepLines(terminal);
  const cut = (text: string, columns: number): string => (wrapWidth === Infinity ? text : fit(text, columns));
  if ('unreadable' in run) {
    terminal.write(`${lines.paint('warning')}${colours.bold(run.run)}  ${cut(run.unreadable, width - 16)}\n`);
    return;
  }
  const mark = going ? 'waits' : run.outcome === 'unfinished' ? 'interrupted' : run.outcome;
  const notes = [
    ...(run.environment === undefined ? [] : [run.environment]),
    ...(run.part ? ['a part of it'] : []),
    ...(run.watch ? ['watch'] : []),
    ...(run.resumed > 0 ? [`resumed ${run.resumed === 1 ? 'once' : `${run.resumed} times`}`] : []),
    ...(run.left ? ['undo and cleanup left'] : []),
    ...(going ? ['still going on'] : run.outcome === 'unfinished' ? ['ended without a word'] : []),
  ].join(' · ');
  const head = `${pad(agoWords(Date.now() - run.at), 11)} ${padStart(timeWords(run.elapsed), 9)} ${padStart(`${run.calls} call${run.calls === 1 ? ' ' : 's'}`, 11)}`;
  const what = run.file === 'send' ? run.chain : `${run.file}  ${run.chain}`;
  terminal.write(
    `${lines.paint(mark)}${colours.bold(run.run)}  ${head}  ${cut(what, width - 8 - 8 - 33 - 2)}\n`,
  );
  const indent = ' '.repeat(16);
  if (notes !== '') terminal.write(`${indent}${colours.dim(notes)}\n`);
  if (run.outcome !== 'passed' && (run.failed !== undefined || run.problem))
    terminal.write(
      `${indent}${cut([run.failed === undefined ? '' : `at ${run.failed}${run.does === undefined ? '' : ` ${run.does}`}: `, run.problem?.message ?? ''].join(''), width - 16)}\n`,
    );
}
