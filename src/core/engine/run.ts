import type { CallStep, Chain, Project, Step } from '../chain/model.ts';
import { EVENT_VERSION } from '../event-version.ts';
import type { ExitCode, Outcome } from '../events.ts';
import { writeJson } from '../language/json.ts';
import { shorten, visible } from '../language/show.ts';
import { Duration, isObject, memberOf, objectOf, Time, type Value } from '../language/values.ts';
import type { Ports } from '../ports.ts';
import { type Problem, ProblemError } from '../problems.ts';
import { answerNames, headerObject } from './answer-names.ts';
import { type CallResult, carryOutCall } from './call.ts';
import { type NestedResult, SignInChains } from './sign-in-chain.ts';
import { eventProblem, placed, RunContext, type RunOptions, throwNothing } from './context.ts';
import { Interruption } from './interruption.ts';
import { evaluateAll, StepOutcome } from './outcome.ts';
import { prepare } from './prepare.ts';
import type { SavedBody } from './saved-body.ts';
import { describeText } from './read-answer.ts';

/** Codes of failures in which the service gave no answer that could be looked at: the run could not be completed. */
const INCOMPLETE: ReadonlySet<string> = new Set([
  ...[
    'time-limit',
    'connection-refused',
    'connection-reset',
    'unknown-host',
    'host-unreachable',
    'certificate-refused',
  ],
  ...[
    'not-http',
    'body-too-large',
    'body-broken',
    'headers-too-large',
    'too-many-redirects',
    'redirect-invalid',
    'no-answer',
    'proxy-refused',
    'file-not-written',
  ],
  ...['sign-in-refused', 'sign-in-failed'],
]);

/** How a run ended. */
export interface RunResult {
  readonly exit: ExitCode;
  readonly results: ReadonlyMap<string, Value>;
}

interface StepResult {
  readonly outcome: Outcome;
  readonly problem?: Problem;
  /** The steps behind it are not carried out. */
  readonly stops: boolean;
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
  return new Runner(new RunContext(chain, project, ports, options)).run();
}

class Runner {
  readonly #context: RunContext;
  #exit: ExitCode = 0;

  constructor(context: RunContext) {
    this.#context = context;
    context.signIns ??= new SignInChains();
    context.runNested = (chain, inputs, credential) => this.#nested(chain, inputs, credential);
  }

