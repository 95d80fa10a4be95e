import { type Chain, type Step, stepsIn } from '../../chain/model.ts';
import type { Project } from '../../chain/project.ts';
import { EVENT_VERSION } from '../../event-version.ts';
import type { ExitCode, RunEvent } from '../../events.ts';
import { utf8 } from '../../language/encodings.ts';
import { hideWhileRunning } from '../../language/hidden.ts';
import { writeJson } from '../../language/json.ts';
import { nameList } from '../../language/nearest.ts';
import { memberOf, type Value } from '../../language/values.ts';
import type { Ports } from '../../ports.ts';
import { type Problem, problemOf } from '../../problems.ts';
import { isSecret } from '../../chain/read/read-outcome.ts';
import { StepRunner } from '../steps/step-runner.ts';
import { RunContext } from '../scope/context.ts';
import type { LeftOver, RunOptions } from '../scope/run-options.ts';
import { eventProblem } from '../scope/with-place.ts';
import { evaluateAll } from '../scope/evaluate.ts';
import { refuseBeyondBudget } from '../steps/planned-calls.ts';
import { servicesAt } from './chain-needs.ts';
import { changesAhead } from './changes-ahead.ts';
import { MOST_TOLD, tellSignIn, whyItFailed, whySignInFailed } from '../sign-in/sign-in-events.ts';
import { computedValues } from '../scope/inputs.ts';
import { prepare } from './prepare.ts';
import { changedSince } from '../steps/restore.ts';
import { recordedNames, recordedValue } from '../scope/recorded-value.ts';
import { SignInChains } from '../sign-in/sign-in-chain.ts';
import type { NestedResult } from '../scope/sign-ins.ts';

/** How a run ended. */
export interface RunResult {
  readonly exit: ExitCode;
  readonly results: ReadonlyMap<string, Value>;
}

/**
 * Carries out a checked chain. All that happens is told through `options.emit`, masked; nothing else comes out besides
 * the results. Never throws for anything that a chain, a service or a person does.
 */
export async function run(
  chain: Chain,
  project: Project,
  ports: Ports,
  options: RunOptions,
): Promise<RunResult> {
  return new Run(new RunContext(chain, project, ports, { options })).carryOut();
}

/** Lets chains sign in inside of a part of a run. */
export function equip(context: RunContext): void {
  new Run(context);
}

class Run {
  readonly #context: RunContext;
  readonly #runner = new StepRunner();

  constructor(context: RunContext) {
    this.#context = context;
    if (!context.signIns) context.shareSignIns(new SignInChains());
    context.runNested = (...of) => this.#nested(...of);
    if (context.guarding) context.guarding.ahead = () => changesAhead(context);
  }

