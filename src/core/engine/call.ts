import type { CallStep, Credential } from '../chain/model.ts';
import type { EventBody } from '../events.ts';
import { fromUtf8, percentEncode } from '../language/encodings.ts';
import { type Maybe, Duration, objectOf, type ValueObject } from '../language/values.ts';
import type {
  Authorisation,
  FilledCredential,
  HeaderList,
  Phases,
  WireAnswer,
  WireRequest,
} from '../ports.ts';
import { type Problem, ProblemError, problemOf } from '../problems.ts';
import { type BuiltRequest, buildRequest, withQuery } from './build-request.ts';
import { eventProblem, type RunContext } from './context.ts';
import { Deadline } from './deadline.ts';
import { renderText } from './insert.ts';
import { hideAnswerSecrets, hideMembers, maskHeaders } from './answer-secrets.ts';
import { MaskStream } from './masking.ts';
import { evaluateAll, hideValue } from './outcome.ts';
import { type ReadBody, readBody } from './read-answer.ts';

/** How often a request is redirected. */
const MAXIMUM_REDIRECTS = 5;
/** How much of a body stands in an event, in characters. */
const EXCERPT = 4096;

/** The last answer of a call, and what it says by name. */
export interface CallResult {
  readonly answer: WireAnswer;
  readonly body: ReadBody;
  readonly request: BuiltRequest;
  readonly sentHeaders: HeaderList;
  readonly url: string;
  readonly elapsed: number;
  readonly attempts: number;
}

/**
 * Sends the request of a call, follows redirects, renews a token once after a 401. Throws problems of the request itself
 * with a place, those of the transport and of sign-in without one.
 */
export async function carryOutCall(context: RunContext, step: CallStep): Promise<CallResult> {
  const environment = context.environment(step, undefined, (name) => context.sentName(name));
  const request = buildRequest(context, step, environment);
  const first = await sendFollowing(context, step, request, 1);
  if (first.answer.status !== 401 || request.as === undefined) return first;
  const credential = fillCredential(context, request.as);
  if (!context.ports.credentials.renew(credential)) return first;
  return sendFollowing(context, step, request, first.attempts + 1);
}

async function sendFollowing(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  attempt: number,
): Promise<CallResult> {
  let wire: WireRequest = request;
  let carried = true;
  for (let redirects = 0; ; redirects++) {
    const authorised = await authorise(context, step, request, wire, carried);
    const { answer, elapsed } = await sendOnce(context, step, authorised, request, attempt + redirects);
    const next = redirectOf(wire, answer, queryKey(context, request.as));
    if (!next) {
      const body = readBody(answer.headers, answer.body, step.readAs);
      hideAnswerSecrets(context.masker, body);
      const result: CallResult = {
        answer,
        body,
        request,
        sentHeaders: authorised.headers,
        url: wire.url,
        elapsed,
        attempts: attempt + redirects,
      };
      hideKept(context, step, result);
      reportAnswer(context, step, answer, body, attempt + redirects, elapsed);
      return result;
    }
    const body = readBody(answer.headers, answer.body, 'bytes');
    reportAnswer(context, step, answer, body, attempt + redirects, elapsed);
    if (redirects === MAXIMUM_REDIRECTS) {
      throw new ProblemError({
        code: 'too-many-redirects',
        message: `redirected more than ${MAXIMUM_REDIRECTS} times, the last time from ${wire.url} to ${next.url}`,
      });
    }
    const leaves = new URL(next.url).origin !== new URL(wire.url).origin;
    if (leaves) carried = false;
    wire = leaves
      ? {
          ...next,
          headers: next.headers.filter(
            ([name]) => !/^(?:authorization|cookie|proxy-authorization)$/i.test(name),
          ),
        }
      : next;
    context.emit({
      event: 'redirected',
      step: step.address,
      attempt: attempt + redirects,
      to: wire.url,
      method: wire.method,
      credential: request.as === undefined ? 'none' : carried ? 'kept' : 'left behind',
    });
  }
}