  /** A chain inside this run: its events stay inside, all but why it broke. */
  async #nested(
    chain: Chain,
    inputs: Readonly<Record<string, Value>>,
    credential: string,
  ): Promise<NestedResult> {
    const context = this.#context;
    let problem: Problem | undefined;
    const missing = chain.inputs.find(
      (input) => inputs[input.name] === undefined && input.default === undefined,
    );
    if (missing)
      return {
        results: new Map(),
        problem: {
          code: 'input-missing',
          message: `its input ${missing.name} is not given`,
          instead: `inputs: with ${missing.name} in the credential`,
        },
      };
    const given = Object.fromEntries(
      chain.inputs.flatMap(({ name, default: usual }) => {
        const value = inputs[name] ?? usual;
        return value === undefined ? [] : [[name, value]];
      }),
    );
    const nested = new RunContext(
      chain,
      context.project,
      context.ports,
      {
        ...context.options,
        inputs: given,
        signal: context.interruption.signal,
        emit: (event) => {
          if ((event.event === 'step-ended' || event.event === 'run-ended') && event.problem)
            problem ??= event.problem as Problem;
        },
      },
      { context, credential },
    );
    const { exit, results } = await new Runner(nested).run();
    context.calls += nested.calls;
    if (exit === 0) return { results };
    return { results, problem: problem ?? { code: 'sign-in-failed', message: 'its chain did not hold' } };
  }

  async run(): Promise<RunResult> {
    const context = this.#context;
    const { chain, options, ports, project } = context;
    const began = ports.clock.elapsed();
    let problem: Problem | undefined;
    let results = new Map<string, Value>();
    try {
      await prepare(context);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      problem = error.problem;
    }
    context.emit({
      event: 'run-began',
      version: EVENT_VERSION,
      run: options.id,
      chain: chain.title,
      file: chain.file,
      ...(project.environment === undefined ? {} : { environment: project.environment }),
      inputs: Object.fromEntries(
        chain.inputs.map(({ name }) => [
          name,
          context.masker.text(writeJson(context.names.get(name) ?? null, 0, 'base64')),
        ]),
      ),
      steps: chain.steps.length,
    });
    if (!problem) this.#warn();
    if (problem) {
      this.#raise(2);
    } else {
      context.names.set(
        'run',
        objectOf([
          ['id', options.id],
          ['started', new Time(ports.clock.now())],
        ]),
      );
      const stopped = await this.#steps(chain.steps);
      if (!stopped && !options.signal.aborted) {
        try {
          results = this.#results();
        } catch (error) {
          if (!(error instanceof ProblemError)) throw error;
          problem = error.problem;
          this.#raise(1);
        }
      }
      await this.#cleanup();
    }
    if (options.signal.aborted) this.#raise(130);
    const outcome = this.#exit === 0 ? 'held' : this.#exit === 130 ? 'cut off' : 'broke';
    context.emit({
      event: 'run-ended',
      outcome,
      exit: this.#exit,
      results: Object.fromEntries(
        [...results].map(([name, value]) => [
          name,
          context.members.hide(context.masker.text(writeJson(value, 0, 'base64'))),
        ]),
      ),
      calls: context.calls,
      elapsed: ports.clock.elapsed() - began,
      ...(problem ? { problem: eventProblem(problem) } : {}),
    });
    return { exit: this.#exit, results };
  }

  /** What is dangerous is said on every run. */
  #warn(): void {
    const used = new Set<string>();
    const visit = (step: Step): void => {
      if (step.type === 'group') [...step.steps, ...(step.otherwise ?? [])].forEach(visit);
      const service = step.type === 'call' ? this.#context.serviceOf(step) : undefined;
      if (service?.tls?.verify === false) used.add(service.name);
    };
    [...this.#context.chain.steps, ...this.#context.chain.cleanup].forEach(visit);
    for (const name of used)
      this.#context.remark(
        undefined,
        'not-verified',
        `verify: no: the certificate of ${name} is not looked at, so whoever answers may be somebody else`,
      );
  }

  #raise(exit: ExitCode): void {
    const rank: readonly ExitCode[] = [0, 1, 3, 2, 130];
    if (rank.indexOf(exit) > rank.indexOf(this.#exit)) this.#exit = exit;
  }

  #results(): Map<string, Value> {
    const environment = this.#context.environment(undefined);
    return new Map(
      this.#context.chain.results.map(({ name, value }) => [name, evaluateAll(value, environment)]),
    );
  }

  /** Carries steps out in order; true where one of them stopped the run. */
  async #steps(steps: readonly Step[]): Promise<boolean> {
    for (const step of steps) {
      if (this.#context.interruption.signal.aborted) return true;
      const result = await this.#step(step);
      if (result.stops) return true;
    }
    return false;
  }

  /** At the end of a run, whatever happened; a step that needs a name which was never kept is skipped. */
  async #cleanup(): Promise<void> {
    const context = this.#context;
    const { cleanup } = context.chain;
    if (cleanup.length === 0) return;
    context.emit({ event: 'cleanup-began', steps: cleanup.length });
    context.interruption = new Interruption(new AbortController().signal);
    const defined = new Set(
      cleanup.flatMap(({ keep, name }) => [
        ...keep.map((one) => one.name),
        ...(name === undefined ? [] : [name]),
      ]),
    );
    for (const step of cleanup) {
      const missing = [...usedNames(step)].find(
        (name) => !context.names.has(name) && !defined.has(name) && keptSomewhere(context.chain.steps, name),
      );
      if (missing !== undefined) this.#skip(step, `${missing} was never kept`);
      else await this.#step(step);
    }
  }

  #skip(step: Step, reason: string): StepResult {
    this.#begin(step);
    this.#context.emit({ event: 'step-ended', step: step.address, outcome: 'skipped', elapsed: 0, reason });
    this.#setStep(step, 'skipped', 0);
    return { outcome: 'skipped', stops: false };
  }

  #begin(step: Step): void {
    this.#context.emit({
      event: 'step-began',
      step: step.address,
      type: step.type,
      title: step.title,
      hash: step.hash,
      place: step.at,
      ...(step.type === 'call' ? { request: `${step.method} ${step.written}` } : {}),
    });
  }

  async #step(step: Step): Promise<StepResult> {
    const context = this.#context;
    const lostName =
      context.lost.size === 0 ? undefined : [...usedNames(step)].find((name) => context.lost.has(name));
    if (lostName !== undefined) {
      this.#lose(step);
      return this.#skip(step, `it needs ${lostName}, and ${context.lost.get(lostName)!} failed`);
    }
    const began = context.ports.clock.elapsed();
    let call: CallResult | undefined;
    let problem: Problem | undefined;
    let begun = false;
    try {
      if (step.when && !this.#holds(step)) {
        if (step.type === 'group' && step.otherwise) return await this.#group(step, step.otherwise, began);
        return this.#skip(step, `when: ${step.when.expression.text} does not hold`);
      }
      if (step.type === 'group') return await this.#group(step, step.steps, began);
      this.#begin(step);
      begun = true;
      if (step.type === 'wait') {
        const milliseconds = context.duration(step.duration, context.environment(step));
        context.emit({ event: 'waiting', step: step.address, for: milliseconds });
        await context.sleep(milliseconds);
      }
      if (step.type === 'call') call = await carryOutCall(context, step);
      const outcome = this.#outcome(step, call);
      if (call?.saved && !outcome.problem) await this.#keepSaved(step, call.saved);
      if (!outcome.problem) outcome.show();
      ({ problem } = outcome);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      ({ problem } = error);
      if (!begun) this.#begin(step); // its condition could not be told
    }
    if (problem) await call?.saved?.discard();
    return this.#settle(step, began, call, problem);
  }

  /** The file gets its real name now that the step has held. */
  async #keepSaved(step: Step, saved: SavedBody): Promise<void> {
    await saved.commit();
    this.#context.emit({ event: 'saved', step: step.address, path: saved.path, size: saved.size });
  }

  #holds(step: Step): boolean {
    const when = step.when!;
    const environment = this.#context.environment(step);
    const held = placed(when, () => when.expression.test(environment));
    return held ?? throwNothing(when, environment);
  }

  async #group(step: Step & { type: 'group' }, steps: readonly Step[], began: number): Promise<StepResult> {
    this.#begin(step);
    const stopped = await this.#steps(steps);
    let problem: Problem | undefined;
    if (stopped) problem = { code: 'not-as-expected', message: 'a step of this group broke' };
    else {
      const outcome = this.#outcome(step, undefined);
      if (!outcome.problem) outcome.show();
      ({ problem } = outcome);
    }
    if (stopped && step.onFail === 'stop') {
      const cut = this.#context.interruption.signal.aborted;
      this.#ended(step, cut ? 'cut off' : 'broke', began, undefined);
      return { outcome: 'broke', stops: true };
    }
    if (!stopped) return this.#settle(step, began, undefined, problem);
    this.#lose(step);
    this.#ended(step, 'broke', began, problem);
    return { outcome: 'broke', stops: false };
  }

  /** Expectations and keep. */
  #outcome(step: Step, call: CallResult | undefined): StepOutcome {
    const environment = call
      ? this.#context.environment(step, call.body.value, answerNames(call))
      : this.#context.environment(step);
    const { text, type } = call?.body ?? {};
    const page = text !== undefined && type === 'text/html' ? describeText(text, undefined) : undefined;
    const outcome = new StepOutcome(this.#context, step, environment, page);
    if (call && step.type === 'call') {
      this.#usualExpectations(step, call, outcome);
      if (step.serviceExpect) outcome.expectAll(this.#context.serviceOf(step)?.expect ?? []);
    }
    outcome.expect(false);
    // A failed expectation does not keep later ones from being tried, but names are kept only from what held.
    if (!outcome.problem) {
      outcome.keep(call?.url);
      outcome.expect(true);
    }
    return outcome;
  }

  #usualExpectations(step: CallStep, { answer, body }: CallResult, outcome: StepOutcome): void {
    if (step.expectsSuccess && answer.status >= 400) {
      const said = whatItSaid(body);
      const instead = answer.status === 401 ? refusedAdvice(step, this.#context) : undefined;
      outcome.failed('status < 400', `${answer.status}${said}`, {
        code: 'status-not-expected',
        ...(instead === undefined ? {} : { instead }),
      });
    }
    if (body.problem)
      outcome.failed(body.problem.expected, body.problem.came, {
        code: 'answer-not-as-typed',
        instead: 'read-as: text reads it as it is',
      });
  }

  #settle(step: Step, began: number, call: CallResult | undefined, problem: Problem | undefined): StepResult {
    const interrupted = problem?.code === 'interrupted';
    const outcome: Outcome = problem ? (interrupted ? 'cut off' : 'broke') : 'held';
    this.#ended(step, outcome, began, problem, call);
    if (!problem) return { outcome, stops: false };
    if (!interrupted) this.#raise(INCOMPLETE.has(problem.code) ? 3 : 1);
    if (step.onFail === 'continue' && !interrupted) {
      this.#lose(step);
      return { outcome, problem, stops: false };
    }
    return { outcome, problem, stops: true };
  }

  #ended(step: Step, outcome: Outcome, began: number, problem: Problem | undefined, call?: CallResult): void {
    const elapsed = this.#context.ports.clock.elapsed() - began;
    this.#context.emit({
      event: 'step-ended',
      step: step.address,
      outcome,
      elapsed: Math.round(elapsed * 100) / 100,
      ...(problem ? { problem: eventProblem(problem) } : {}),
    });
    this.#setStep(step, outcome, elapsed, problem, call);
  }

  /** Names that a failed step would have kept can't be used below it. */
  #lose(step: Step): void {
    for (const name of keptNames(step))
      if (!this.#context.names.has(name)) this.#context.lost.set(name, step.title);
  }

  /** What later steps can say of this one. */
  #setStep(step: Step, outcome: Outcome, elapsed: number, problem?: Problem, call?: CallResult): void {
    if (step.name === undefined) return;
    const about: [string, Value][] = [
      ['ok', outcome === 'held'],
      ['skipped', outcome === 'skipped'],
      ['failed', outcome === 'broke' || outcome === 'cut off'],
      ['elapsed', new Duration(elapsed)],
    ];
    if (problem) about.push(['problem', problem.message]);
    if (step.type === 'call') about.push(['attempts', call?.attempts ?? 0]);
    if (call) {
      about.push(
        ['status', call.answer.status],
        ['headers', headerObject(call.answer.headers)],
        ['url', call.url],
      );
      if (call.body.value !== undefined) about.push(['body', call.body.value]);
      this.#context.cameFrom.set(step.name, call.url);
    }
    this.#context.names.set(step.name, objectOf(about));
  }
}

