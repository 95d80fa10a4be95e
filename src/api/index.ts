import { resolve } from 'node:path';
import type { Chain, Step } from '../core/chain/model.ts';
import type { RunEvent } from '../core/events.ts';
import { parseJson, writeJson } from '../core/language/json.ts';
import { nameList, nearest } from '../core/language/nearest.ts';
import { Exact, numberText } from '../core/language/numbers.ts';
import { isObject, type Value } from '../core/language/values.ts';
import { loadReader } from './prepare-descriptions.ts';
import { fail, type Problem, ProblemError } from '../core/problems.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import { type ReportName, REPORTS } from '../report/index.ts';
import { EventQueue } from './event-queue.ts';
import { filesOf } from './files-of.ts';
import { load, type Loaded, loadProject } from './load.ts';
import { makeReports } from './make-reports.ts';
import { OpenRun } from './open-run.ts';
import { type OpenWorld, openWorld } from './open-world.ts';
import { recordsOf, runRecorded } from './run-recorded.ts';
import type {
  ChainInfo,
  Failure,
  Finding,
  OpenedProject,
  OpenOptions,
  Run,
  RunOptions,
  RunResult,
  StepResult,
} from './types.ts';

/** What is thrown for anything that a file, an input or a record says wrongly; never for what a service does. */
export class BatharonError extends Error {
  /** The code that `batharon explain` knows. */
  readonly code: string;
  /** What to do about it. */
  readonly hint: string | undefined;
  /** Where it is written. */
  readonly place: Failure['place'] | undefined;

  constructor({ code, message, hint, place }: Problem) {
    super(message);
    this.name = 'BatharonError';
    this.code = code;
    this.hint = hint;
    this.place = place;
  }
}

/** Problems of the core, as errors that are exported. */
async function translated<T>(work: () => T | Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw error instanceof ProblemError ? new BatharonError(error.problem) : error;
  }
}

function translatedNow<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    throw error instanceof ProblemError ? new BatharonError(error.problem) : error;
  }
}

/**
 * Opens the project in a folder, or the nearest one above it. Nothing is sent and no command is run until a chain runs. Throws
 * `BatharonError`.
 */
export async function openProject(folder = '.', options: OpenOptions = {}): Promise<OpenedProject> {
  await loadReader();
  const { project } = await translated(() => loadProject(undefined, false, { from: folder }));
  return new ProjectAtHand(
    resolve(folder),
    project.file === undefined ? undefined : projectFolder(project),
    options,
  );
}

class ProjectAtHand implements OpenedProject {
  readonly folder: string;
  readonly #from: string;
  readonly #options: OpenOptions;
  /** What is open, by the environment and the project file it is for: a file that was changed has other secrets. */
  readonly #worlds = new Map<string, Promise<OpenWorld>>();

  constructor(from: string, folder: string | undefined, options: OpenOptions) {
    this.#from = from;
    this.folder = folder ?? from;
    this.#options = options;
  }

  check(files?: readonly string[]): readonly Finding[] {
    return translatedNow(() => {
      const { findings } = this.#load(files, undefined, false);
      return findings.map(({ finding: { level, ...problem } }) => ({ level, ...failureOf(problem) }));
    });
  }

