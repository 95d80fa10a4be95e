import { type CallStep, type GroupStep, keepsOwnName, type Step } from '../../chain/model.ts';
import type { ExitCode, Outcome } from '../../events.ts';
import type { Environment } from '../../language/environment.ts';
import { Duration, objectOf, type Value } from '../../language/values.ts';
import { exitOf } from '../../problem-codes.ts';
import { type Problem, ProblemError, problemOf } from '../../problems.ts';
import { responseNames, headerObject } from '../wire/response-names.ts';
import { carryOutCall } from '../call/call.ts';
import type { RunContext } from '../scope/context.ts';
import { stepName } from '../scope/names.ts';
import { durationOf } from '../scope/settings.ts';
import { eventProblem, placed, problemObject, throwNothing } from '../scope/with-place.ts';
import { carryOutAsk } from './ask.ts';
import { carryOutEach } from './each.ts';
import { carryOutFollow } from './follow.ts';
import { StepOutcome } from './outcome.ts';
import { describeText } from '../wire/read-response.ts';
import { interrupted } from '../time/interruption.ts';
import { warnNextPage } from '../call/next-page.ts';
import { carryOutRepeat } from './repeat.ts';
import type { SavedBody } from '../wire/saved-body.ts';
import { SAID_PROCESSED, type PastStep } from '../past-run.ts';
import { recordedValue } from '../scope/recorded-value.ts';
import { passedBefore, restore } from './restore.ts';
import { refusedAdvice } from './refused-advice.ts';
import { usedNames } from '../scope/used-names.ts';
import { Undo } from './undo.ts';
import { namesKeptBy } from './names-kept-by.ts';
import { tellUntold } from '../exchange/hold-to-contract.ts';
import { mustFail } from './must-fail.ts';
import { writeRow } from './write-row.ts';
import type { Stop } from '../spread.ts';
import type { Done } from './step-result.ts';
import { saidInstead } from '../wire/error-summary.ts';
import { defaultExpectations } from './default-expectations.ts';
import { isAccepted, mayFail } from './acceptance.ts';

/** Carries steps out, one after the other, and settles how each ended. One for a run, whatever its chains. */
export class StepRunner {
  exit: ExitCode = 0;
  readonly undo = new Undo();

  /** Of several problems the exit code is the highest of 130, 4, 2, 3, 1. */
  raise(exit: ExitCode): void {
    const rank: readonly ExitCode[] = [0, 1, 3, 2, 4, 130];
    if (rank.indexOf(exit) > rank.indexOf(this.exit)) this.exit = exit;
  }

  /** What could not be done for want of a name that no failure explains: a run in which something is missing has not passed. */
  missing: Problem | undefined;

