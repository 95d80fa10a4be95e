import type { CallStep } from '../../chain/model.ts';
import type { Receiver, ResponseHead, WireResponse, WireRequest } from '../../ports.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';
import { showBody, keep, shownPartial, rounded } from './report-call.ts';
import { utf8 } from '../../language/encodings.ts';
import { isSafe } from '../../methods.ts';
import { resendPolicy } from '../wire/idempotency.ts';
import type { Intake } from '../wire/intake.ts';
import { SavedBody } from '../wire/saved-body.ts';
import type { Passage } from '../pace/line.ts';
import type { Pacing } from '../pace/pace.ts';
import { fileName } from '../scope/file-name.ts';
import { type Problem, problemOf, ProblemError } from '../../problems.ts';
import type { Progress } from '../wire/call-result.ts';
import { Deadline } from '../time/deadline.ts';
import { eventProblem } from '../scope/with-place.ts';
import { pastResponse } from './past-response.ts';
import { Transfer } from './transfer.ts';

/** How long an interruption waits for the response to a request that can be undone, in milliseconds. */
export const GRACE = 5000;

/** How long a request is delayed before that is said, in milliseconds. */
export const WORTH_SAYING = 500;

/** A request that was sent, and its response. */
export interface Sent {
  readonly response: WireResponse;
  readonly elapsed: number;
  readonly saved?: SavedBody;
  /** It may be sent only once, or changes something, so that its response can't be had again. */
  readonly once: boolean;
  /** The response came before the run was resumed. */
  readonly before?: boolean;
}

/** The key that a request carries for the service to know it by. */
export function keyOf({ idempotency }: CallStep, { headers }: WireRequest): string {
  const name = idempotency!.header.toLowerCase();
  return headers.find(([other]) => other.toLowerCase() === name)?.[1] ?? '';
}

/** An address as a chain would write it: the service's name and the path, without the query. */
export function writtenAddress(context: RunContext, { target }: CallStep, url: string): string {
  const base = target.type === 'url' ? undefined : context.serviceBases.get(target.service);
  if (target.type === 'url' || base === undefined || !url.startsWith(`${base}/`)) return url;
  return `${target.service} ${url.slice(base.length).replace(/[?#].*$/, '')}`;
}

/** Tells that a request is sent, and keeps its body. */
export function tellSent(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  {
    request,
    attempt,
    resend,
    delayed,
  }: {
    readonly request: BuiltRequest;
    readonly attempt: number;
    readonly resend: ReturnType<typeof resendPolicy>;
    readonly delayed: number | undefined;
  },
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
    ...(delayed === undefined || delayed < 1 ? {} : { delayed }),
    ...(resend === undefined ? {} : { resend }),
    ...(resend === 'with-key' ? { key: keyOf(step, wire) } : {}),
    ...(request.page === undefined ? {} : { page: request.page }),
  });
}

/** Waits for the pace of a service; returns what lets the request go, and how long that took, in milliseconds. A long wait is said. */
export async function passedBack(
  context: RunContext,
  step: CallStep,
  pace: Pacing,
  { entering, agreed }: { readonly entering: Promise<Passage>; readonly agreed: boolean },
): Promise<{ readonly passage: Passage; readonly delayed: number }> {
  const { clock } = context.ports;
  const began = clock.elapsed();
  const retryAfter = pace.retryAfterFor;
  const cancel = clock.timer(WORTH_SAYING, () => {
    const address = context.address(step);
    const service = pace.name;
    if (retryAfter.wait <= WORTH_SAYING)
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
        for: Math.round(retryAfter.wait - WORTH_SAYING),
        why: 'retry-after',
        service,
        note: retryAfter.by ?? '429',
      });
  });
  let passage: Passage;
  try {
    passage = await entering;
  } finally {
    cancel();
  }
  // What the service asked for is no part of what the pace delays.
  const delayed = Math.max(0, Math.round((clock.elapsed() - began - retryAfter.wait) * 100) / 100);
  return { passage, delayed };
}
async function beginSave(context: RunContext, step: CallStep, url: string): Promise<SavedBody> {
  const environment = context.environment(step);
  const path = fileName(context, context.inserter(environment), step.save!.path);
  const { digests, files } = context.ports;
  // The address may hold a key, so only its digest is written down.
  if (step.save!.resume && files.resume)
    return new SavedBody(path, await files.resume(path, context.chain.file, digests.identify(utf8(url))));
  return new SavedBody(path, await files.create(path, context.chain.file));
}

