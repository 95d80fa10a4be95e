import type { CallStep } from '../chain/model.ts';
import type { EventBody } from '../events.ts';
import { encodeBase64, fromUtf8, utf8 } from '../language/encodings.ts';
import type { Phase, Phases, StreamedBody, WireAnswer, WireRequest } from '../ports.ts';
import { maskHeaders } from './answer-secrets.ts';
import type { RunContext } from './context.ts';
import { MaskStream } from './masking.ts';
import type { CallResult } from './exchange.ts';

/** How much of a body stands in an event, in characters. */
const EXCERPT = 4096;

export function rounded(phases: Phases): Phases {
  const short: Phases = {};
  for (const name in phases) short[name as Phase] = Math.round(phases[name as Phase]! * 100) / 100;
  return short;
}

export function reportAnswer(
  context: RunContext,
  step: CallStep,
  { answer, body, size, saved, elapsed }: Pick<CallResult, 'answer' | 'body' | 'size' | 'saved' | 'elapsed'>,
  attempt: number,
  { once, before }: { readonly once?: boolean; readonly before?: boolean } = {},
): void {
  // A body on its way into a file is described by its beginning; a digest of the whole would take longer than the rest.
  const beginning = saved && summarise(context, utf8(body.text ?? ''), body.type, body.text);
  const described = beginning
    ? { size, ...optionalText(beginning), ...(body.type === undefined ? {} : { type: body.type }) }
    : summarise(context, answer.body, body.type, body.text);
  const headers = maskHeaders(answer.headers);
  const sealed = before || saved ? undefined : keepAnswer(context, answer, body.text, described, once);
  context.emit({
    event: 'answer-came',
    step: context.address(step),
    attempt,
    status: answer.status,
    headers,
    body: described,
    phases: rounded(answer.phases),
    elapsed: Math.round(elapsed * 100) / 100,
    ...(sealed === undefined ? {} : { sealed }),
    ...(before ? { before } : {}),
  });
}

/** Keeps the whole body of a request, masked. */
export function keepSent(context: RunContext, body: WireRequest['body'], digest: string): void {
  if (!(body instanceof Uint8Array)) return;
  const whole = maskedWhole(context, body, fromUtf8(body));
  if (whole !== undefined) context.ports.record?.keep(digest, whole);
}

/** Keeps the whole body of an answer, masked; gives the whole answer sealed where it can't be had again and is masked. */
function keepAnswer(
  context: RunContext,
  { body, headers }: WireAnswer,
  text: string | undefined,
  { digest }: EventBody,
  once: boolean | undefined,
): string | undefined {
  const { record, sealer } = context.ports;
  if (!record || (digest === undefined && !once)) return undefined;
  const whole = maskedWhole(context, body, text);
  if (digest !== undefined && whole !== undefined) record.keep(digest, whole, once);
  if (!once || !sealer) return undefined;
  const shown =
    whole === (text ?? body) &&
    maskHeaders(headers).every(([, value], i) => context.masker.text(value) === headers[i]![1]);
  return shown ? undefined : sealer.seal(JSON.stringify({ headers, body: encodeBase64(body) }));
}

function optionalText({ text, cut }: EventBody): Pick<EventBody, 'text' | 'cut'> {
  return { ...(text === undefined || text === '' ? {} : { text }), ...(cut === undefined ? {} : { cut }) };
}

/** A whole body without its secrets; nothing where it is no text, in which they can't be found. */
function maskedWhole(
  context: RunContext,
  bytes: Uint8Array,
  text: string | undefined,
): string | Uint8Array | undefined {
  if (text !== undefined) return context.members.hide(context.masker.text(text));
  return context.masker.isIdle || bytes.length === 0 ? bytes : undefined;
}

function maskedBeginning({ masker }: RunContext, text: string, window: number): string {
  if (masker.isIdle) return text.length > window ? text.slice(0, window) : text;
  const stream = new MaskStream(masker);
  return text.length > window ? stream.push(text.slice(0, window)) : stream.push(text) + stream.end();
}

/** The beginning of a text, cut inside no character. */
function excerptOf(text: string): string {
  return text.length <= EXCERPT ? text : text.slice(0, EXCERPT).toWellFormed();
}

/** A body by size, digest and type, with its beginning where it is text; secrets are taken out before it is cut. */
export function summarise(
  context: RunContext,
  bytes: Uint8Array | StreamedBody,
  type: string | undefined,
  known?: string,
): EventBody {
  if (!(bytes instanceof Uint8Array)) return { size: bytes.size, ...(type === undefined ? {} : { type }) };
  const window = EXCERPT + context.masker.longest;
  const text = known ?? (bytes.length <= window * 4 ? fromUtf8(bytes) : undefined);
  const cut = text !== undefined && text.length > EXCERPT;
  // What stands here whole need not be found by its digest, nor what nobody keeps.
  const { digests, record } = context.ports;
  const apart = record && bytes.length > 0 && (text === undefined || cut);
  const base = {
    size: bytes.length,
    ...(apart ? { digest: digests.identify(bytes) } : {}),
    ...(type === undefined ? {} : { type }),
  };
  if (text === undefined) return base;
  const masked = maskedBeginning(context, text, window);
  return {
    ...base,
    text: excerptOf(context.members.hide(masked)),
    ...(cut ? { cut } : {}),
  };
}
