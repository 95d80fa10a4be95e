import { countOf } from '../../core/count-of.ts';
import { createHash } from 'node:crypto';
import { statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Chain, Input, Typed } from '../../core/chain/model.ts';
import { Expression } from '../../core/language/expression.ts';
import type { EventOf, ExitCode, RunEvent } from '../../core/events.ts';
import { writeTyped } from '../../core/language/typed-json.ts';
import { memberOf, type Value } from '../../core/language/values.ts';
import { fail, type Problem, ProblemError } from '../../core/problems.ts';
import { changedBesides } from '../../core/record/changed-besides.ts';
import { fromFirstChanged, type FromChanged } from '../../core/record/first-changed.ts';
import type { PastRun } from '../../core/record/past-of-events.ts';
import { readNow, untilChanged } from '../../api/watched-files.ts';
import type { Records } from '../../api/record-types.ts';
import { filesOf } from '../../api/files-of.ts';
import { type Given, inputsOf, readGiven, refuseUnknown } from '../project/given-inputs.ts';
import { onInterruption } from '../terminal/signals.ts';
import { findProjectFile, load, type Loaded, shownPath } from '../../api/load.ts';
import { printFindings, printProblem } from '../terminal/print-findings.ts';
import { agoWords } from '../records/ago-words.ts';
import { type Paces, recordsOf, runRecorded } from '../../api/run-recorded.ts';
import { leftWords, RunView } from '../view/run-view.ts';
import { StepLines } from '../view/step-lines.ts';
import { errorTerminal, type Terminal } from '../terminal/terminal.ts';
import { answersIn, withAnswers } from '../project/missing-inputs.ts';
import { openHere } from '../project/open-here.ts';
import type { OpenWorld } from '../../api/open-world.ts';
import { knownInputs } from '../../api/known-inputs.ts';
import { readPast } from './resume.ts';
import { printOwnResults } from './run.ts';

export interface WatchOptions {
  readonly env?: string;
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  readonly send?: boolean;
}

/** `batharon watch FILE`: checks a chain at each save, and runs it again from the first step that has changed. */
export async function watch(file: string, options: WatchOptions): Promise<ExitCode> {
  const terminal = errorTerminal();
  const interruption = onInterruption('watching was ended');
  let watching: Watching | undefined;
  try {
    // A file that is not there is no file that will change.
    load([file], options.env, true);
    if (statSync(file).isDirectory())
      fail('wrong-form', `${file} is a folder, and one chain is watched`, {
        hint: `batharon watch ${join(file, 'NAME.chain.yaml')}`,
      });
    watching = new Watching(terminal, file, options);
    await watching.carryOut(interruption.signal);
    return 0;
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    printProblem(terminal, error.problem, undefined);
    return 2;
  } finally {
    interruption.stop();
    await watching?.close();
  }
}

/** What the last pass was made with. */
interface Pass {
  readonly chain: Chain;
  readonly inputs: Readonly<Record<string, Value>>;
  readonly files: readonly { readonly path: string; readonly text: string }[];
}

class Watching {
  readonly #terminal: Terminal;
  readonly #lines: StepLines;
  readonly #file: string;
  readonly #options: WatchOptions;
  /** What was given, and what was answered since for inputs without a value. */
  #given: Given;
  /** The record that all passes go on with. */
  #id: string | undefined;
  #last: Pass | undefined;
  /** What the last pass has left to be taken back. */
  #left: EventOf<'undo-left'> | undefined;
  #world: OpenWorld | undefined;
  /** What services have said of their pace holds for the next pass too. */
  readonly #paces: Paces = new Map();

  constructor(terminal: Terminal, file: string, options: WatchOptions) {
    this.#terminal = terminal;
    this.#lines = new StepLines(terminal);
    this.#file = file;
    this.#options = options;
    this.#given = readGiven(options.give ?? [], options.giveFrom);
  }

  /** One pass after the other, until it is ended. */
  async carryOut(ended: AbortSignal): Promise<void> {
    let saved: readonly string[] = [];
    while (!ended.aborted) {
      if (saved.length > 0) {
        this.#terminal.write('\n');
        this.#lines.line('saved', saved.join(', '));
      }
      const { files, loaded } = this.#load();
      const another = new AbortController();
      const end = (): void => another.abort(ended.reason);
      ended.addEventListener('abort', end);
      // A save while a pass goes on begins the next one.
      const changed = untilChanged(files, another.signal);
      if (loaded) {
        const pass = this.#pass(loaded, saved, another.signal).catch((error: unknown) =>
          this.#say(error, loaded),
        );
        if (await Promise.race([pass.then(() => false), changed.then(() => true)])) {
          another.abort(new ProblemError({ code: 'interrupted', message: 'a file was saved' }));
          await pass;
        }
      }
      if (!another.signal.aborted)
        this.#lines.live([this.#terminal.colours.dim('waits for the next save; Ctrl-C ends')]);
      saved = await changed;
      this.#lines.erase();
      ended.removeEventListener('abort', end);
    }
    if (this.#left)
      this.#lines.line('warning', `${leftWords(this.#left)}; batharon cleanup ${this.#id!} carries them out`);
  }

