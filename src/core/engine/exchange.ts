import type { CallStep } from '../chain/model.ts';
import { visible } from '../language/show.ts';
import type { Maybe } from '../language/values.ts';
import type { HeaderList, WireAnswer, WireRequest } from '../ports.ts';
import { type Problem, ProblemError, problemOf } from '../problems.ts';
import { authorise, fillCredential, queryKey } from './authorise.ts';
import { type BuiltRequest, holdsSecret, withoutSecretFields } from './build-request.ts';
import { Bound } from './bound.ts';
import type { RunContext } from './context.ts';
import { storeCookies } from './step-cookies.ts';
import { eventProblem } from './placed.ts';
import { Deadline } from './deadline.ts';
import { fileName } from './file-name.ts';
import { isSafe, onceOf } from './once.ts';
import { pastAnswer } from './past-answer.ts';
import { hideKept, namesBeforeKeep } from './hide-kept.ts';
import { type ReadBody, readBody } from './read-answer.ts';
import { redirectOf } from './redirect.ts';
import { keep, reportAnswer, rounded, showBody, shownPartial } from './report-call.ts';
import type { Pace } from './pace.ts';
import { SavedBody } from './saved-body.ts';

/** How often a request is redirected, unless its step or service says otherwise. */
const USUAL_REDIRECTS = 5;

/** How long an interruption waits for the answer to a request that can be undone, in milliseconds. */
const GRACE = 5000;

/** How long a request is held back before that is said, in milliseconds. */
const WORTH_SAYING = 500;

/** The last answer of a call, and what it says by name. */
export interface CallResult {
  readonly answer: WireAnswer;
  readonly body: ReadBody;
  /** Of the body, in bytes, without content coding. */
  readonly size: number;
  /** The body in a file that has not its real name yet. */
  readonly saved?: SavedBody;
  readonly request: BuiltRequest;
  readonly sentHeaders: HeaderList;
  readonly url: string;
  readonly elapsed: number;
  readonly attempts: number;
  /** Names that only some calls have: gathered, arrived. */
  readonly more?: Readonly<Record<string, Maybe>>;
  /** The states that a poll has seen, in order. */
  readonly states?: string;
  /** How many pages came. */
  readonly pages?: number;
  /** The service said to come back later than the call waits. */
  readonly told?: Problem;
}

/** Whether a request of an exchange can have reached the service. */
export interface Progress {
  reached: boolean;
  /** Requests so far. */
  attempts: number;
  /** It is sent again, and goes before those that have not been sent yet. */
  again: boolean;
}

/**
 * Sends a request, follows redirects, renews a credential once after a 401. Throws problems of the request itself with a
 * place, those of the transport and of sign-in without one.
 */
export function exchange(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  progress: Progress,
  patience: number,
): Promise<CallResult> {
  return request.as === undefined
    ? sendFollowing(context, step, request, progress, patience)
    : sendSigned(context, step, request, request.as, progress, patience);
}

async function sendSigned(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  as: string,
  progress: Progress,
  patience: number,
): Promise<CallResult> {
  const renewals = new Bound(context.ports.clock, { times: 1 });
  for (;;) {
    const result = await sendFollowing(context, step, request, progress, patience);
    const { status, headers } = result.answer;
    if (status !== 401) context.ports.credentials.accepted(as);
    if (status !== 401 && !context.project.credentials.get(as)!.signIn) return result;
    const challenges = headers.flatMap(([name, value]) => (name === 'www-authenticate' ? [value] : []));
    const filled = fillCredential(context, request);
    if (!renewals.take() || !(await context.renews(filled, result, challenges))) return result;
    await result.saved?.discard();
  }
}

