import { type CallStep, REPEAT_ON, type Retry } from '../../chain/model.ts';
import { RETRY_AFTER_AT_MOST, DEFAULT_RETRY_AFTER } from '../../chain/read/read-traffic.ts';
import type { WireResponse } from '../../ports.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import { responseNames } from '../wire/response-names.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';
import { Bound } from '../time/bound.ts';
import { amountOf, durationOf } from '../scope/settings.ts';
import { placed } from '../scope/with-place.ts';
import { exchange } from '../exchange/exchange.ts';
import type { Progress, CallResult } from '../wire/call-result.ts';
import { resendPolicy } from '../wire/idempotency.ts';
import { retriedTooOften, tooLong } from '../pace/pace.ts';
import { Pausing } from '../scope/backoff.ts';
import { retryAfterIn, type RetryAfter, readRetryAfter } from '../pace/retry-after.ts';

/** Codes of failures without a response that another try may mend. An unknown host or a refused certificate stays one. */
const NO_RESPONSE: ReadonlySet<Problem['code']> = new Set<Problem['code']>([
  'time-limit',
  'connection-refused',
  'connection-reset',
  'no-response',
]);

/**
 * Sends a request, and again: as the service says with 429, or 503 and Retry-After, and as `retry` says. What is not
 * idempotent goes again only where the service has certainly not processed it, unless the step allows more.
 */
export async function sendRepeating(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  progress: Progress,
): Promise<CallResult> {
  const { clock } = context.ports;
  const repeats = new Repeats(context, step, request);
  const { bound } = repeats;
  while (bound.take()) {
    progress.reached = false;
    progress.again = bound.taken > 1;
    let result: CallResult | undefined;
    let failure: ProblemError | undefined;
    try {
      result = await exchange(context, step, request, {
        progress,
        patience: repeats.patience + repeats.agreed,
      });
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      failure = error;
      // What has begun to come bit by bit is connected to again by who takes it.
      if (request.intake?.head) throw failure;
    }
    if (result && request.intake?.head) return result;
    // A call that does not wait as told takes such a response as any other.
    const retryAfter =
      result && repeats.obeys ? repeats.retryAfterOf(result.response, clock.now()) : undefined;
    if (retryAfter) {
      context.paceOf(step, request.url)?.wait(retryAfter);
      if (retryAfter.unclear)
        context.warn(
          step,
          'retry-after-unclear',
          `${repeats.service} asked to retry later, but ${retryAfter.by ?? ''} can't be read; waiting 1 s`,
        );
    }
    if (result && retryAfter && repeats.maySend(result.response.status, true)) {
      if (retryAfter.wait > repeats.patience)
        return {
          ...result,
          waitProblem: tooLong(repeats.service, retryAfter, repeats.patience, repeats.waited),
        };
      if (bound.mayTake && repeats.retryAfters.take()) {
        await result.saved?.discard();
        repeats.obey(retryAfter);
        continue;
      }
      if (!repeats.retryAfters.mayTake)
        return { ...result, waitProblem: retriedTooOften(repeats.service, retryAfter, RETRY_AFTER_AT_MOST) };
    }
    if (retryAfter && !repeats.maySend(result!.response.status, true))
      repeats.sayNotAgain(`${result!.response.status} with ${retryAfter.by ?? 'no time to come back'}`);
    const because = failure ? repeats.ofFailure(failure.problem) : repeats.ofResponse(result!);
    if (because === undefined || !bound.mayTake) {
      if (failure) throw failure;
      return result!;
    }
    if (!repeats.maySend(result?.response.status, progress.reached)) {
      if (!retryAfter) repeats.sayNotAgain(because);
      if (failure) throw failure;
      return result!;
    }
    await result?.saved?.discard();
    await repeats.pause(because, result);
  }
  // A bound of no request at all is none that a file can set.
  throw new Error('a call was never sent');
}

/** What one call repeats, how long it waits, and how long it has waited. */
class Repeats {
  readonly #context: RunContext;
  readonly #step: CallStep;
  readonly #retry: Retry | undefined;
  readonly #pausing: Pausing | undefined;
  readonly #always: boolean;
  readonly #service: string | undefined;
  readonly #url: string;
  /** Requests in all. */
  readonly bound: Bound;
  /** Repetitions because the service says so. */
  readonly retryAfters: Bound;
  /** How much longer it waits because the service says so, in milliseconds. */
  patience: number;
  /** The wait that it has just agreed to, which the pace of the service now holds it for. */
  agreed = 0;
  /** How long it has waited because the service said so. */
  waited = 0;