  #miss(context: RunContext, step: Step, name: string, giver: string): void {
    if (this.exit !== 0) return;
    this.raise(1);
    this.missing = {
      code: 'may-be-nothing',
      message: `${context.address(step)} was not carried out: it needs ${name}, which the response to ${giver} would have given`,
      hint: `batharon resume ${context.options.id} --give ${name}=…`,
      place: step.at,
    };
  }

  /** Carries steps out in order; returns why it stopped, if it did. */
  async steps(context: RunContext, steps: readonly Step[]): Promise<Stop | undefined> {
    for (const step of steps) {
      const { signal } = context.interruption;
      if (signal.aborted) return { address: context.address(step), problem: interrupted(signal) };
      const stop = await this.step(context, step);
      if (stop) return stop;
    }
    return undefined;
  }

  /** Skips a step, and says why. */
  skip(context: RunContext, step: Step, reason: string): void {
    const before = context.options.past?.step(context.address(step));
    if (before?.outcome === 'skipped') return this.#setStep(context, step, 'skipped', { elapsed: 0 });
    this.#begin(context, step);
    context.emit({
      event: 'step-ended',
      step: context.address(step),
      outcome: 'skipped',
      elapsed: 0,
      reason,
    });
    this.#setStep(context, step, 'skipped', { elapsed: 0 });
  }

  #begin(context: RunContext, step: Step): void {
    context.touch();
    context.emit({
      event: 'step-began',
      step: context.address(step),
      type: step.type,
      title: step.title,
      fingerprint: step.fingerprint(),
      place: step.at,
      ...(step.type === 'call' ? { request: `${step.method} ${step.written}` } : {}),
    });
  }

  /** Carries one step out; returns why the steps behind it are not, if so. */
  async step(context: RunContext, step: Step): Promise<Stop | undefined> {
    const before = passedBefore(context, step);
    if (before) {
      const address = context.address(step);
      restore(context, step, before, this.undo);
      if (before.taken) await this.#takeOver(context, step, before);
      // Of the iterations of a loop their number says enough.
      else if (!address.includes('['))
        context.emit({ event: 'passed-before', step: address, title: step.title });
      return undefined;
    }
    const lost = context.names.firstLost(usedNames(step));
    if (lost) {
      this.#lose(context, step, lost.isAccepted);
      if (!lost.isAccepted && !context.isAccepting) this.#miss(context, step, lost.name, lost.step);
      this.skip(context, step, `it needs ${lost.name}, and ${lost.step} failed`);
      return undefined;
    }
    const began = context.elapsed();
    let done: Done = {};
    let problem: Problem | undefined;
    let begun = false;
    // It did what it is for, though something after that may fail: a row, a file.
    let made = false;
    try {
      let steps = step.type === 'group' ? step.steps : [];
      if (step.when && !holds(context, step)) {
        if (step.type !== 'group' || !step.otherwise) {
          this.skip(context, step, `when: ${step.when.expression.text} does not hold`);
          return undefined;
        }
        steps = step.otherwise;
      }
      this.#begin(context, step);
      begun = true;
      if (step.type === 'call') {
        done = { call: await carryOutCall(context, step) };
      } else {
        const doing = this.#carryOut(mayFail(step) ? context.accepting() : context, step, steps);
        done = doing instanceof Promise ? await doing : doing;
      }
      problem = done.problem;
      if (!problem && (!done.stop || done.tolerated)) {
        const { environment, outcome } = this.#expectations(context, step, done);
        made = !outcome.problem;
        if (step.write && !outcome.problem) await writeRow(context, step, step.write, environment);
        if (done.call?.saved && !outcome.problem) await keepSaved(context, step, done.call.saved);
        if (!outcome.problem) outcome.show();
        ({ problem } = outcome);
      }
    } catch (error) {
      context.noteDefect(error);
      problem = problemOf(error);
      if (!begun) this.#begin(context, step); // its condition could not be told
    }
    if (step.type === 'call') tellUntold(context, step);
    if (problem) await discarded(context, done);
    // What failed inside of it is what it fails with.
    const settled = mustFail(step, step.mustFail ? (problem ?? done.stop?.problem) : problem);
    if ('passed' in settled) {
      this.#ended(context, step, 'passed', { began, done, problem: undefined, reason: settled.passed });
      if (step.undo.length > 0 && made) this.undo.book(context, step);
      this.#lose(context, step, false);
      return undefined;
    }
    ({ problem } = settled);
    return this.#settle(context, step, began, { done, problem, made });
  }

  /** A step of which a person has said that its request was processed; what it keeps, if that was given, is recorded. */
  async #takeOver(context: RunContext, step: Step, { kept }: PastStep): Promise<void> {
    this.#begin(context, step);
    const address = context.address(step);
    for (const { name } of step.keep) {
      const value = kept.get(name);
      if (value !== undefined)
        context.emit({ event: 'kept', step: address, name, ...recordedValue(context, value) });
    }
    if (step.write) {
      try {
        await writeRow(context, step, step.write, context.environment(step));
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        const { message } = error.problem;
        context.warn(step, 'row-not-fitting', `its row was not written, without its response: ${message}`);
      }
    }
    if (step.undo.length > 0) this.undo.book(context, step);
    const reason = SAID_PROCESSED;
    context.emit({ event: 'step-ended', step: address, outcome: 'passed', elapsed: 0, reason });
    this.#setStep(context, step, 'passed', { elapsed: 0 });
  }

  #carryOut(
    context: RunContext,
    step: Exclude<Step, CallStep>,
    group: GroupStep['steps'],
  ): Done | Promise<Done> {
    switch (step.type) {
      case 'wait': {
        const milliseconds = durationOf(step.duration, context.environment(step));
        context.emit({ event: 'waiting', step: context.address(step), for: milliseconds, why: 'step' });
        return context.sleep(milliseconds).then(() => ({}));
      }
      case 'group':
        return this.steps(context, group).then((stop) => (stop ? { stop } : {}));
      case 'each':
        return carryOutEach(this, context, step);
      case 'repeat':
        return carryOutRepeat(this, context, step);
      case 'ask':
        return carryOutAsk(context, step);
      case 'follow':
        return carryOutFollow(this, context, step);
      case 'plain':
        return {};
    }
  }

  /** Expectations and keep, in their order. */
  #expectations(
    context: RunContext,
    step: Step,
    { call, members }: Done,
  ): { readonly outcome: StepOutcome; readonly environment: Environment } {
    const environment = call
      ? context.environment(step, call.body.value, responseNames(call))
      : context.environment(step, undefined, step.type === 'follow' ? nameIn(members) : undefined);
    const { text, type } = call?.body ?? {};
    const page = text !== undefined && type === 'text/html' ? describeText(text, undefined) : undefined;
    const advice =
      call?.response.status === 401 && step.type === 'call'
        ? { ofStatus: refusedAdvice(step, context, call.response.headers) }
        : undefined;
    // With a status that is not expected, it stands there already.
    const isSaid = step.type === 'call' && step.expectsSuccess && (call?.response.status ?? 0) >= 400;
    const said = call && !isSaid ? (ofStatus: boolean) => saidInstead(call, ofStatus) : undefined;
    const outcome = new StepOutcome(context, step, environment, { page, said, advice });
    if (call && step.type === 'call') {
      if (!step.pages && !step.poll) warnNextPage(context, step, call);
      const gone = step.undoing && (call.response.status === 404 || call.response.status === 410);
      if (gone) return { outcome, environment };
      defaultExpectations(context, step, call, outcome);
      outcome.deviated(context.contract.take(context.address(step)));
      if (step.serviceExpect) outcome.expectAll(context.serviceOf(step)?.expect ?? []);
    }
    outcome.expect(false);
    // A failed expectation does not keep later ones from being tried, but names are kept only from what passed.
    if (!outcome.problem) {
      outcome.keep(call?.url);
      outcome.expect(true);
    }
    return { outcome, environment };
  }

  #settle(
    context: RunContext,
    step: Step,
    began: number,
    {
      done,
      problem,
      made,
    }: { readonly done: Done; readonly problem: Problem | undefined; readonly made: boolean },
  ): Stop | undefined {
    const inner = done.stop;
    const cut = (problem ?? inner?.problem)?.code === 'interrupted';
    const why = problem ?? inner?.problem;
    const accepted = why !== undefined && isAccepted(context, step, why);
    const outcome: Outcome = why ? (cut ? 'interrupted' : accepted ? 'accepted' : 'failed') : 'passed';
    this.#ended(context, step, outcome, { began, done, problem });
    if (step.undo.length > 0 && (outcome === 'passed' || made)) this.undo.book(context, step);
    if (outcome === 'passed') return undefined;
    // What failed inside has been raised where it failed.
    if (problem && !cut && !accepted) this.raise(exitOf(problem.code));
    const isOver = step.onFail === 'stop' || (step.onFail === 'accept' && !accepted);
    if (!cut && (!isOver || (done.tolerated && !problem))) {
      if (!isOver) this.#lose(context, step, accepted);
      return undefined;
    }
    return problem ? { address: context.address(step), problem } : inner!;
  }

  #ended(
    context: RunContext,
    step: Step,
    outcome: Outcome,
    {
      began,
      done,
      problem,
      reason,
    }: {
      readonly began: number;
      readonly done: Done;
      readonly problem: Problem | undefined;
      readonly reason?: string;
    },
  ): void {
    const elapsed = context.elapsed() - began;
    const said = problem ?? done.ofIteration;
    context.emit({
      event: 'step-ended',
      step: context.address(step),
      outcome,
      elapsed: Math.round(elapsed * 100) / 100,
      ...(said ? { problem: eventProblem(said) } : {}),
      ...(reason === undefined ? {} : { reason }),
      ...(done.iterations ? { iterations: done.iterations } : {}),
      ...(done.call?.states ? { states: done.call.states } : {}),
      ...(done.call?.pages === undefined ? {} : { pages: done.call.pages }),
    });
    this.#setStep(context, step, outcome, { elapsed, done, problem: problem ?? done.stop?.problem });
  }

  /** Names that a failed step would have kept can't be used below it. */
  #lose(context: RunContext, step: Step, isAccepted: boolean): void {
    const own = new Set(step.keep.map(({ name }) => name));
    for (const name of namesKeptBy(step))
      if (own.has(name) || !context.names.has(name)) context.names.lose(name, step.title, isAccepted);
  }

  /** What later steps can say of this one. */
  #setStep(
    context: RunContext,
    step: Step,
    outcome: Outcome,
    {
      elapsed,
      done: { call, members = [] } = {},
      problem,
    }: { readonly elapsed: number; readonly done?: Done | undefined; readonly problem?: Problem | undefined },
  ): void {
    if (step.name === undefined) return;
    const about: (readonly [string, Value])[] = [
      ...members,
      ['ok', outcome === 'passed'],
      ['skipped', outcome === 'skipped'],
      ['failed', outcome === 'failed' || outcome === 'interrupted' || outcome === 'accepted'],
      ['elapsed', new Duration(elapsed)],
    ];
    if (problem) about.push(['problem', problemObject(problem)]);
    if (step.type === 'call') about.push(['attempts', call?.attempts ?? 0]);
    if (call) {
      about.push(
        ['status', call.response.status],
        ['headers', headerObject(call.response.headers)],
        ['url', call.url],
      );
      if (call.body.value !== undefined) about.push(['body', call.body.value]);
      if (context.chain.usesSteps) context.names.cameFrom(stepName(step.name), call.url);
      context.names.cameFrom(step.name, call.url);
    }
    const value = objectOf(about);
    const { uses, usesSteps } = context.chain;
    context.names.setStep(step.name, value, { isOwn: !keepsOwnName(step), isAsked: usesSteps });
    const isUsed = uses.has(step.name) || (usesSteps && uses.has(stepName(step.name)));
    if (context.ports.record && isUsed) {
      const { sealed, typed, value: shown } = recordedValue(context, value);
      context.emit({
        event: 'named',
        step: context.address(step),
        ...(sealed === undefined ? { typed: typed ?? shown } : { sealed }),
      });
    }
  }
}

/** What was saved of a response is taken away; that this fails is no reason to leave the run where it is. */
async function discarded(context: RunContext, { call }: Done): Promise<void> {
  try {
    await call?.saved?.discard();
  } catch (error) {
    context.noteDefect(error);
  }
}

/** The file gets its real name now that the step has passed. */
async function keepSaved(context: RunContext, step: Step, saved: SavedBody): Promise<void> {
  await saved.commit();
  context.emit({ event: 'saved', step: context.address(step), path: saved.path, size: saved.size });
}

function holds(context: RunContext, step: Step): boolean {
  const when = step.when!;
  const environment = context.environment(step);
  const passed = placed(when, () => when.expression.test(environment));
  return passed ?? throwNothing(when, environment);
}

/** What a chain that was followed gave, by name. */
function nameIn(members: readonly (readonly [string, Value])[] = []): (name: string) => Value | undefined {
  const values = new Map(members);
  return (name) => values.get(name);
}