async function sendFollowing(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  progress: Progress,
  patience: number,
): Promise<CallResult> {
  const service = context.serviceOf(step);
  const most = step.redirects ?? service?.redirects ?? USUAL_REDIRECTS;
  const visited: string[] = [];
  let wire: WireRequest = request;
  let carried = true;
  for (let redirects = 0; ; redirects++) {
    const authorising = authorise(context, step, request, wire, carried);
    const authorised = authorising instanceof Promise ? await authorising : authorising;
    const attempt = ++progress.attempts;
    const sent = await sendOnce(context, step, authorised, request, progress, patience);
    const { answer, elapsed, saved } = sent;
    if (!step.noCookies && answer.headers.some(([name]) => name === 'set-cookie'))
      await storeCookies(context, request, wire.url, answer.headers);
    const next = most === 0 ? undefined : redirectOf(wire, answer, queryKey(context, request));
    if (!next) {
      const reading = readResult(context, step, answer, saved);
      const { body, size } = reading instanceof Promise ? await reading : reading;
      const result: CallResult = {
        answer,
        body,
        size,
        ...(saved ? { saved } : {}),
        request,
        sentHeaders: authorised.headers,
        url: wire.url,
        elapsed,
        attempts: attempt,
      };
      context.hidden.learn(result.body);
      context.hidden.learnFields(answer.headers);
      hideKept(context, step, result.body.value, namesBeforeKeep(context, step, result));
      reportAnswer(context, step, result, attempt, sent);
      return result;
    }
    await saved?.discard();
    const body = readBody(
      answer.headers,
      answer.body,
      { readAs: 'bytes' },
      context.ports.formats,
    ) as ReadBody;
    reportAnswer(context, step, { answer, body, size: answer.body.length, elapsed }, attempt, sent);
    visited.push(wire.url);
    // A redirect to the same place that sets a cookie comes out elsewhere the next time.
    const setsCookie = !step.noCookies && answer.headers.some(([name]) => name === 'set-cookie');
    if (visited.includes(next.url) && next.method === wire.method && !setsCookie) {
      throw new ProblemError({
        code: 'too-many-redirects',
        message: `redirected in a circle: ${[...visited, next.url].slice(-4).join(', then to ')}`,
        instead: 'redirects: 0 takes the redirect as the answer',
      });
    }
    if (redirects === most) {
      throw new ProblemError({
        code: 'too-many-redirects',
        message: `redirected more than ${most} times, the last time from ${wire.url} to ${next.url}`,
        instead: 'redirects: with a larger number',
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
      credential: request.as === undefined ? 'none' : carried ? 'kept' : 'left behind',
    });
  }
}

/** A body with a secret in it is not repeated at another origin, and without it the request would be another one. */
function refuseSecretBody(from: string, to: string): never {
  throw new ProblemError({
    code: 'secret-elsewhere',
    message: `${from} redirects to ${new URL(to).origin}, and the body of the request holds a secret that is not meant for it`,
    instead: 'redirects: 0 takes the redirect as the answer; a call of its own may send the secret there',
  });
}

/** A request that goes to another origin carries nothing that was meant for the first one. */
function withoutCredentials(
  context: RunContext,
  { connection: _, ...request }: WireRequest,
  secretFields: ReadonlySet<string>,
): WireRequest {
  return { ...request, headers: withoutSecretFields(context, request.headers, secretFields) };
}

function readResult(
  context: RunContext,
  step: CallStep,
  answer: WireAnswer,
  saved: SavedBody | undefined,
): { body: ReadBody; size: number } | Promise<{ body: ReadBody; size: number }> {
  if (answer.undecoded !== undefined)
    context.remark(
      step,
      'coding-unknown',
      `the body is in the content coding ${visible(answer.undecoded)}, which is not known here; it is passed on as it came`,
    );
  if (saved && !step.save!.held) {
    const reading = readBody(answer.headers, saved.head(), { readAs: 'text' }, context.ports.formats);
    // What is saved need not be text: it is shown where its beginning is.
    const shown = ({ text, type }: ReadBody): { body: ReadBody; size: number } => {
      const known = { ...(text === undefined ? {} : { text }), ...(type === undefined ? {} : { type }) };
      return { body: { ...known, value: undefined }, size: saved.size };
    };
    return reading instanceof Promise ? reading.then(shown) : shown(reading);
  }
  // An error often comes as something else than the answer would; that is no reason to say so before its status.
  const read = readBody(answer.headers, answer.body, step, context.ports.formats);
  const size = answer.body.length;
  return read instanceof Promise ? read.then((body) => ({ body, size })) : { body: read, size };
}

/** A request that was sent, and its answer. */
interface Sent {
  readonly answer: WireAnswer;
  readonly elapsed: number;
  readonly saved?: SavedBody;
  /** It may be sent only once, or changes something, so that its answer can't be had again. */
  readonly once: boolean;
  /** The answer came before the run was resumed. */
  readonly before?: boolean;
}

function sendOnce(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  request: BuiltRequest,
  progress: Progress,
  patience: number,
): Promise<Sent> | Sent {
  const before = pastAnswer(context, step, wire);
  if (before) return { answer: before, elapsed: 0, once: true, before: true };
  const send = (): Promise<Sent> => {
    const pace = context.paceOf(step, wire.url);
    const entering = pace?.enter(patience, context.interruption, progress.again);
    return entering
      ? heldBack(context, step, pace!, entering, progress.again).then((held) =>
          transmit(context, step, wire, request, progress, pace, held),
        )
      : transmit(context, step, wire, request, progress, pace, undefined);
  };
  const { guarding } = context;
  return guarding?.stops(wire) ? guarding.allow(wire).then(send) : send();
}

/** Sends one request that its pace has let go; `held` is how long that has held it back. */
async function transmit(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  request: BuiltRequest,
  progress: Progress,
  pace: Pace | undefined,
  held: number | undefined,
): Promise<Sent> {
  let came: WireAnswer | undefined;
  let saved: SavedBody | undefined;
  let deadline: Deadline | undefined;
  let sent = false;
  try {
    const once = onceOf(step, wire.method);
    tellSent(context, step, wire, request, progress.attempts, once, held);
    // Whoever goes on with this run has to know that it was sent.
    if (once !== undefined) await context.ports.record?.durable();
    if (step.save) saved = await beginSave(context, step);
    const receive = step.save?.held ? undefined : saved;
    // What can be undone is waited for: without its answer nobody would know what there is to undo.
    const grace = step.undo.length > 0 ? GRACE : 0;
    deadline = new Deadline(
      context.ports.clock,
      context.watchdog,
      request.limits,
      context.interruption,
      grace,
    );
    deadline.onSent = () => {
      sent = true;
      pace?.sent();
    };
    came = await context.ports.transport.send(
      receive ? { ...wire, receive: (chunk) => receive.take(chunk) } : wire,
      deadline,
    );
    progress.reached = true;
    const { phases, elapsed } = deadline.end();
    if (saved && !receive) await saved.take(came.body);
    return {
      answer: { ...came, phases },
      elapsed,
      ...(saved ? { saved } : {}),
      once: once === 'only' || !isSafe(wire.method),
    };
  } catch (error) {
    await saved?.discard();
    if (!deadline) throw error;
    const { phases, elapsed } = deadline.end();
    if (phases.firstByte !== undefined || phases.body !== undefined) progress.reached = true;
    const reason = deadline.stopped ?? error;
    context.noteDefect(reason);
    const problem: Problem = problemOf(reason);
    const { partial } = deadline;
    context.emit({
      event: 'request-failed',
      step: context.address(step),
      attempt: progress.attempts,
      problem: eventProblem(problem),
      phases: rounded(phases),
      elapsed,
      reached: progress.reached,
      ...(partial ? { partial: shownPartial(context, partial) } : {}),
    });
    throw new ProblemError(problem);
  } finally {
    pace?.leave(came, sent);
  }
}

/** Tells that a request is sent, and keeps its body. */
function tellSent(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  request: BuiltRequest,
  attempt: number,
  once: ReturnType<typeof onceOf>,
  held: number | undefined,
): void {
  const type = wire.headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1];
  // What is typed in, under a name that tells that it is a secret, is one as well.
  context.hidden.learnFields(wire.headers);
  if (wire.url.includes('=')) context.hidden.learn({ text: wire.url });
  const shown = wire.body && showBody(context, wire.body, { type: type?.replace(/;.*/s, '').trim() });
  if (shown) keep(context, shown);
  const body = shown?.event;
  context.count(1);
  context.emit({
    event: 'request-sent',
    step: context.address(step),
    attempt,
    method: wire.method,
    url: wire.url,
    written: writtenAddress(context, step, wire.url),
    headers: context.hidden.fields(wire.headers),
    ...(body ? { body } : {}),
    ...(held === undefined || held < 1 ? {} : { held }),
    ...(once === undefined ? {} : { once }),
    ...(once === 'by key' ? { key: keyOf(step, wire) } : {}),
    ...(request.page === undefined ? {} : { page: request.page }),
  });
}

