import type { CallStep, PlacedExpression, Poll } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { brief, shorten } from '../../language/show.ts';
import { Duration } from '../../language/values.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import { responseNames } from '../wire/response-names.ts';
import { addressIn, at, withSharedQuery } from '../request/build-request.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import { Bound } from '../time/bound.ts';
import type { RunContext } from '../scope/context.ts';
import { durationOf } from '../scope/settings.ts';
import { placed, throwNothing } from '../scope/with-place.ts';
import type { Progress, CallResult } from '../wire/call-result.ts';
import { Pausing } from '../scope/backoff.ts';
import { sendRepeating } from './retry.ts';
import { describeStates, type SeenStates } from './poll-states.ts';
import { whatItSaid } from '../wire/error-summary.ts';
import { retryAfterIn } from '../pace/retry-after.ts';

/**
 * Asks until the condition of a poll holds; returns the last response. Throws `poll-given-up`, `poll-unforeseen`,
 * `poll-out-of-time`, `status-not-expected`.
 */
export async function pollUntil(
  context: RunContext,
  step: CallStep,
  poll: Poll,
  { first, progress }: { readonly first: BuiltRequest; readonly progress: Progress },
): Promise<CallResult> {
  const { clock } = context.ports;
  const settings = context.environment(step);
  const pausing = new Pausing(poll.every, settings);
  const within = durationOf(poll.within, settings);
  const states: SeenStates = [];
  const bound = new Bound(clock, { within });
  let request = first;
  let last = false;
  if (poll.at) {
    const job = await sendRepeating(context, step, request, progress);
    if (job.response.status < 400) await job.saved?.discard();
    // What was not accepted has no state to be asked for.
    if (job.response.status >= 400) return job;
    request = requestAt(context, step, poll.at, { request, job });
  }
  while (bound.take() || last) {
    const result = await sendRepeating(context, step, request, progress);
    const environment = context.environment(step, result.body.value, responseNames(result));
    const seen = await settled(result, () => look(context, step, poll, { result, environment, states }));
    if (seen === 'done') return { ...result, states: describeStates(states) };
    if (seen !== 'going') throw problemWith(seen, states);
    if (last) break;
    const { left } = bound;
    const retryAfter = retryAfterIn(result.response.headers, clock.now());
    const wait = retryAfter === undefined || retryAfter === 0 ? pausing.next() : retryAfter;
    // The last time it is asked when the time is up, so that what came in the meantime counts.
    last = wait >= left;
    const pause = last ? left : wait;
    context.emit({
      event: 'waiting',
      step: context.address(step),
      for: Math.round(pause),
      why: 'poll',
      note: describeStates(states),
    });
    await context.sleep(pause);
  }
  throw outOfTime(poll, step, within, states);
}

/** What is saved of a response that is not the last one is taken away again. */
async function settled(
  result: CallResult,
  look: () => 'done' | 'going' | Problem,
): Promise<'done' | 'going' | Problem> {
  let seen: 'done' | 'going' | Problem | undefined;
  try {
    seen = look();
    return seen;
  } finally {
    if (seen !== 'done') await result.saved?.discard();
  }
}

/** What one response means: that it is done, that it is still going, or that something is wrong. */
function look(
  context: RunContext,
  step: CallStep,
  poll: Poll,
  {
    result,
    environment,
    states,
  }: { readonly result: CallResult; readonly environment: Environment; readonly states: SeenStates },
): 'done' | 'going' | Problem {
  const { status } = result.response;
  const holds = (condition: PlacedExpression): boolean =>
    placed(condition, () => condition.expression.test(environment)) ?? throwNothing(condition, environment);
  if (status >= 400 && !poll.speaksOfStatus)
    return {
      code: result.waitProblem?.code ?? 'status-not-expected',
      message:
        result.waitProblem?.message ?? `the poll was answered with ${status}${whatItSaid(result.body)}`,
      hint:
        result.waitProblem?.hint ?? 'while: or until: with a condition on status, if that is part of the job',
      place: step.at,
    };
  const { problem } = result.body;
  if (problem)
    return {
      code: 'response-not-as-typed',
      message: `the poll expected ${problem.expected}, and came ${problem.got}`,
      place: step.at,
    };
  const state = stateIn(poll, environment, status);
  const lastSeen = states.at(-1);
  if (lastSeen?.state === state) lastSeen.times++;
  else {
    states.push({ state, times: 1 });
    context.emit({ event: 'state-seen', step: context.address(step), state });
  }
  if (poll.giveUpWhen && holds(poll.giveUpWhen))
    return {
      code: 'poll-given-up',
      message: `the poll gave up, since ${poll.giveUpWhen.expression.text} holds: the state is ${state}`,
      place: poll.giveUpWhen.at(),
    };
  const done = placed(poll.until, () => poll.until.expression.test(environment));
  if (done === true) return 'done';
  // What until speaks of may not be there yet, as long as while says that it goes on.
  if (poll.while && holds(poll.while)) return 'going';
  if (done === undefined) return throwNothing(poll.until, environment);
  if (!poll.while) return 'going';
  return {
    code: 'poll-unforeseen',
    message: `the state is ${state}, for which neither until nor while holds`,
    hint: `add it to while to wait for it, or to until to end the poll`,
    place: poll.while.at(),
  };
}

/** What the conditions of the poll look at, as a text. */
function stateIn(poll: Poll, environment: Environment, status: number): string {
  try {
    const value = poll.state?.expression.evaluate(environment);
    if (value === undefined)
      return poll.state && environment.response !== undefined ? 'nothing' : String(status);
    return shorten(plainText(value) ?? brief(value), 60);
  } catch {
    return String(status);
  }
}

function problemWith(problem: Problem, states: SeenStates): ProblemError {
  const message =
    states.length > 1 ? `${problem.message}; states seen: ${describeStates(states)}` : problem.message;
  return new ProblemError({ ...problem, message });
}

function outOfTime(poll: Poll, step: CallStep, within: number, states: SeenStates): ProblemError {
  return new ProblemError({
    code: 'poll-out-of-time',
    message: `${poll.until.expression.text} did not hold within ${brief(new Duration(within))}; states seen: ${describeStates(states)}`,
    hint: `within: with a longer time, if the job takes that long`,
    place: step.at,
  });
}

/** The request that asks for the state, at an address of the response that began the job. */
function requestAt(
  context: RunContext,
  step: CallStep,
  address: PlacedExpression,
  { request, job }: { readonly request: BuiltRequest; readonly job: CallResult },
): BuiltRequest {
  const environment = context.environment(step, job.body.value, responseNames(job));
  const { body: _, ...rest } = request;
  const asking: BuiltRequest = {
    ...rest,
    secretBody: false,
    method: 'GET',
    headers: request.headers.filter(([name]) => !/^(?:content-type|idempotency-key)$/i.test(name)),
  };
  return at(
    context,
    step,
    asking,
    withSharedQuery(context, step, addressIn(context, step, address, { environment, base: job.url })),
  );
}
