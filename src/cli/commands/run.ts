import { countOf } from '../../core/count-of.ts';
import { type ReportName, REPORTS } from '../../report/index.ts';
import type { ReportFiles } from '../../api/make-reports.ts';
import { existsSync, writeFileSync } from 'node:fs';
import type { Chain } from '../../core/chain/model.ts';
import type { Opener } from '../../core/ports.ts';
import type { Project } from '../../core/chain/project.ts';
import { lookAhead } from '../../api/dry-run.ts';
import { type ContractLevel, CONTRACTS } from '../../core/contract/description.ts';
import type { ExitCode, RunEvent } from '../../core/events.ts';
import { parseJson, writeJson } from '../../core/language/json.ts';
import { plainText } from '../../core/language/functions/conversion.ts';
import { nearest } from '../../core/language/nearest.ts';
import { memberOf, objectOf, type Value, type ValueObject } from '../../core/language/values.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { filesOf } from '../../api/files-of.ts';
import type { Records } from '../../api/record-types.ts';
import { inputsOf, readGiven, refuseUnknown } from '../project/given-inputs.ts';
import { answersIn, withAnswers } from '../project/missing-inputs.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { load, type Loaded, loadProject } from '../../api/load.ts';
import { printFindings, printProblem } from '../terminal/print-findings.ts';
import { OpenRun } from '../../api/open-run.ts';
import { type Paces, recordsOf, runRecorded } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { carryOutRounds, roundsOf } from '../runs/rounds.ts';
import type { ChainPart } from '../runs/part-of-chain.ts';
import { chosen, withCases, type WhichChains, withoutHelpers } from '../runs/which-chains.ts';
import { SeveralRuns } from '../runs/several-runs.ts';
import { errorTerminal, type Terminal, writeData } from '../terminal/terminal.ts';

export interface RunCommandOptions extends Omit<ReportFiles, 'json'>, WhichChains {
  readonly env?: string;
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  readonly print?: string;
  readonly json?: boolean;
  readonly dry?: boolean;
  readonly leave?: boolean;
  readonly against?: string;
  readonly from?: string;
  readonly only?: readonly string[];
  readonly jobs?: string;
  readonly spread?: boolean;
  readonly stopEarly?: boolean;
  readonly contract?: string;
  readonly again?: string;
  readonly untilFailed?: boolean;
  readonly replay?: string;
}

/** `batharon run`: gives the exit code. */
export async function runCommand(names: readonly string[], options: RunCommandOptions): Promise<ExitCode> {
  const terminal = errorTerminal();
  let loaded: Loaded | undefined;
  try {
    loaded = load(namesOf(names, options), environmentOf(options), true);
    if (reportProblems(terminal, loaded)) return 2;
    const givenNow = readGiven(options.give ?? [], options.giveFrom);
    refuseUnknown(loaded.chains, givenNow);
    const chains = withCases(chosen(withoutHelpers(terminal, names, loaded), options), options);
    if (chains.length === 0) {
      terminal.write('There are fewer chains than shares; none is left for this one.\n');
      return 0;
    }
    jobsOf(options);
    roundsOf(options);
    if (options.spread) refuseWithoutTeam(loaded.project);
    const { project } = loaded;
    const isReplay = options.replay !== undefined;
    const given = isReplay ? givenNow : await withAnswers(chains, givenNow, project.zone);
    const runs = chains.map((chain) => {
      // A replay has the inputs of its run; those that are given take their place.
      const inputs = isReplay ? chain.inputs.filter(({ name }) => given.has(name)) : chain.inputs;
      return {
        chain,
        inputs: inputsOf({ ...chain, inputs }, given, project.zone),
        answers: answersIn(chain, given),
      };
    });
    if (options.print !== undefined) refuseUnknownResult(loaded.chains, options.print);
    if (options.dry) {
      const { printDry } = await import('../runs/print-dry.ts');
      printDry(loaded.project, runs);
      return 0;
    }
    if (options.replay !== undefined)
      return await replayAll(terminal, loaded, runs, { wanted: options.replay, options });
    return await runAll(terminal, loaded, runs, options);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const { problem } = error;
    printProblem(
      terminal,
      problem,
      loaded?.files.find(({ path }) => path === problem.place?.file),
    );
    return problem.code === 'interrupted' ? 130 : 2;
  }
}