/** The key that a request carries for the service to know it by. */
function keyOf({ idempotency }: CallStep, { headers }: WireRequest): string {
  const name = idempotency!.header.toLowerCase();
  return headers.find(([other]) => other.toLowerCase() === name)?.[1] ?? '';
}

/** Waits for the pace of a service; gives how long, in milliseconds. A long wait is said. */
async function heldBack(
  context: RunContext,
  step: CallStep,
  pace: Pace,
  entering: Promise<void>,
  agreed: boolean,
): Promise<number> {
  const { clock } = context.ports;
  const began = clock.elapsed();
  const told = pace.toldFor;
  const cancel = clock.timer(WORTH_SAYING, () => {
    const address = context.address(step);
    const service = pace.name;
    if (told.wait <= WORTH_SAYING)
      context.emit({
        event: 'waiting',
        step: address,
        for: 0,
        why: 'pace',
        service,
        note: `${pace.waiting} in line`,
      });
    // A call that comes back as it was told has said so already.
    else if (!agreed)
      context.emit({
        event: 'waiting',
        step: address,
        for: Math.round(told.wait - WORTH_SAYING),
        why: 'told',
        service,
        note: told.by ?? '429',
      });
  });
  try {
    await entering;
  } finally {
    cancel();
  }
  // What the service asked for is no part of what the pace holds back.
  return Math.max(0, Math.round((clock.elapsed() - began - told.wait) * 100) / 100);
}

async function beginSave(context: RunContext, step: CallStep): Promise<SavedBody> {
  const environment = context.environment(step);
  const path = fileName(context, context.inserter(environment), step.save!.path);
  return new SavedBody(path, await context.ports.files.create(path, context.chain.file));
}

/** An address as a chain would write it: the service's name and the path, without the query. */
function writtenAddress(context: RunContext, { target }: CallStep, url: string): string {
  const base = target.type === 'url' ? undefined : context.serviceBases.get(target.service);
  if (target.type === 'url' || base === undefined || !url.startsWith(`${base}/`)) return url;
  return `${target.service} ${url.slice(base.length).replace(/[?#].*$/, '')}`;
}
