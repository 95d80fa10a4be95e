import type { CallStep } from '../../chain/model.ts';
import type { WireResponse, WireRequest } from '../../ports.ts';
import { shorten } from '../../language/show.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { isSafe } from '../../methods.ts';
import { resendPolicy } from '../wire/idempotency.ts';
import type { PastResponse, PastRequest } from '../past-run.ts';
import { summarise } from './report-call.ts';

/**
 * The response to a request that may be sent only once and was sent before the run was resumed; undefined if it was not.
 * Throws `sent-before` where what was sent then was another request, `not-sent` where only safe requests are sent and this one
 * has not been answered before.
 */
export function pastResponse(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
): WireResponse | undefined {
  const { responses, past } = context.options;
  if (responses && !isSafe(wire.method) && !step.repeatable) {
    const response = responses.take(context.address(step), (sent) => isSame(context, wire, sent));
    return response ?? notSent(step);
  }
  if (!past || resendPolicy(step, wire.method) !== 'never') return undefined;
  const address = context.address(step);
  const before = past.step(address);
  if (before?.isUndecided)
    throw new ProblemError({
      code: 'outcome-unknown',
      message: `${address} was sent by a worker that was lost, and it is not known whether it was processed`,
      hint: `batharon resume ${context.options.id}, which asks`,
      place: step.at,
    });
  const sent = before?.sent.shift();
  if (!sent) return undefined;
  if (isSame(context, wire, sent) && !sent.response.isBeginning) return sent.response;
  if (sent.response.isBeginning)
    throw new ProblemError({
      code: 'sent-before',
      message: `${address} was sent before the run was resumed, and only the beginning of its response was kept`,
      hint: `resume --not-sent ${address} to send it again, or a new run`,
      place: step.at,
    });
  throw new ProblemError({
    code: 'sent-before',
    message: `${address} was sent before the run was resumed and answered with ${sent.response.status}, and is another request now: ${sent.method} ${sent.url}${sent.text === undefined ? '' : ` with ${shorten(sent.text, 200)}`}`,
    hint: `the request as it was, resume --not-sent ${address} to send the new one besides, or a new run`,
    place: step.at,
  });
}

function typeOf({ headers }: WireRequest): string | undefined {
  const field = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1];
  return field?.replace(/;.*/s, '').trim();
}

function isSame(context: RunContext, wire: WireRequest, sent: PastRequest): boolean {
  const body = wire.body && summarise(context, wire.body, typeOf(wire));
  const masked = (text: string | undefined): string | undefined =>
    text === undefined ? undefined : context.hidden.body(text, typeOf(wire));
  return (
    sent.method === wire.method &&
    // What is known to be secret now need not have been so then.
    context.hidden.spoken(sent.url) === context.hidden.spoken(wire.url) &&
    masked(sent.text) === body?.text &&
    sent.digest === body?.digest
  );
}

function notSent(step: CallStep): PastResponse {
  throw new ProblemError({
    code: 'not-sent',
    message: `${step.method} ${step.written} is not sent: it may change something at the service, and no response to just this request is recorded`,
    hint: 'batharon watch --send, which sends such requests at each save',
    place: step.at,
  });
}