/** What the step is about to keep as hidden is masked in the answer already. What can't be kept is said later. */
function hideKept(context: RunContext, step: CallStep, result: CallResult): void {
  for (const { name, value, hidden } of step.keep) {
    if (!hidden) continue;
    try {
      const environment = context.environment(step, result.body.value, answerNames(result));
      hideValue(evaluateAll(value, environment), (text) => context.masker.addFound(text, `secret ${name}`));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
}

/** The request that a redirect asks for (RFC 9110, section 15.4); nothing where the answer is none. */
function redirectOf(
  request: WireRequest,
  { status, headers }: WireAnswer,
  key: string | undefined,
): WireRequest | undefined {
  if (![301, 302, 303, 307, 308].includes(status)) return undefined;
  const location = headers.find(([name]) => name === 'location')?.[1];
  if (location === undefined) return undefined;
  const url = URL.canParse(location, request.url)
    ? withoutParameter(new URL(location, request.url), key)
    : undefined;
  if (!url || !/^https?:$/.test(url.protocol)) {
    throw new ProblemError({
      code: 'redirect-invalid',
      message: `${request.url} redirects to "${location}", which is no address of HTTP`,
    });
  }
  if (url.protocol === 'http:' && request.url.startsWith('https:')) {
    throw new ProblemError({
      code: 'redirect-invalid',
      message: `${request.url} redirects from https to plain http, ${url.origin}`,
    });
  }
  const toGet =
    (status === 303 && request.method !== 'HEAD') ||
    ((status === 301 || status === 302) && request.method === 'POST');
  if (!toGet) return { ...request, url: url.href };
  const rest = request.headers.filter(([name]) => !/^content-/i.test(name));
  return { method: 'GET', url: url.href, headers: rest };
}

/** A credential with its texts filled in; its secret fields are masked from then on. */
export function fillCredential(context: RunContext, name: string): FilledCredential {
  const credential: Credential = context.project.credentials.get(name)!;
  const inserter = context.inserter(
    context.environment(undefined, undefined, (one) => context.sentName(one)),
  );
  const fields = new Map(
    [...credential.fields].map(([field, template]) => [field, renderText(inserter, template)]),
  );
  return { credential, fields };
}

async function authorise(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  wire: WireRequest,
  carried: boolean,
): Promise<WireRequest> {
  if (request.as === undefined || !carried) return wire;
  const credential = fillCredential(context, request.as);
  const added: Authorisation = await context.ports.credentials.authorise(
    credential,
    context.interruption.signal,
  );
  for (const secret of added.secrets) context.masker.addFound(secret, `token of ${request.as}`);
  if (added.signedIn) {
    const { scope, until } = added.signedIn;
    context.emit({
      event: 'signed-in',
      step: step.address,
      credential: request.as,
      kind: credential.credential.kind,
      ...(scope === undefined ? {} : { scope }),
      ...(until === undefined ? {} : { until }),
    });
  }
  const own = new Set(added.headers.map(([name]) => name.toLowerCase()));
  const query = added.query
    .map(([name, value]) => `${percentEncode(name)}=${percentEncode(value)}`)
    .join('&');
  return {
    ...wire,
    url: withQuery(wire.url, query),
    headers: [...wire.headers.filter(([name]) => !own.has(name.toLowerCase())), ...added.headers],
  };
}

/** The parameter in which a credential of kind query goes. */
function queryKey(context: RunContext, name: string | undefined): string | undefined {
  if (name === undefined || context.project.credentials.get(name)?.kind !== 'query') return undefined;
  return fillCredential(context, name).fields.get('name');
}

/** Services echo parameters in Location; the key among them would be carried wherever that leads, or sent twice. */
function withoutParameter(url: URL, name: string | undefined): URL {
  if (name === undefined || !url.searchParams.has(name)) return url;
  const kept = url.search
    .slice(1)
    .split('&')
    .filter((pair) => !new URLSearchParams(pair).has(name));
  url.search = kept.join('&');
  return url;
}

async function sendOnce(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  request: BuiltRequest,
  attempt: number,
): Promise<{ answer: WireAnswer; elapsed: number }> {
  const sentBody =
    wire.body &&
    summarise(context, wire.body, wire.headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1]);
  context.calls++;
  context.emit({
    event: 'request-sent',
    step: step.address,
    attempt,
    method: wire.method,
    url: wire.url,
    written: writtenAddress(context, step, wire.url),
    headers: maskHeaders(wire.headers),
    ...(sentBody ? { body: sentBody } : {}),
  });
  const deadline = new Deadline(context.ports.clock, request.limits, context.interruption);
  try {
    const answer = await context.ports.transport.send(
      {
        method: wire.method,
        url: wire.url,
        headers: wire.headers,
        ...(wire.body ? { body: wire.body } : {}),
      },
      deadline,
    );
    const { phases, elapsed } = deadline.end();
    return { answer: { ...answer, phases: { ...phases, ...answer.phases } }, elapsed };
  } catch (error) {
    const { phases, elapsed } = deadline.end();
    const problem: Problem = problemOf(deadline.stopped ?? error);
    context.emit({
      event: 'request-failed',
      step: step.address,
      attempt,
      problem: eventProblem(problem),
      phases: rounded(phases),
      elapsed,
    });
    throw new ProblemError(problem);
  }
}

/** An address as a chain would write it: the service's name and the path, without the query. */
function writtenAddress(context: RunContext, { target }: CallStep, url: string): string {
  const base = target.type === 'url' ? undefined : context.serviceBases.get(target.service);
  if (target.type === 'url' || base === undefined || !url.startsWith(`${base}/`)) return url;
  return `${target.service} ${url.slice(base.length).replace(/[?#].*$/, '')}`;
}

function rounded(phases: Phases): Phases {
  return Object.fromEntries(
    Object.entries(phases).map(([name, time]) => [name, Math.round((time as number) * 100) / 100]),
  );
}

function reportAnswer(
  context: RunContext,
  step: CallStep,
  answer: WireAnswer,
  body: ReadBody,
  attempt: number,
  elapsed: number,
): void {
  context.emit({
    event: 'answer-came',
    step: step.address,
    attempt,
    status: answer.status,
    headers: maskHeaders(answer.headers),
    body: summarise(context, answer.body, body.type, body.text),
    phases: rounded(answer.phases),
    elapsed: Math.round(elapsed * 100) / 100,
  });
}

/** A body by size, digest and type, with its beginning where it is text; secrets are taken out before it is cut. */
function summarise(
  context: RunContext,
  bytes: Uint8Array,
  type: string | undefined,
  known?: string,
): EventBody {
  const digest = context.ports.digests.identify(bytes);
  const window = EXCERPT + context.masker.longest;
  const text = known ?? (bytes.length <= window * 4 ? fromUtf8(bytes) : undefined);
  const base = { size: bytes.length, digest, ...(type === undefined ? {} : { type }) };
  if (text === undefined) return base;
  const cut = text.length > EXCERPT;
  const stream = new MaskStream(context.masker);
  const masked = text.length > window ? stream.push(text.slice(0, window)) : stream.push(text) + stream.end();
  return { ...base, text: hideMembers(masked).slice(0, EXCERPT).toWellFormed(), ...(cut ? { cut } : {}) };
}

/** The names that a call gives to the expressions of its own step. */
export function answerNames({
  answer,
  body,
  request,
  sentHeaders,
  url,
  elapsed,
  attempts,
}: CallResult): (name: string) => Maybe {
  return (name) => {
    switch (name) {
      case 'status':
        return answer.status;
      case 'headers':
        return headerObject(answer.headers);
      case 'body':
        return body.value;
      case 'text':
        return body.text;
      case 'type':
        return body.type;
      case 'size':
        return answer.body.length;
      case 'elapsed':
        return new Duration(elapsed);
      case 'attempts':
        return attempts;
      case 'cookies':
        return cookiesOf(answer.headers);
      case 'url':
        return url;
      case 'sent':
        return {
          url,
          headers: headerObject(sentHeaders),
          ...(request.json === undefined ? {} : { json: request.json }),
        };
      default:
        return undefined;
    }
  };
}

/** Fields by their names in lower case; several of one name are joined by commas (RFC 9110, section 5.3). */
export function headerObject(headers: HeaderList): ValueObject {
  const joined = new Map<string, string>();
  for (const [name, value] of headers) {
    const lower = name.toLowerCase();
    const before = joined.get(lower);
    joined.set(lower, before === undefined ? value : `${before}, ${value}`);
  }
  return objectOf(joined);
}

/** Names and values of the cookies that an answer sets (RFC 6265, section 4.1). */
function cookiesOf(headers: HeaderList): ValueObject {
  return objectOf(
    headers.flatMap(([name, value]): [string, string][] => {
      const pair = name === 'set-cookie' ? /^\s*([^=;\s]+)\s*=\s*("?)([^;"]*)\2/.exec(value) : null;
      return pair ? [[pair[1]!, pair[3]!.trim()]] : [];
    }),
  );
}
