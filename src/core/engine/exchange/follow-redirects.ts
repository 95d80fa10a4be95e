import type { WireResponse, WireRequest } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { connectionAt } from '../request/connection.ts';
import { holdsSecret, withConnection, withoutSecretFields } from '../request/build-request.ts';
import type { CallStep } from '../../chain/model.ts';
import { visible } from '../../language/show.ts';
import { type ReadBody, readResponseBody } from '../wire/read-response.ts';
import type { SavedBody } from '../wire/saved-body.ts';
import { authorise, queryKey } from '../sign-in/authorise.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { Progress, CallResult } from '../wire/call-result.ts';
import { holdToContract } from './hold-to-contract.ts';
import { hideKept, namesBeforeKeep } from './hide-kept.ts';
import { redirectOf } from '../wire/redirect.ts';
import { reportResponse } from './report-call.ts';
import { sendOnce } from './send-once.ts';
import { cookiePairs, storeCookies } from '../scope/step-cookies.ts';

/** How often a request is redirected, unless its step or service says otherwise. */
export const DEFAULT_REDIRECTS = 5;

/** A body with a secret in it is not repeated at another origin, and without it the request would be another one. */
export function refuseSecretBody(from: string, to: string): never {
  throw new ProblemError({
    code: 'secret-elsewhere',
    message: `${from} redirects to ${new URL(to).origin}, but the body of the request holds a secret that is not meant for it`,
    hint: 'redirects: 0 takes the redirect as the response; a call of its own may send the secret there',
  });
}

/** A request that goes to another origin carries nothing that was meant for the first one; another service is connected to in its own way. */
export function withoutCredentials(
  context: RunContext,
  { connection: _, ...request }: WireRequest,
  secretFields: ReadonlySet<string>,
): WireRequest {
  return {
    ...request,
    headers: withoutSecretFields(context, request.headers, secretFields),
    ...withConnection(connectionAt(context, new URL(request.url).origin)),
  };
}
export function readResult(
  context: RunContext,
  step: CallStep,
  response: WireResponse,
  saved: SavedBody | undefined,
): { body: ReadBody; size: number } | Promise<{ body: ReadBody; size: number }> {
  if (response.undecoded !== undefined)
    context.warn(
      step,
      'coding-unknown',
      `the body is in the content coding ${visible(response.undecoded)}, which is not known here; it is passed on as it came`,
    );
  if (saved && !step.save!.buffered) {
    const reading = readResponseBody(
      response.headers,
      saved.head(),
      { readAs: 'text' },
      context.ports.formats,
    );
    // What is saved need not be text: it is shown where its beginning is.
    const shown = ({ text, type }: ReadBody): { body: ReadBody; size: number } => {
      const known = { ...(text === undefined ? {} : { text }), ...(type === undefined ? {} : { type }) };
      return { body: { ...known, value: undefined }, size: saved.size };
    };
    return reading instanceof Promise ? reading.then(shown) : shown(reading);
  }
  // An error often comes as something else than the response would; that is no reason to say so before its status.
  const read = readResponseBody(response.headers, response.body, step, context.ports.formats);
  const size = response.body.length;
  return read instanceof Promise ? read.then((body) => ({ body, size })) : { body: read, size };
}
export async function sendFollowing(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  { progress, patience }: { readonly progress: Progress; readonly patience: number },
): Promise<CallResult> {
  const service = context.serviceOf(step);
  const most = step.redirects ?? service?.redirects ?? DEFAULT_REDIRECTS;
  const visited: string[] = [];
  let wire: WireRequest = request;
  let carried = true;
  for (let redirects = 0; ; redirects++) {
    const authorising = authorise(context, step, request, { wire, carried });
    const authorised = authorising instanceof Promise ? await authorising : authorising;
    const attempt = ++progress.attempts;
    const sent = await sendOnce(context, step, authorised, { request, progress, patience });
    const { response, elapsed, saved } = sent;
    if (!step.noCookies && response.headers.some(([name]) => name === 'set-cookie'))
      await storeCookies(context, request, wire.url, response.headers);
    const next = most === 0 ? undefined : redirectOf(wire, response, queryKey(context, request));
    if (!next) {
      const reading = request.intake?.head
        ? { body: request.intake.read(), size: request.intake.size }
        : readResult(context, step, response, saved);
      const { body, size } = reading instanceof Promise ? await reading : reading;
      const result: CallResult = {
        response,
        body,
        size,
        ...(saved ? { saved } : {}),
        request,
        sentHeaders: authorised.headers,
        url: wire.url,
        elapsed,
        attempts: attempt,
        ...(step.noCookies ? {} : { jar: () => cookiePairs(context, request, wire.url) }),
      };
      context.hidden.learn(result.body);
      context.hidden.learnFields(response.headers);
      hideKept(context, step, result.body.value, namesBeforeKeep(context, step, result));
      reportResponse(context, step, result, { attempt, more: { ...sent, isCut: request.intake?.cut } });
      holdToContract(context, step, result);
      return result;
    }
    await saved?.discard();
    const body = readResponseBody(
      response.headers,
      response.body,
      { readAs: 'bytes' },
      context.ports.formats,
    ) as ReadBody;
    reportResponse(
      context,
      step,
      { response, body, size: response.body.length, elapsed },
      { attempt, more: sent },
    );
    visited.push(wire.url);
    // A redirect to the same place that sets a cookie comes out elsewhere the next time.
    const setsCookie = !step.noCookies && response.headers.some(([name]) => name === 'set-cookie');
    if (visited.includes(next.url) && next.method === wire.method && !setsCookie) {
      throw new ProblemError({
        code: 'too-many-redirects',
        message: `redirected in a circle: ${[...visited, next.url].slice(-4).join(', then to ')}`,
        hint: 'redirects: 0 takes the redirect as the response',
      });
    }
    if (redirects === most) {
      throw new ProblemError({
        code: 'too-many-redirects',
        message: `redirected more than ${most} times, the last time from ${wire.url} to ${next.url}`,
        hint: 'redirects: with a larger number',
      });
    }
    const leaves = new URL(next.url).origin !== new URL(wire.url).origin;
    if (leaves) {
      carried = false;
      if (next.body && holdsSecret(context, { ...request, body: next.body }))
        refuseSecretBody(wire.url, next.url);
    }
    wire = leaves ? withoutCredentials(context, next, request.secretFields) : next;
    context.emit({
      event: 'redirected',
      step: context.address(step),
      attempt,
      to: wire.url,
      method: wire.method,
      credential: request.as === undefined ? 'none' : carried ? 'kept' : 'removed',
    });
  }
}
