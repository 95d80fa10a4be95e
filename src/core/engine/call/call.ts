import type { CallStep } from '../../chain/model.ts';
import { buildRequest } from '../request/build-request.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import { emptyJar } from '../scope/step-cookies.ts';
import { CallbackWait } from './callback.ts';
import type { RunContext } from '../scope/context.ts';
import type { Progress, CallResult } from '../wire/call-result.ts';
import { fetchPages } from './pages.ts';
import { pollUntil } from './poll.ts';
import { sendRepeating } from './retry.ts';

/**
 * Carries out a call: sends its request, again where that helps and does no harm; asks for further pages; polls; waits for
 * the request that calls back. Throws problems of the request itself with a place, those of the transport and of sign-in
 * without one.
 */
export async function carryOutCall(context: RunContext, step: CallStep): Promise<CallResult> {
  if (!step.callback) {
    const building = buildRequest(context, step, {});
    const built = building instanceof Promise ? await building : building;
    if (step.newJar) emptyJar(context, built, built.url);
    return responseTo(context, step, built);
  }
  const waiting = await CallbackWait.open(context, step, step.callback);
  try {
    const request = await buildRequest(context, step, { callback: waiting.url });
    if (step.newJar) emptyJar(context, request, request.url);
    const result = await responseTo(context, step, request);
    // What failed already calls nobody back.
    if (step.expectsSuccess && result.response.status >= 400) return result;
    try {
      return { ...result, more: { ...result.more, arrived: await waiting.arrived() } };
    } catch (error) {
      await result.saved?.discard();
      throw error;
    }
  } finally {
    waiting.close();
  }
}

function responseTo(context: RunContext, step: CallStep, request: BuiltRequest): Promise<CallResult> {
  const progress: Progress = { attempts: 0, reached: false, again: false };
  if (step.pages) return fetchPages(context, step, step.pages, { first: request, progress });
  if (step.poll) return pollUntil(context, step, step.poll, { first: request, progress });
  const { stream } = step;
  // Most calls have none, and its code takes time to load.
  if (stream)
    return import('./stream.ts').then(({ streamResponse }) =>
      streamResponse(context, step, stream, { first: request, progress }),
    );
  return sendRepeating(context, step, request, progress);
}
