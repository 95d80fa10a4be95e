import type { Chain } from '../../core/chain/model.ts';
import type { RunOptions } from '../../core/engine/context.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { parseJson, writeJson } from '../../core/language/json.ts';
import { plainText } from '../../core/language/functions/conversion.ts';
import { nearest } from '../../core/language/nearest.ts';
import { objectOf, type Value } from '../../core/language/values.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { filesOf } from '../files-of.ts';
import { inputsOf, readGiven, refuseUnknown } from '../inputs.ts';
import { load, type Loaded } from '../load.ts';
import { printFindings, printProblem } from '../print-findings.ts';
import { runRecorded } from '../run-recorded.ts';
import { RunView } from '../run-view.ts';
import { errorTerminal, type Terminal } from '../terminal.ts';

export interface RunCommandOptions {
  readonly env?: string;
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  readonly print?: string;
  readonly json?: boolean;
  readonly dry?: boolean;
  readonly leave?: boolean;
}

/** `batharon run`: gives the exit code. */
export async function runCommand(names: readonly string[], options: RunCommandOptions): Promise<ExitCode> {
  const terminal = errorTerminal();
  let loaded: Loaded | undefined;
  try {
    loaded = load(names, options.env, true);
    if (reportProblems(terminal, loaded)) return 2;
    const given = readGiven(options.give ?? [], options.giveFrom);
    refuseUnknown(loaded.chains, given);
    const runs = loaded.chains.map((chain) => ({ chain, inputs: inputsOf(chain, given) }));
    if (options.print !== undefined) refuseUnknownResult(loaded.chains, options.print);
    if (options.dry) {
      const { printDry } = await import('../dry.ts');
      printDry(loaded.project, runs);
      return 0;
    }
    return await runAll(terminal, loaded, runs, options);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const { problem } = error;
    printProblem(
      terminal,
      problem,
      loaded?.files.find(({ path }) => path === problem.place?.file),
    );
    return 2;
  }
}

/** Prints what stops a run; remarks are for `check`. */
export function reportProblems(terminal: Terminal, { findings }: Loaded): boolean {
  const problems = findings.filter(({ finding }) => finding.level === 'problem');
  printFindings(terminal, problems);
  if (problems.length > 0)
    terminal.write(`${problems.length} problem${problems.length === 1 ? '' : 's'}; nothing was sent.\n`);
  return problems.length > 0;
}

function refuseUnknownResult(chains: readonly Chain[], name: string): void {
  const known = chains.flatMap(({ results }) => results.map((result) => result.name));
  if (known.includes(name)) return;
  const near = nearest(name, known);
  fail('unknown-name', `no chain has a result ${name}`, {
    instead:
      near !== undefined
        ? `--print ${near}`
        : known.length > 0
          ? `results: ${known.join(', ')}`
          : 'results: in the chain file says what it gives',
  });
}

interface PlannedRun {
  readonly chain: Chain;
  readonly inputs: Record<string, Value>;
}

async function runAll(
  terminal: Terminal,
  loaded: Loaded,
  runs: readonly PlannedRun[],
  options: RunCommandOptions,
): Promise<ExitCode> {
  const { project, signInChains } = loaded;
  const interruption = watchInterruption(terminal);
  const { openWorld } = await import('../world.ts');
  const world = await openWorld(project);
  // What a service has said of its pace holds for the next chain too.
  const paces: NonNullable<RunOptions['paces']> = new Map();
  const results: [string, Value][] = [];
  const exits: ExitCode[] = [];
  try {
    for (const [i, { chain, inputs }] of runs.entries()) {
      if (interruption.signal.aborted) break;
      if (i > 0 && !options.json) terminal.write('\n');
      const view = new RunView(terminal);
      let ended: Extract<RunEvent, { event: 'run-ended' }> | undefined;
      const { exit } = await runRecorded(chain, project, world, {
        files: filesOf(loaded, chain),
        inputs,
        signal: interruption.signal,
        signInChains,
        paces,
        ...(options.leave ? { leave: true } : {}),
        emit: (event) => {
          if (event.event === 'run-ended') ended = event;
          if (options.json) process.stdout.write(`${JSON.stringify(event)}\n`);
          else view.show(event);
        },
      });
      exits.push(exit);
      const own = Object.entries(ended?.results ?? {});
      if (own.length > 0)
        results.push([chain.file, objectOf(own.map(([name, json]) => [name, parseJson(json)]))]);
    }
  } finally {
    interruption.stop();
    await world.close();
  }
  if (!options.json) printResults(results, runs.length, options.print);
  return worst(exits);
}

/** Of several chains the highest of 130, 2, 3, 1. */
function worst(exits: readonly ExitCode[]): ExitCode {
  return ([130, 2, 3, 1] as const).find((exit) => exits.includes(exit)) ?? 0;
}

export function printResults(
  results: readonly [string, Value][],
  chains: number,
  print: string | undefined,
): void {
  if (print !== undefined) {
    for (const [, own] of results) {
      const value = (own as Record<string, Value>)[print];
      if (value !== undefined) process.stdout.write(`${plainText(value) ?? writeJson(value)}\n`);
    }
  } else if (results.length > 0) {
    process.stdout.write(`${writeJson(chains === 1 ? results[0]![1] : objectOf(results), 2)}\n`);
  }
}

/** The first interruption ends the request under way and goes on to cleanup; a second one ends the program. */
export function watchInterruption(terminal: Terminal): { readonly signal: AbortSignal; stop(): void } {
  const controller = new AbortController();
  const onSignal = (): void => {
    if (controller.signal.aborted) process.exit(130);
    terminal.write('\ninterrupted; cleaning up (once more ends at once)\n');
    controller.abort(new ProblemError({ code: 'interrupted', message: 'the run was interrupted' }));
  };
  process.on('SIGINT', onSignal);
  process.on('SIGTERM', onSignal);
  return {
    signal: controller.signal,
    stop: () => {
      process.off('SIGINT', onSignal);
      process.off('SIGTERM', onSignal);
    },
  };
}
