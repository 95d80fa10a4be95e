import type { CallStep } from '../chain/model.ts';
import type { WireAnswer, WireRequest } from '../ports.ts';
import { ProblemError } from '../problems.ts';
import type { RunContext } from './context.ts';
import { onceOf } from './once.ts';
import { summarise } from './report-call.ts';

/**
 * The answer to a request that may be sent only once and was sent before the run was resumed; nothing where it was not.
 * Throws `sent-before` where what was sent then was another request.
 */
export function pastAnswer(context: RunContext, step: CallStep, wire: WireRequest): WireAnswer | undefined {
  const { past } = context.options;
  if (!past || onceOf(step, wire.method) !== 'only') return undefined;
  const address = context.address(step);
  const sent = past.step(address)?.sent.shift();
  if (!sent) return undefined;
  const body = wire.body && summarise(context, wire.body, undefined);
  const same =
    sent.method === wire.method &&
    sent.url === context.masker.text(wire.url) &&
    sent.text === body?.text &&
    sent.digest === body?.digest;
  if (same) return sent.answer;
  throw new ProblemError({
    code: 'sent-before',
    message: `${address} was sent before the run was resumed and answered with ${sent.answer.status}, and is another request now: ${sent.method} ${sent.url}${sent.text === undefined ? '' : ` with ${sent.text.slice(0, 200)}`}`,
    instead: `the request as it was, resume --not-sent ${address} to send the new one besides, or a new run`,
    place: step.at,
  });
}