  /** A chain that signs in for a step, whose events are told under the step and the name of the credential. */
  async #nested(
    chain: Chain,
    inputs: Readonly<Record<string, Value>>,
    credential: string,
    address: string,
  ): Promise<NestedResult> {
    const context = this.#context;
    const told: RunEvent[] = [];
    const missing = chain.inputs.find(
      (input) => memberOf(inputs, input.name) === undefined && input.default === undefined,
    );
    if (missing)
      return {
        results: new Map(),
        problem: {
          code: 'input-missing',
          message: `its input ${missing.name} is not given`,
          hint: `inputs: with ${missing.name} in the credential`,
        },
      };
    // Its responses hold what it is carried out for, so no body of them is kept.
    const { record: _, ...ports } = context.ports;
    const nested = new RunContext(chain, context.project, ports, {
      options: {
        ...context.options,
        // Addresses and names of the run around it mean nothing here.
        past: undefined,
        responses: undefined,
        answeredBefore: undefined,
        known: undefined,
        inputs,
        signal: context.interruption.signal,
        paces: context.paces,
        emit: (event) => {
          if (told.length < MOST_TOLD || whyItFailed(event)) told.push(event);
        },
      },
      within: { context, credential },
    });
    const { exit, results } = await new Run(nested).carryOut();
    context.count(nested.calls);
    // What it gives is secret before anything of it is told.
    for (const value of results.values()) context.hidden.hide(value, `token of ${credential}`);
    tellSignIn(context, address, credential, told);
    return exit === 0 ? { results } : { results, problem: whySignInFailed(told) };
  }

  async carryOut(): Promise<RunResult> {
    const context = this.#context;
    const { options } = context;
    const began = context.elapsed();
    const ended = hideWhileRunning((text) => context.masker.text(text));
    let problem: Problem | undefined;
    let results = new Map<string, Value>();
    try {
      await prepare(context);
      // Of a run that goes on most calls have been made.
      if (!options.left && !options.past) await refuseBeyondBudget(context, context.chain.steps);
    } catch (error) {
      context.noteDefect(error);
      problem = problemOf(error);
    }
    const begun = await this.#caught(() => this.#begin());
    problem ??= begun;
    if (problem)
      this.#runner.raise(problem.code === 'budget-used-up' ? 3 : problem.code === 'defect' ? 4 : 2);
    else {
      problem = await this.#caught(async () => {
        this.#warn();
        const done = await this.#steps();
        results = done.results;
        return done.problem;
      });
    }
    const elapsed = context.elapsed() - began;
    if (context.hasDefect) this.#runner.raise(4);
    if (options.signal.aborted)
      this.#runner.raise(problemOf(options.signal.reason).code === 'defect' ? 4 : 130);
    const { exit } = this.#runner;
    const outcome = exit === 0 ? 'passed' : exit === 130 ? 'interrupted' : 'failed';
    context.emit({
      event: 'run-ended',
      outcome,
      exit,
      results: Object.fromEntries(
        [...results].map(([name, value]) => [name, this.#shownResult(name, value)]),
      ),
      calls: context.calls,
      elapsed,
      ...(problem ? { problem: eventProblem(problem) } : {}),
    });
    ended();
    if (context.hasDefect) this.#runner.raise(4);
    return { exit: this.#runner.exit, results };
  }

  /** Does something; returns what is wrong, also where that is a defect of the program. */
  async #caught(work: () => unknown): Promise<Problem | undefined> {
    try {
      return ((await work()) as Problem | undefined) ?? undefined;
    } catch (error) {
      this.#context.noteDefect(error);
      const problem = problemOf(error);
      this.#runner.raise(problem.code === 'defect' ? 4 : 1);
      return problem;
    }
  }

  /** A result for people: one that uses a secret is masked, and named where a part of it is too short to be found. */
  #shownResult(name: string, value: Value): string {
    const { chain, hidden } = this.#context;
    const expression = chain.results.find((one) => one.name === name)?.value;
    return expression && isSecret(expression) && !hidden.hide(value, `secret ${name}`)
      ? JSON.stringify(`‹secret ${name}›`)
      : hidden.value(writeJson(value, 0, 'text'));
  }

  #begin(): void {
    const context = this.#context;
    const { chain, options, project } = context;
    const files = this.#keepFiles();
    const about = {
      version: EVENT_VERSION,
      run: options.id,
      chain: chain.title,
      file: chain.file,
      ...(project.environment === undefined ? {} : { environment: project.environment }),
      ...(project.guard === 'none' ? {} : { guard: project.guard }),
      ...servicesAt(context),
    } as const;
    if (options.past || options.left) {
      const anew = (options.givenAnew ?? []).map((name): [string, Value] => [
        name,
        context.names.get(name) ?? null,
      ]);
      const changed = options.past ? changedSince(chain, options.past) : [];
      context.emit({
        event: 'run-resumed',
        ...about,
        ...files,
        ...(options.left ? { cleanup: true } : {}),
        ...(anew.length > 0 ? { inputs: recordedNames(context, anew) } : {}),
        changed,
        ...(options.watch ? { watch: true } : {}),
      });
    } else {
      const inputs = chain.inputs.map(
        ({ name }) => [name, recordedValue(context, context.names.get(name) ?? null)] as const,
      );
      const values = computedValues(context);
      const sealed = inputs.flatMap(([name, one]) => (one.sealed === undefined ? [] : [[name, one.sealed]]));
      const typed = inputs.flatMap(([name, one]) => (one.typed === undefined ? [] : [[name, one.typed]]));
      context.emit({
        event: 'run-began',
        ...about,
        inputs: Object.fromEntries(inputs.map(([name, { value }]) => [name, value])),
        ...(sealed.length === 0 ? {} : { sealed: Object.fromEntries(sealed) as Record<string, string> }),
        ...(typed.length === 0 ? {} : { typed: Object.fromEntries(typed) as Record<string, string> }),
        ...(Object.keys(values).length === 0 ? {} : { values }),
        steps: chain.steps.length,
        ...files,
        ...(options.part || options.cases ? { part: true } : {}),
        ...(options.watch ? { watch: true } : {}),
        ...(options.spread ? { spread: true } : {}),
      });
    }
    context.tellLearned();
    const given = chain.inputs.flatMap(({ name }): [string, Value][] => {
      const value = context.names.get(name);
      return value === undefined ? [] : [[name, value]];
    });
    options.spread?.begin({
      started: context.started,
      values: context.values,
      inputs: Object.fromEntries(given),
    });
  }

  /** Keeps the files as they are now, without secrets that stand in them. */
  #keepFiles(): { readonly files?: { path: string; digest: string }[] } {
    const { hidden, options, ports } = this.#context;
    const { digests, record } = ports;
    if (!record || !options.files) return {};
    const files = options.files.map(({ path, text }) => {
      const masked = hidden.masker.text(text);
      const digest = digests.identify(utf8(masked));
      record.keep(digest, masked);
      return { path, digest };
    });
    return { files };
  }

  /** What is dangerous is said on every run. */
  #warn(): void {
    for (const which of this.#context.tooShort) this.#context.warnTooShort(undefined, which);
    const used = new Set<string>();
    const visit = (step: Step): void => {
      stepsIn(step).forEach(visit);
      const service = step.type === 'call' ? this.#context.serviceOf(step) : undefined;
      if (service?.tls?.verify === false) used.add(service.name);
    };
    [...this.#context.chain.steps, ...this.#context.chain.cleanup].forEach(visit);
    for (const name of used)
      this.#context.warn(
        undefined,
        'not-verified',
        `verify: no: the certificate of ${name} is not looked at, so whoever answers may be somebody else`,
      );
  }

  /** The steps, what they come to, and what is done at the end whatever happened. */
  async #steps(): Promise<{ problem?: Problem; results: Map<string, Value> }> {
    const context = this.#context;
    const { chain, options } = context;
    const runner = this.#runner;
    if (options.left) return this.#takeBack(options.left);
    runner.undo.bookCleanup(context, chain);
    for (const address of runner.undo.bookPast(context, options.past?.booked ?? []))
      context.warn(
        undefined,
        'no-such-step',
        `${address} was booked to be taken back, and the chain has no undo for it any more`,
      );
    let results = new Map<string, Value>();
    // Whatever goes wrong, what was made is taken back.
    const failures = [
      await this.#caught(async () => {
        if (await runner.steps(context, chain.steps)) return undefined;
        const missing = context.cases?.missing;
        if (missing) {
          runner.raise(2);
          return missing;
        }
        results = this.#results();
        return undefined;
      }),
      await this.#caught(async () => {
        if (options.leave) runner.undo.leave(context);
        else await runner.undo.carryOut(runner);
        return undefined;
      }),
      await this.#caught(async () => {
        await context.close();
        return undefined;
      }),
    ];
    const problem = failures.find((one) => one !== undefined) ?? runner.missing;
    return { results, ...(problem ? { problem } : {}) };
  }

  /** Undo and cleanup of an earlier run, and nothing else. */
  async #takeBack(left: LeftOver): Promise<{ problem?: Problem; results: Map<string, Value> }> {
    const runner = this.#runner;
    const missing = runner.undo.bookLeft(this.#context, left);
    await runner.undo.carryOut(runner);
    await this.#context.close();
    if (missing.length === 0) return { results: new Map() };
    runner.raise(3);
    return {
      results: new Map(),
      problem: {
        code: 'no-such-step',
        message: `the chain has no undo for ${nameList(missing)} any more`,
        hint: 'the chain as it was when the run was made',
      },
    };
  }

  #results(): Map<string, Value> {
    const environment = this.#context.environment(undefined);
    return new Map(
      this.#context.chain.results.map(({ name, value }) => [name, evaluateAll(value, environment)]),
    );
  }
}