/** What the body of an error says, in a few words: the title of a page, or the details of a problem (RFC 9457). */
function whatItSaid({ text, type, value }: CallResult['body']): string {
  if (text === undefined || text === '') return '';
  if (type !== undefined && /html/.test(type)) return `, ${describeText(text, undefined)}`;
  if (!isObject(value)) return '';
  const said = ['detail', 'error_description', 'message', 'title', 'error'].flatMap((name) => {
    const member = memberOf(value, name);
    return typeof member === 'string' && member !== '' ? [member] : [];
  })[0];
  return said === undefined ? '' : `, "${visible(shorten(said, 120))}"`;
}

function refusedAdvice(step: CallStep, { project }: RunContext): string {
  const service = step.target.type === 'url' ? undefined : project.services.get(step.target.service);
  const name = step.as ?? service?.as;
  if (name === undefined || name === 'nobody')
    return 'the request carried no credential: as: on the call or its service names one';
  return `the service did not accept the credential ${name} (${project.credentials.get(name)!.kind})`;
}

/** The names that a step uses, those of steps inside it left out: they are asked for when it is their turn. */
function usedNames(step: Step): ReadonlySet<string> {
  const own = new Set(step.keep.map(({ name }) => name));
  return new Set([...step.uses].filter((name) => !own.has(name)));
}

function keptNames(step: Step): string[] {
  const inner = step.type === 'group' ? [...step.steps, ...(step.otherwise ?? [])].flatMap(keptNames) : [];
  return [...step.keep.map(({ name }) => name), ...inner];
}

function keptSomewhere(steps: readonly Step[], name: string): boolean {
  return steps.some(
    (step) =>
      step.name === name ||
      keptNames(step).includes(name) ||
      (step.type === 'group' && keptSomewhere([...step.steps, ...(step.otherwise ?? [])], name)),
  );
}