  constructor(context: RunContext, step: CallStep, request: BuiltRequest) {
    this.#context = context;
    this.#step = step;
    this.#retry = step.retry;
    this.#always = resendPolicy(step, step.method) !== 'never';
    this.#url = request.url;
    this.#service = request.service;
    const { clock } = context.ports;
    const environment = context.environment(step);
    this.retryAfters = new Bound(clock, { times: RETRY_AFTER_AT_MOST });
    this.bound = new Bound(clock, {
      times: step.retry ? Math.max(1, amountOf(step.retry.attempts, environment)) : 1 + RETRY_AFTER_AT_MOST,
    });
    this.patience = step.obeysRetryAfter ? DEFAULT_RETRY_AFTER : 0;
    if (!step.retry) return;
    if (step.obeysRetryAfter) this.patience = durationOf(step.retry.retryAfter, environment);
    this.#pausing = new Pausing(step.retry.wait, environment);
  }

  /** Whether it waits at all because the service says so. */
  get obeys(): boolean {
    return this.patience + this.waited > 0;
  }

  get service(): string {
    return this.#service ?? new URL(this.#url).host;
  }

  /** Whether the request may go again: after 429 it was certainly not processed; `reached` says that it may have been. */
  maySend(status: number | undefined, reached: boolean): boolean {
    return this.#always || status === 429 || (status === undefined && !reached);
  }

  /** That a service says to come back. Where it does not say when, the wait doubles each time. */
  retryAfterOf(response: WireResponse, now: number): RetryAfter | undefined {
    const retryAfter = readRetryAfter(response, now);
    return retryAfter && retryAfter.by === undefined
      ? { wait: retryAfter.wait * 2 ** this.retryAfters.taken }
      : retryAfter;
  }

  /** Why a failure without a response is repeated; undefined if it is not. */
  ofFailure({ code }: Problem): string | undefined {
    return this.#retry?.on.includes('no-response') && NO_RESPONSE.has(code) ? code : undefined;
  }

  /** Why a response is repeated; undefined if it is not. */
  ofResponse(result: CallResult): string | undefined {
    if (!this.#retry) return undefined;
    // Whoever does not wait as told takes such a response as it is, unless its status is named.
    const isNamed = this.#retry.on !== REPEAT_ON;
    if (
      !isNamed &&
      !this.obeys &&
      this.#step.obeysRetryAfter &&
      readRetryAfter(result.response, this.#context.ports.clock.now())
    )
      return undefined;
    const status = String(result.response.status);
    if (this.#retry.on.includes(status) || this.#retry.on.includes(`${status[0]!}xx`)) return status;
    const { when } = this.#retry;
    if (!when) return undefined;
    const environment = this.#context.environment(this.#step, result.body.value, responseNames(result));
    return placed(when, () => when.expression.test(environment)) ? when.expression.text : undefined;
  }

  /** The pace of the service holds the next request back; here it is counted and said. */
  obey({ by, wait }: RetryAfter): void {
    this.patience -= wait;
    this.waited += wait;
    this.agreed = wait;
    this.#context.emit({
      event: 'waiting',
      step: this.#context.address(this.#step),
      for: wait,
      why: 'retry-after',
      service: this.service,
      note: by ?? '429',
    });
  }

  /** Waits before the next try: longer each time, up to a quarter more by chance, and at least as long as the service says. */
  async pause(because: string, result: CallResult | undefined): Promise<void> {
    const context = this.#context;
    const { chance, clock } = context.ports;
    const byDefault = this.#pausing!.next() * (1 + chance.next() / 4);
    const retryAfter = (result && retryAfterIn(result.response.headers, clock.now())) ?? 0;
    const wait = Math.max(byDefault, Math.min(retryAfter, this.patience));
    context.emit({
      event: 'waiting',
      step: context.address(this.#step),
      for: Math.round(wait),
      why: 'retry',
      note: because,
    });
    await context.sleep(wait);
  }

  sayNotAgain(because: string): void {
    this.#context.warn(
      this.#step,
      'not-sent-again',
      `${this.#step.method} was not sent again after ${because}, since ${this.service} may have processed it; idempotency: yes or repeatable: yes allows it`,
    );
  }
}