/** Throws `team-missing`. */
function refuseWithoutTeam({ team, file }: Project): void {
  if (team) return;
  fail(
    'team-missing',
    `--spread gives work to the machines of a team, and ${file ?? 'this folder'} names none`,
    {
      hint: 'team:\n  redis: ${secret.redis}\n  key: ${secret.team}',
    },
  );
}

/** A replay is one of the chain of its run, where no file is named. */
function namesOf(names: readonly string[], { replay }: RunCommandOptions): readonly string[] {
  if (replay === undefined || names.join() !== '.') return names;
  const records = recordsOf(loadProject(undefined, false).project);
  const { file } = OpenRun.read(records, records.find(replay)).run;
  return existsSync(file) ? [file] : names;
}

/** A replay takes the environment of its run. */
function environmentOf({ env, replay }: RunCommandOptions): string | undefined {
  if (replay === undefined) return env;
  const records = recordsOf(loadProject(undefined, false).project);
  const { environment } = OpenRun.read(records, records.find(replay)).run;
  if (env !== undefined && env !== environment)
    fail(
      'wrong-form',
      `the run ${replay} was in ${environment ?? 'no environment'}, and a replay is what it was`,
      {
        hint: 'the same without --env',
      },
    );
  return environment;
}

/** Prints what stops a run; warnings are for `check`. */
export function reportProblems(terminal: Terminal, { findings }: Loaded): boolean {
  const problems = findings.filter(({ finding }) => finding.level === 'problem');
  printFindings(terminal, problems);
  if (problems.length > 0) terminal.write(`${countOf(problems.length, 'problem')}; nothing was sent.\n`);
  return problems.length > 0;
}

