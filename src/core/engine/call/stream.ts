import type { CallStep, Stream } from '../../chain/model.ts';
import { utf8 } from '../../language/encodings.ts';
import { isSafe } from '../../methods.ts';
import { type Problem, ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf } from '../scope/settings.ts';
import { Bound } from '../time/bound.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { CallResult, Progress } from '../wire/call-result.ts';
import { sendRepeating } from './retry.ts';
import { StreamIntake } from './stream-intake.ts';

/** How long to wait before a reconnection where the service does not say, in milliseconds. */
const RECONNECTION_TIME = 3000;

/** A longer id is not sent back, in UTF-16 units: no service takes a header of that length. */
const LONGEST_ID = 4096;

/** Failures after which a reconnection may help: the connection broke off. */
const BROKEN_OFF: ReadonlySet<Problem['code']> = new Set<Problem['code']>([
  'connection-refused',
  'connection-reset',
  'no-response',
  'time-limit',
]);

/**
 * Reads a response bit by bit until the condition of its stream holds, or it ends. A stream of events is connected to again where
 * it breaks off, as often as `retry` says: see
 * [HTML Standard, 9.2.3](https://html.spec.whatwg.org/multipage/server-sent-events.html#sse-processing-model). Throws `stream-ended`,
 * `stream-out-of-time`, `stream-silent`, `bound-reached`.
 */
export async function streamResponse(
  context: RunContext,
  step: CallStep,
  stream: Stream,
  { first, progress }: { readonly first: BuiltRequest; readonly progress: Progress },
): Promise<CallResult> {
  const intake = new StreamIntake(context, step, stream);
  const reconnections = new Bound(context.ports.clock, {
    times: step.retry ? Math.max(1, amountOf(step.retry.attempts, context.environment(step))) - 1 : 0,
    within: intake.within,
  });
  try {
    let request: BuiltRequest = { ...first, intake };
    for (;;) {
      const { result, failure } = await connect(context, step, request, progress);
      if (result && (!intake.head || intake.done || (!failure && !stream.until)))
        return finished(context, step, intake, result);
      const again = whyAgain(step, intake, failure) && reconnections.take();
      if (!again) throw failure ?? new ProblemError(intake.isLate ? intake.outOfTime() : intake.ended());
      const wait = Math.min(intake.events?.retry ?? RECONNECTION_TIME, intake.left);
      context.emit({
        event: 'waiting',
        step: context.address(step),
        for: Math.round(wait),
        why: 'retry',
        note: failure ? failure.problem.code : 'the stream ended',
      });
      await context.sleep(wait);
      if (intake.isLate && !stream.enough) throw new ProblemError(intake.outOfTime());
      if (intake.isLate)
        return finished(context, step, intake, result ?? broken(request, intake, progress.attempts));
      request = { ...first, intake, headers: withLastId(first.headers, intake.events?.lastId ?? '') };
    }
  } finally {
    context.watchdog.delete(intake);
  }
}

async function connect(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  progress: Progress,
): Promise<{ result?: CallResult; failure?: ProblemError }> {
  try {
    return { result: await sendRepeating(context, step, request, progress) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return { failure: error };
  }
}

function finished(context: RunContext, step: CallStep, intake: StreamIntake, result: CallResult): CallResult {
  if (intake.isLiveEmpty)
    context.warn(
      step,
      'live-empty',
      `live of the stream is to show a text while it comes, and gave none for any of ${intake.received} items`,
    );
  return { ...result, more: { ...result.more, received: intake.received } };
}

/** What came of a response that broke off, where that will do. */
function broken(request: BuiltRequest, intake: StreamIntake, attempts: number): CallResult {
  const head = intake.head ?? { status: 200, headers: [] };
  return {
    response: { ...head, body: intake.bytes, phases: {} },
    body: intake.read(),
    size: intake.size,
    request,
    sentHeaders: request.headers,
    url: request.url,
    elapsed: intake.within,
    attempts,
  };
}

/** Whether to connect again: only what can be asked twice, to a stream of events, which 204 has not ended. */
function whyAgain(
  step: CallStep,
  { events, head }: StreamIntake,
  failure: ProblemError | undefined,
): boolean {
  if (!events || !isSafe(step.method) || head?.status === 204) return false;
  return failure ? BROKEN_OFF.has(failure.problem.code) : true;
}

function withLastId(headers: BuiltRequest['headers'], id: string): [string, string][] {
  const others = headers.filter(([name]) => name.toLowerCase() !== 'last-event-id');
  // A header takes no control characters, and each byte of its UTF-8 as a character.
  if (id === '' || id.length > LONGEST_ID || /\p{Cc}/u.test(id)) return others;
  return [...others, ['Last-Event-ID', String.fromCharCode(...utf8(id))]];
}
