import { countOf } from '../../core/count-of.ts';
import type { Chain } from '../../core/chain/model.ts';
import type { EventOf, ExitCode, RunEvent } from '../../core/events.ts';
import { fail } from '../../core/problems.ts';
import { type StepStatistic, StepStatistics } from '../../core/record/step-statistics.ts';
import { timeWords } from '../../core/units.ts';
import type { RunResult } from '../../api/run-recorded.ts';
import { type Terminal, writeData } from '../terminal/terminal.ts';
import { padStart, widthOf } from '../terminal/text-width.ts';
import { cut, printStepTable } from '../view/step-table.ts';

/** So many rounds are carried out at the most. */
const MOST_ROUNDS = 100_000;

/** How often chains are run: `--again 20`, `--until-failed`, or both. */
export interface Repetition {
  readonly again?: string | undefined;
  readonly untilFailed?: boolean | undefined;
}

/** How many rounds are asked for; undefined where the chains are run once. Throws `wrong-form`. */
export function roundsOf({ again, untilFailed }: Repetition): number | undefined {
  if (again === undefined) return untilFailed ? MOST_ROUNDS : undefined;
  const rounds = /^\d{1,6}$/.test(again) ? Number(again) : 0;
  return rounds >= 1 && rounds <= MOST_ROUNDS
    ? rounds
    : fail('wrong-form', `--again ${again} is no number of rounds`, { hint: '--again 20' });
}

/** Carries out chains again and again: a line for each round, and at the end what came of each step. Returns all exit codes. */
export async function carryOutRounds<P extends { readonly chain: Chain }>(
  terminal: Terminal,
  planned: readonly P[],
  {
    rounds,
    untilFailed,
    json,
  }: { readonly rounds: number; readonly untilFailed: boolean; readonly json: boolean },
  carryOut: (planned: P, emit: (event: RunEvent) => void) => Promise<RunResult | undefined>,
): Promise<ExitCode[]> {
  const statistics = new StepStatistics();
  const exits: ExitCode[] = [];
  let [done, passed] = [0, 0];
  let isOver = false;
  while (done < rounds && !isOver) {
    const began = performance.now();
    let calls = 0;
    let failure: (Pick<EventOf<'step-ended'>, 'step' | 'problem'> & { readonly run: string }) | undefined;
    let hasFailed = false;
    for (const one of planned) {
      let run = '';
      const result = await carryOut(one, (event) => {
        if (event.event === 'run-began') ({ run } = event);
        statistics.take({ file: one.chain.file, run }, event);
        if (event.event === 'run-ended') calls += event.calls;
        if (event.event === 'step-ended' && event.outcome === 'failed') failure ??= { ...event, run };
        if (json) writeData(`${JSON.stringify(event)}\n`);
      });
      if (!result) {
        isOver = true;
        break;
      }
      exits.push(result.exit);
      if (result.exit === 130) {
        isOver = true;
        break;
      }
      hasFailed ||= result.exit !== 0;
    }
    if (isOver) break;
    done++;
    if (!hasFailed) passed++;
    if (!json) line(terminal, done, { hasFailed, calls, failure, elapsed: performance.now() - began });
    isOver = untilFailed && hasFailed;
  }
  if (!json) summary(terminal, statistics.all(), { done, passed });
  return exits;
}

function line(
  terminal: Terminal,
  round: number,
  {
    hasFailed,
    calls,
    failure,
    elapsed,
  }: {
    readonly hasFailed: boolean;
    readonly calls: number;
    readonly failure:
      (Pick<EventOf<'step-ended'>, 'step' | 'problem'> & { readonly run: string }) | undefined;
    readonly elapsed: number;
  },
): void {
  const { colours } = terminal;
  const mark = hasFailed ? colours.red('failed  ') : colours.green('passed  ');
  const head = `round ${padStart(String(round), 4)}  ${padStart(countOf(calls, 'call'), 9)}  ${padStart(timeWords(elapsed), 8)}`;
  const why =
    failure === undefined
      ? ''
      : `  at ${failure.step}: ${failure.problem?.message ?? ''}  (run ${failure.run})`;
  terminal.write(`${mark}${head}${cut(terminal, why, widthOf(head) + 9)}\n`);
}

function summary(
  terminal: Terminal,
  steps: readonly StepStatistic[],
  { done, passed }: { readonly done: number; readonly passed: number },
): void {
  const { colours } = terminal;
  if (steps.length > 0) {
    terminal.write('\n');
    printStepTable(terminal, steps);
  }
  const words = `${passed} of ${countOf(done, 'round')} passed.`;
  terminal.write(
    `\n${passed === done ? colours.green(`passed. ${words}`) : colours.red(`failed. ${words}`)}\n`,
  );
}