  #say(error: unknown, loaded?: Loaded): void {
    if (!(error instanceof ProblemError)) throw error;
    const { problem }: { problem: Problem } = error;
    printProblem(
      this.#terminal,
      problem,
      loaded?.files.find(({ path }) => path === problem.place?.file),
    );
  }

  /** The chain as it now is, where it can be run, and the files to look at. */
  #load(): {
    readonly loaded?: Loaded;
    readonly files: readonly { path: string; text: string | undefined }[];
  } {
    try {
      const loaded = load([this.#file], this.#options.env, true);
      printFindings(this.#terminal, loaded.findings);
      const problems = loaded.findings.filter(({ finding }) => finding.level === 'problem').length;
      if (problems > 0) this.#terminal.write(`${countOf(problems, 'problem')}; nothing was sent.\n`);
      const [chain] = loaded.chains;
      const own = loaded.files.map(({ path, text }) => ({ path, text }));
      const files = chain
        ? [...own, ...filesOf(loaded, chain).filter(({ path }) => own.every((one) => one.path !== path))]
        : own;
      return { files, ...(problems === 0 && chain ? { loaded } : {}) };
    } catch (error) {
      this.#say(error);
      const project = findProjectFile(process.cwd()) ?? findProjectFile(dirname(this.#file));
      const paths = [this.#file, ...(project === undefined ? [] : [shownPath(project)])];
      // They are as they are now; what is missing may come.
      return { files: paths.map((path) => ({ path, text: readNow(path) })) };
    }
  }

  async #pass(loaded: Loaded, saved: readonly string[], signal: AbortSignal): Promise<void> {
    const { project } = loaded;
    const chain = loaded.chains[0]!;
    refuseUnknown([chain], this.#given);
    const files = filesOf(loaded, chain);
    const textBefore = (path: string | undefined): string | undefined =>
      this.#last?.files.find((one) => one.path === path)?.text;
    const projectChanged =
      this.#last !== undefined &&
      textBefore(project.file) !== files.find(({ path }) => path === project.file)?.text;
    if (projectChanged) await this.close();
    const world = (this.#world ??= await openHere(project));
    const records = recordsOf(project);
    // The practice service knows nothing of what it was asked in an earlier process.
    if (this.#last === undefined && world.practice === undefined)
      await this.#begin(records, chain, project.environment);
    let past = this.#readPast(records, world);
    const known = past ? knownInputs(chain, past) : {};
    // What a default comes to was computed when the run began, and stays unless it is written otherwise now.
    const byDefault = chain.inputs.flatMap(({ default: typed, name }): [string, Value][] =>
      typed?.type === 'value' && !this.#given.has(name) ? [[name, typed.value]] : [],
    );
    const isRewritten = (input: Input): boolean => {
      const earlier = this.#last?.chain.inputs.find(({ name }) => name === input.name);
      return earlier !== undefined && written(earlier.default) !== written(input.default);
    };
    const isKnown = (input: Input): boolean =>
      !this.#given.has(input.name) && memberOf(known, input.name) !== undefined && !isRewritten(input);
    const unknown = chain.inputs.filter((input) => !isKnown(input));
    this.#given = await withAnswers([{ ...chain, inputs: unknown }], this.#given, project.zone);
    const inputs = {
      ...Object.fromEntries(
        chain.inputs.filter(isKnown).map(({ name }) => [name, memberOf(known, name)!] as const),
      ),
      ...inputsOf({ ...chain, inputs: unknown }, this.#given, project.zone),
      ...Object.fromEntries(byDefault),
    };
    const before = { ...known, ...this.#last?.inputs };
    const whole =
      projectChanged ||
      (past !== undefined &&
        this.#last === undefined &&
        !sameProject(files, project.file, this.#baseFiles)) ||
      chain.inputs.some(isRewritten) ||
      chain.inputs.some(
        ({ name }) => past && textOfValue(memberOf(inputs, name)) !== textOfValue(memberOf(before, name)),
      );
    const changed = {
      also: changedBesides(chain, this.#last?.chain, saved),
      anew: this.#options.send ?? false,
      whole,
    };
    let from = past && fromFirstChanged(chain, past.past, changed);
    this.#announce(from, whole);
    this.#last = { chain, inputs, files };
    const undo = this.#options.send ? past?.past.booked.filter(({ step }) => from!.again(step)) : [];
    if (undo && undo.length > 0) {
      await this.#takeBack(loaded, chain, undo, signal);
      past = this.#readPast(records, world);
      from = past && fromFirstChanged(chain, past.past, changed);
    }
    await this.#run(loaded, chain, world, { inputs, past, from, signal });
  }

  #baseFiles: readonly { readonly path: string; readonly digest: string }[] = [];

  /** Begins with what the last run of the chain has told, if there is one. */
  async #begin(records: Records, chain: Chain, environment: string | undefined): Promise<void> {
    for (const run of records.list()) {
      if (
        'unreadable' in run ||
        run.part ||
        run.watch ||
        run.file !== chain.file ||
        run.environment !== environment
      )
        continue;
      if (records.isRunning(run.run) !== undefined) continue;
      this.#id = await records.copy(run.run, () => undefined);
      const { events } = records.events(run.run, (address) => !address.includes('['));
      let at = 0;
      for (const event of events) {
        ({ at } = event);
        if ((event.event === 'run-began' || event.event === 'run-resumed') && event.files)
          this.#baseFiles = event.files;
      }
      this.#terminal.write(
        this.#terminal.colours.dim(
          `begins with what run ${run.run} has recorded, ${agoWords(Date.now() - at)}\n`,
        ),
      );
      return;
    }
  }

  /** What the passes before have done; nothing before the first one, and where they could not be recorded. */
  #readPast(records: Records, world: OpenWorld): PastRun | undefined {
    const id = this.#id;
    if (id === undefined || !records.has(id)) return undefined;
    const none = { sent: () => false, notSent: () => false };
    const past = readPast(records, id, none, {
      given: () => new Map(),
      open: (sealed) => world.sealer.open(sealed),
    });
    if (this.#last === undefined && past.tookBack > 0)
      this.#lines.line(
        'warning',
        'that run has taken back what it did at its end, so what its values point to may be gone (run --leave leaves it)',
      );
    const [undecided] = past.undecided;
    if (undecided && this.#options.send)
      fail('cannot-resume', `${undecided.step} was sent, and it is not known whether it was processed`, {
        hint: `batharon resume ${id}, which asks; or watch without --send`,
      });
    return past;
  }

  #announce(from: FromChanged | undefined, whole: boolean): void {
    if (!from) return;
    const { colours } = this.#terminal;
    const where = whole
      ? 'from the start, since the project or an input is another one'
      : from.first === undefined
        ? 'no step has changed'
        : `from ${from.first} on`;
    this.#lines.line('', colours.dim(where));
  }

  /** What is sent anew is taken back before, so that it is there once. Throws `not-sent` where that fails. */
  async #takeBack(loaded: Loaded, chain: Chain, undo: PastRun['booked'], signal: AbortSignal): Promise<void> {
    const view = new RunView(this.#terminal);
    const { exit } = await runRecorded({ ...chain, cleanup: [] }, loaded.project, this.#world!, {
      options: {
        inputs: {},
        left: { undo, names: new Map() },
        signal,
        paces: this.#paces,
        signInChains: loaded.signInChains,
        emit: (event) => view.show(event),
      },
      resumed: this.#id,
    });
    if (exit !== 0)
      fail('not-sent', 'what was made before could not be taken back, so nothing is sent anew', {
        hint: `batharon cleanup ${this.#id!}, and the next save`,
      });
  }

  async #run(
    loaded: Loaded,
    chain: Chain,
    world: OpenWorld,
    {
      inputs,
      past,
      from,
      signal,
    }: {
      readonly inputs: Readonly<Record<string, Value>>;
      readonly past: PastRun | undefined;
      readonly from: FromChanged | undefined;
      readonly signal: AbortSignal;
    },
  ): Promise<void> {
    const view = new RunView(this.#terminal, true);
    let results: Readonly<Record<string, string>> = {};
    const { id } = await runRecorded(chain, loaded.project, world, {
      options: {
        inputs,
        signal,
        leave: true,
        watch: true,
        answers: answersIn(chain, this.#given),
        answeredBefore: (address, fingerprint) => answerIn(past?.past.step(address), address, fingerprint),
        paces: this.#paces,
        signInChains: loaded.signInChains,
        files: filesOf(loaded, chain),
        past: from?.past,
        ...(this.#options.send ? {} : { responses: past?.responses() ?? { take: () => undefined } }),
        emit: (event: RunEvent) => {
          if (event.event === 'run-ended') ({ results } = event);
          if (event.event === 'run-resumed') this.#left = undefined;
          if (event.event === 'undo-left') this.#left = event;
          view.show(event);
        },
      },
      resumed: past && this.#id,
    });
    this.#id = id;
    printOwnResults(chain.file, results);
  }

  async close(): Promise<void> {
    await this.#world?.close();
    this.#world = undefined;
  }
}

function textOfValue(value: Value | undefined): string | undefined {
  return value === undefined ? undefined : writeTyped(value);
}

/** What was answered to a question that is asked as it was. */
function answerIn(
  step: ReturnType<PastRun['past']['step']>,
  address: string,
  fingerprint: string,
): Value | undefined {
  const name = address.slice(address.lastIndexOf('.') + 1);
  return step?.fingerprint === fingerprint ? step.kept.get(name) : undefined;
}

/** Whether the project file is as it was when a run was made. */
function sameProject(
  files: Pass['files'],
  path: string | undefined,
  recorded: readonly { readonly path: string; readonly digest: string }[],
): boolean {
  const now = files.find((one) => one.path === path);
  const before = recorded.find((one) => one.path === path);
  return (now && createHash('sha256').update(now.text).digest('hex')) === before?.digest;
}

/** A default as it is written. */
function written(typed: Typed | undefined): string {
  return JSON.stringify(typed, (_, value: unknown) =>
    value instanceof Expression ? value.text : typeof value === 'function' ? undefined : value,
  );
}