  chains(files?: readonly string[]): readonly ChainInfo[] {
    return translatedNow(() => this.#load(files, undefined, false).chains.map(infoOf));
  }

  run(file: string, options: RunOptions = {}): Run {
    const { loaded, chain } = translatedNow(() => this.#chainIn(file, options.environment));
    return new RunAtHand(infoOf(chain), (emit) =>
      translated(() => this.#carryOut(loaded, chain, options, emit)),
    );
  }

  async report(runs: string | readonly string[], kind: ReportName): Promise<string> {
    return translated(async () => {
      if (!Object.hasOwn(REPORTS, kind))
        fail('wrong-form', `there is no report ${kind}`, { hint: nameList(Object.keys(REPORTS)) });
      const records = recordsOf(loadProject(undefined, false, { from: this.#from }).project);
      const sources = [runs].flat().map((run) => OpenRun.read(records, records.find(run)));
      const [made] = await makeReports({ [kind]: true }, sources);
      return made!.text;
    });
  }

  async close(): Promise<void> {
    const worlds = [...this.#worlds.values()];
    this.#worlds.clear();
    for (const world of worlds) await (await world).close();
  }

  [Symbol.asyncDispose](): Promise<void> {
    return this.close();
  }

  #load(files: readonly string[] | undefined, environment: string | undefined, choose: boolean): Loaded {
    const paths = (files ?? ['.']).map((file) => resolve(this.#from, file));
    return load(paths, environment, choose, this.#from);
  }

  #chainIn(file: string, environment: string | undefined): { loaded: Loaded; chain: Chain } {
    const loaded = this.#load([file], environment, true);
    const problem = loaded.findings.find(({ finding }) => finding.level === 'problem');
    if (problem) throw new ProblemError(problem.finding as Problem);
    return { loaded, chain: loaded.chains[0]! };
  }

  async #carryOut(
    loaded: Loaded,
    chain: Chain,
    { answers = {}, contract, inputs = {}, signal, leave }: RunOptions,
    emit: (event: RunEvent) => void,
  ): Promise<RunResult> {
    const { project, signInChains } = loaded;
    const values = Object.fromEntries(
      Object.entries(inputs).map(([name, value]) => [name, inputValue(chain, name, value)]),
    );
    const world = await this.#world(loaded);
    const seen = new Seen();
    const interruption = new AbortController();
    const interrupt = (): void =>
      interruption.abort(new ProblemError({ code: 'interrupted', message: 'the run was interrupted' }));
    if (signal?.aborted) interrupt();
    else signal?.addEventListener('abort', interrupt, { once: true });
    const { exit, id, results } = await runRecorded(chain, project, world, {
      options: {
        inputs: values,
        answers: new Map(Object.entries(answers)),
        contract,
        files: filesOf(loaded, chain),
        signal: interruption.signal,
        signInChains,
        ...(leave ? { leave } : {}),
        emit: (event) => {
          seen.take(event);
          emit(event);
        },
      },
    });
    signal?.removeEventListener('abort', interrupt);
    // What was given does not fit: nothing was sent.
    if (exit === 2 && seen.problem) throw new BatharonError(seen.problem as Problem);
    return {
      outcome: exit === 0 ? 'passed' : exit === 130 ? 'interrupted' : 'failed',
      exit,
      results: Object.fromEntries([...results].map(([name, value]) => [name, plain(value)])),
      steps: seen.steps,
      failures: seen.failures,
      record: id,
    };
  }

  #world({ files, project }: Loaded): Promise<OpenWorld> {
    const text = files.find(({ path }) => path === project.file)?.text;
    const key = JSON.stringify([project.environment, text]);
    let world = this.#worlds.get(key);
    if (!world) {
      const { trust, variables = process.env, warn } = this.#options;
      const own = { ...variables, ...(trust ? { BATHARON_TRUST: '1' } : {}) };
      world = openWorld(project, { variables: own, ...(warn ? { warn } : {}) });
      this.#worlds.set(key, world);
      // What could not be opened is tried again by the next run.
      world.catch(() => this.#worlds.delete(key));
    }
    return world;
  }
}

/** A run that begins when somebody listens to it or awaits it. */
class RunAtHand implements Run {
  readonly chain: ChainInfo;
  readonly #begin: (emit: (event: RunEvent) => void) => Promise<RunResult>;
  readonly #queues = new Set<EventQueue<RunEvent>>();
  #result: Promise<RunResult> | undefined;

  constructor(chain: ChainInfo, begin: (emit: (event: RunEvent) => void) => Promise<RunResult>) {
    this.chain = chain;
    this.#begin = begin;
  }

  then<A = RunResult, B = never>(
    resolved?: ((result: RunResult) => A | PromiseLike<A>) | null,
    rejected?: ((reason: unknown) => B | PromiseLike<B>) | null,
  ): Promise<A | B> {
    return this.#started().then(resolved, rejected);
  }

  [Symbol.asyncIterator](): AsyncIterator<RunEvent> {
    const queue = new EventQueue<RunEvent>();
    this.#queues.add(queue);
    this.#started().then(
      () => queue.end(),
      (error: unknown) => queue.end(error),
    );
    return queue;
  }

  #started(): Promise<RunResult> {
    return (this.#result ??= this.#begin((event) => {
      for (const queue of this.#queues) queue.add(event);
    }));
  }
}

/** How the steps of a run ended, by its events. */
class Seen {
  readonly steps: StepResult[] = [];
  readonly failures: (Failure & { step?: string })[] = [];
  /** Why the run as a whole failed. */
  problem: Failure | undefined;
  readonly #titles = new Map<string, string>();

  take(event: RunEvent): void {
    if (event.event === 'step-began') this.#titles.set(event.step, event.title);
    else if (event.event === 'step-ended') {
      const { elapsed, outcome, problem, step } = event;
      const failure = outcome === 'failed' && problem ? failureOf(problem) : undefined;
      this.steps.push({
        address: step,
        title: this.#titles.get(step) ?? step,
        outcome,
        elapsed,
        ...(failure ? { failure } : {}),
      });
      this.#titles.delete(step);
      if (failure) this.failures.push({ step, ...failure });
    } else if (event.event === 'run-ended' && event.problem) {
      this.problem = failureOf(event.problem);
      if (this.failures.length === 0) this.failures.push(this.problem);
    }
  }
}

/** Without members that are undefined, and without a span that is for carets. */
function failureOf({
  code,
  message,
  hint,
  place,
}: {
  readonly code: string;
  readonly message: string;
  readonly hint?: string | undefined;
  readonly place?: Failure['place'] | undefined;
}): Failure {
  return {
    code,
    message,
    ...(hint === undefined ? {} : { hint }),
    ...(place === undefined ? {} : { place: { file: place.file, line: place.line, column: place.column } }),
  };
}

function infoOf({ file, inputs, results, steps, tags, title }: Chain): ChainInfo {
  return {
    title,
    file,
    tags: [...tags],
    inputs: inputs.map(({ name }) => name),
    results: results.map(({ name }) => name),
    steps: steps.map(({ address, title: own }: Step) => ({ address, title: own })),
  };
}

/** The value of an input as the language has it; a path of rows is that of the program. */
function inputValue({ inputs }: Chain, name: string, value: unknown): Value {
  const input = inputs.find((one) => one.name === name);
  const near = nearest(
    name,
    inputs.map((one) => one.name),
  );
  if (!input)
    fail('input-invalid', `the chain has no input ${name}`, near === undefined ? {} : { hint: near });
  if (value instanceof Uint8Array) return value;
  if (input.kind === 'rows' && typeof value === 'string') return resolve(value);
  const text = JSON.stringify(value) as string | undefined;
  if (text === undefined)
    fail('input-invalid', `the input ${name}: a value of type ${typeof value} is no JSON`);
  return parseJson(text);
}

/** A value of the language as one of JavaScript. */
function plain(value: Value): unknown {
  if (value instanceof Uint8Array) return value;
  if (value instanceof Exact) return numberText(value);
  if (Array.isArray(value)) return value.map(plain);
  if (isObject(value))
    return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, plain(one)]));
  return typeof value === 'object' && value !== null
    ? (JSON.parse(writeJson(value, 0, 'text')) as unknown)
    : value;
}

export type * from './types.ts';
export type { RunEvent } from '../core/events.ts';