/** Sends one request that its pace has let go; `delayed` is how long that has delayed it back. */
export async function transmit(
  context: RunContext,
  step: CallStep,
  plain: WireRequest,
  {
    request,
    progress,
    passage,
    delayed,
  }: {
    readonly request: BuiltRequest;
    readonly progress: Progress;
    readonly passage: Passage | undefined;
    readonly delayed: number | undefined;
  },
): Promise<Sent> {
  const { intake } = request;
  let received: WireResponse | undefined;
  let saved: SavedBody | undefined;
  let deadline: Deadline | undefined;
  let sent = false;
  try {
    if (step.save) saved = await beginSave(context, step, plain.url);
    const wire = saved ? { ...plain, headers: saved.ranged(plain.headers) } : plain;
    const resend = resendPolicy(step, wire.method);
    tellSent(context, step, wire, { request, attempt: progress.attempts, resend, delayed });
    // Whoever goes on with this run has to know that it was sent.
    if (resend !== undefined) await context.ports.record?.durable();
    const receive = step.save?.buffered ? undefined : saved;
    // What can be undone is waited for: without its response nobody would know what there is to undo.
    const grace = step.undo.length > 0 ? GRACE : 0;
    deadline = new Deadline(context.ports.clock, context.watchdog, request.limits, {
      interruption: context.interruption,
      grace,
    });
    deadline.onSent = () => {
      sent = true;
      passage?.sent();
    };
    if (receive) {
      const transfer = new Transfer(context, step, 'received');
      deadline.received = (bytes, of) => transfer.take(bytes, of);
    }
    const outgoing = new Transfer(context, step, 'sent').watching(wire);
    if (intake) received = await sendTaken(context, outgoing, intake, deadline);
    else
      received = await context.ports.transport.send(
        receive ? { ...outgoing, receive: (head) => receive.receiver(head) } : outgoing,
        deadline,
      );
    progress.reached = true;
    const { phases, elapsed } = deadline.end();
    if (saved && !receive) await saved.take(received.body);
    if (saved && !saved.isBegun) {
      // Of a part that can't be had the beginning is of no use.
      await (received.status === 416 ? saved.discard() : saved.interrupted());
      saved = undefined;
    }
    return {
      response: { ...received, phases },
      elapsed,
      ...(saved ? { saved } : {}),
      once: resend === 'never' || !isSafe(wire.method),
    };
  } catch (error) {
    await saved?.interrupted();
    if (!deadline) throw error;
    const { phases, elapsed } = deadline.end();
    if (phases.firstByte !== undefined || phases.body !== undefined) progress.reached = true;
    const reason = deadline.stopped ?? error;
    context.noteDefect(reason);
    const problem: Problem = problemOf(reason);
    const partial = intake?.head ? { ...intake.head, body: intake.bytes } : deadline.partial;
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
    intake?.close();
    passage?.leave(received, sent);
  }
}

/** Sends a request whose response is taken bit by bit; once enough of it has come, it has not failed. */
async function sendTaken(
  context: RunContext,
  wire: WireRequest,
  intake: Intake,
  deadline: Deadline,
): Promise<WireResponse> {
  intake.open((reason) => deadline.stop(reason));
  const receive = (head: ResponseHead): Receiver | undefined => {
    const take = intake.begin(head);
    if (take) deadline.goesOn();
    return take;
  };
  try {
    const received = await context.ports.transport.send({ ...wire, receive }, deadline);
    if (!intake.head) return received;
    await intake.end();
    return { ...received, body: intake.bytes };
  } catch (error) {
    if (!intake.done || !intake.head) throw error;
    return { ...intake.head, body: intake.bytes, phases: {} };
  }
}

/** Takes the body of a response that is there whole. */
async function takeWhole(response: WireResponse, intake: Intake): Promise<WireResponse> {
  intake.open(() => undefined);
  try {
    await intake.begin(response)?.(response.body);
    await intake.end();
  } finally {
    intake.close();
  }
  return response;
}

export function sendOnce(
  context: RunContext,
  step: CallStep,
  wire: WireRequest,
  {
    request,
    progress,
    patience,
  }: { readonly request: BuiltRequest; readonly progress: Progress; readonly patience: number },
): Promise<Sent> | Sent {
  const before = pastResponse(context, step, wire);
  if (before) {
    const sent = (response: WireResponse): Sent => ({ response, elapsed: 0, once: true, before: true });
    return request.intake ? takeWhole(before, request.intake).then(sent) : sent(before);
  }
  const send = (): Promise<Sent> => {
    const pace = context.paceOf(step, wire.url);
    const entering = pace?.enter(patience, context.interruption, progress.again);
    return entering instanceof Promise
      ? passedBack(context, step, pace!, { entering, agreed: progress.again }).then(({ passage, delayed }) =>
          transmit(context, step, wire, { request, progress, passage, delayed }),
        )
      : transmit(context, step, wire, { request, progress, passage: entering, delayed: undefined });
  };
  const { guarding } = context;
  return guarding?.stops(wire) ? guarding.allow(wire).then(send) : send();
}