function refuseUnknownResult(chains: readonly Chain[], name: string): void {
  const known = chains.flatMap(({ results }) => results.map((result) => result.name));
  if (known.includes(name)) return;
  const near = nearest(name, known);
  fail('unknown-name', `no chain has a result ${name}`, {
    hint:
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
  readonly answers: ReadonlyMap<string, string>;
}

async function runAll(
  terminal: Terminal,
  loaded: Loaded,
  runs: readonly PlannedRun[],
  options: RunCommandOptions,
): Promise<ExitCode> {
  const { project, signInChains } = loaded;
  const interruption = watchInterruption(terminal);
  const { openHere } = await import('../project/open-here.ts');
  const jobs = jobsOf(options);
  const world = await openHere(project, { asks: jobs === 1 });
  const opener = world.sealer;
  // What a service has said of its pace holds for the next chain too.
  const paces: Paces = new Map();
  const several = new SeveralRuns(terminal, options.json ?? false, jobs > 1, wantsReport(options));
  try {
    const part = await partOf(terminal, runs, options, { project, opener });
    // Of several chains none begins before it is known of all that they can.
    if (runs.length > 1)
      for (const { chain, inputs } of runs)
        await lookAhead(chain, project, world.ports, { inputs, signInChains, practice: world.practice });
    const held =
      options.against === undefined ? undefined : await heldAgainst(terminal, project, options.against, jobs);
    const spread = options.spread ? (await import('../../api/run-spread.ts')).spreading(loaded) : undefined;
    const carryOut = async ({ answers, chain, inputs }: PlannedRun, emit: (event: RunEvent) => void) => {
      if (interruption.signal.aborted || (options.stopEarly && several.hasFailed)) return undefined;
      const baseline = held?.baseline(chain.file);
      const result = await runRecorded(part?.chain ?? chain, project, world, {
        options: {
          ...(part ? { known: part.known, part: true } : {}),
          files: filesOf(loaded, chain),
          inputs,
          answers,
          signal: interruption.signal,
          signInChains,
          paces,
          ...(options.leave ? { leave: true } : {}),
          ...(options.case ? { cases: options.case } : {}),
          contract: contractIn(options),
          emit,
        },
        ...(spread ? { spread } : {}),
      });
      return held ? held.settle(result, baseline) : result;
    };
    const rounds = roundsOf(options);
    if (rounds !== undefined) {
      const { untilFailed = false, json = false } = options;
      const exits = await carryOutRounds(terminal, runs, { rounds, untilFailed, json }, carryOut);
      return worst([...exits, ...interruptedBy(interruption.signal)]);
    }
    await several.carryOut(runs, jobs, carryOut);
    held?.flush();
  } finally {
    interruption.stop();
    await world.close();
  }
  const { exits, results } = several;
  await writeRunReports(terminal, options, recordsOf(project), several);
  if (!options.json) printResults(results, runs.length, options.print);
  several.summary(runs.length);
  return worst([...exits, ...interruptedBy(interruption.signal)]);
}

/** How calls are held to descriptions, where the command says it. Throws `wrong-form`. */
function contractIn({ contract }: RunCommandOptions): ContractLevel | undefined {
  const level = CONTRACTS.find((one) => one === contract);
  if (contract !== undefined && level === undefined)
    fail('wrong-form', `--contract is ${contract}, and can be ${CONTRACTS.join(', ')}`);
  return level;
}

/** Between two runs none is interrupted, but the command is. */
function interruptedBy({ aborted }: AbortSignal): ExitCode[] {
  return aborted ? [130] : [];
}

/** Holds runs against earlier ones; what it says of chains that run side by side comes at their end. */
async function heldAgainst(
  terminal: Terminal,
  project: Project,
  against: string,
  jobs: number,
): Promise<{
  baseline(file: string): string | undefined;
  settle<R extends { readonly exit: ExitCode; readonly id: string }>(
    result: R,
    baseline: string | undefined,
  ): R;
  flush(): void;
}> {
  const { baselineOf, tellDrift } = await import('../runs/against.ts');
  const records = recordsOf(project);
  const waiting: string[] = [];
  const own = jobs === 1 ? terminal : { ...terminal, write: (text: string) => waiting.push(text) };
  return {
    baseline: (file) => baselineOf(records, against, { file, environment: project.environment }),
    settle: (result, baseline) => {
      // A run that did not begin, or did not end, has nothing to be held to.
      if (result.exit === 2 || result.exit === 130) return result;
      if (baseline === undefined) {
        own.write(
          `warning no earlier run of this chain has passed here, so there is nothing to compare it with\n`,
        );
        return result;
      }
      const differs = tellDrift(own, records, baseline, result.id);
      return differs && result.exit === 0 ? { ...result, exit: 1 as const } : result;
    },
    flush: () => terminal.write(waiting.join('')),
  };
}

/** The part of the one chain that is wanted. Throws `no-such-step`, `no-record`, `wrong-form`. */
async function partOf(
  terminal: Terminal,
  runs: readonly PlannedRun[],
  { from, only }: RunCommandOptions,
  at: { readonly project: Project; readonly opener: Opener },
): Promise<ChainPart | undefined> {
  if (from === undefined && !only) return undefined;
  const option = from === undefined ? '--only' : '--from';
  if (runs.length > 1)
    fail('wrong-form', `${option} speaks of the steps of one chain, and these are ${runs.length}`, {
      hint: `batharon run FILE ${option} STEP`,
    });
  const { doubtsAbout, partOfChain, tellUsed } = await import('../runs/part-of-chain.ts');
  const part = partOfChain(runs[0]!.chain, { from, only }, at);
  tellUsed(terminal, part.used);
  for (const line of doubtsAbout(runs[0]!.chain, runs[0]!.inputs, part.used.keys()))
    terminal.write(`warning ${line}\n`);
  return part;
}

/** Throws `no-record`, `wrong-form`. */
async function replayAll(
  terminal: Terminal,
  { project }: Loaded,
  runs: readonly PlannedRun[],
  { wanted, options: { json, print } }: { readonly wanted: string; readonly options: RunCommandOptions },
): Promise<ExitCode> {
  const [only] = runs;
  if (!only || runs.length > 1)
    fail('wrong-form', 'one chain is replayed at a time', { hint: 'batharon run FILE --replay RUN' });
  const records = recordsOf(project);
  const { replay } = await import('../../api/replay-run.ts');
  const recorded = OpenRun.read(records, records.find(wanted));
  const view = new RunView(terminal);
  const { exit, results } = await replay(only, project, recorded, (event) => {
    if (json) writeData(`${JSON.stringify(event)}\n`);
    // Files and rows are not written here, so they are not told of.
    else if (event.event !== 'saved' && event.event !== 'row-written') view.show(event);
  });
  if (json) return exit;
  terminal.write(terminal.colours.dim(`replayed from run ${recorded.id}; nothing was sent\n`));
  printOwnResults(only.chain.file, results, print);
  return exit;
}

/** The reports that are wanted, by their files; `--json` prints events instead of one. */
function reportFilesOf({ json: _, ...options }: RunCommandOptions): ReportFiles {
  const names = Object.keys(REPORTS) as ReportName[];
  return Object.fromEntries(
    names.flatMap((name) => (name in options ? [[name, (options as ReportFiles)[name]]] : [])),
  );
}

function wantsReport(options: RunCommandOptions): boolean {
  return Object.keys(reportFilesOf(options)).length > 0;
}

/** Reports of what was run; one that can't be written is said, and changes nothing else. */
async function writeRunReports(
  terminal: Terminal,
  options: RunCommandOptions,
  records: Records,
  { folds }: SeveralRuns,
): Promise<void> {
  if (!wantsReport(options)) return;
  const { makeReports } = await import('../../api/make-reports.ts');
  const sources = folds.flatMap((fold) => (fold.run ? [OpenRun.of(records, fold)] : []));
  for (const { path, text } of await makeReports(reportFilesOf(options), sources)) {
    try {
      writeFileSync(path, text);
    } catch (error) {
      terminal.write(`warning ${path} can't be written: ${(error as Error).message}\n`);
    }
  }
}

/** Chains side by side. Throws `wrong-form`. */
function jobsOf({ jobs = '1' }: RunCommandOptions): number {
  const count = Number(jobs);
  if (Number.isInteger(count) && count >= 1) return count;
  return fail('wrong-form', `--jobs ${jobs} is no number of chains`, { hint: '--jobs 4' });
}

/** Of several chains the highest of 130, 4, 2, 3, 1. */
function worst(exits: readonly ExitCode[]): ExitCode {
  return ([130, 4, 2, 3, 1] as const).find((exit) => exits.includes(exit)) ?? 0;
}

/** The results of one chain, as the event of its end has them. */
export function printOwnResults(
  file: string,
  results: Readonly<Record<string, string>>,
  print?: string,
): void {
  const own = objectOf(Object.entries(results).map(([name, text]) => [name, parseJson(text)]));
  if (Object.keys(own).length > 0) printResults([[file, own]], 1, print);
}

function printResults(results: readonly [string, Value][], chains: number, print: string | undefined): void {
  if (print !== undefined) {
    for (const [, own] of results) {
      const value = memberOf(own as ValueObject, print);
      if (value !== undefined) writeData(`${plainText(value) ?? writeJson(value)}\n`);
    }
  } else if (results.length > 0) {
    writeData(`${writeJson(chains === 1 ? results[0]![1] : objectOf(results), 2)}\n`);
  }
}
