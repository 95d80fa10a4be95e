import type { CallStep } from '../../chain/model.ts';
import type { EventBody, EventOf } from '../../events.ts';
import { encodeBase64, fromUtf8, utf8 } from '../../language/encodings.ts';
import type { PartialResponse, Phase, Phases, StreamedBody, WireResponse } from '../../ports.ts';
import type { RunContext } from '../scope/context.ts';
import type { BodyText } from '../masking/secrets-of-run.ts';
import type { CallResult } from '../wire/call-result.ts';

/** How much of a body stands in an event, in characters. */
const EXCERPT = 4096;

/** How much more is looked at, so that a secret that begins there is known by its beginning, however it is written. */
const BEYOND = 4096;

export function rounded(phases: Phases): Phases {
  const short: Phases = {};
  for (const name in phases) short[name as Phase] = Math.round(phases[name as Phase]! * 100) / 100;
  return short;
}

export function reportResponse(
  context: RunContext,
  step: CallStep,
  {
    response,
    body,
    size,
    saved,
    elapsed,
  }: Pick<CallResult, 'response' | 'body' | 'size' | 'saved' | 'elapsed'>,
  {
    attempt,
    more: { once, before, isCut } = {},
  }: {
    readonly attempt: number;
    readonly more?:
      | { readonly once?: boolean; readonly before?: boolean; readonly isCut?: boolean | undefined }
      | undefined;
  },
): void {
  const bytes = saved ? utf8(body.text ?? '') : response.body;
  const isBeginning = saved !== undefined || isCut === true;
  const shown = showBody(context, bytes, body, saved !== undefined);
  // A body on its way into a file is described by its beginning; a digest of the whole would take longer than the rest.
  const { digest: _, ...beginning } = shown.event;
  const described = saved
    ? { ...beginning, size }
    : isCut
      ? { ...shown.event, size, beginning: true }
      : shown.event;
  const headers = context.hidden.fields(response.headers);
  if (!before && !saved) keep(context, shown, once);
  const sealed =
    before || isBeginning || !once
      ? undefined
      : sealedResponse(context, response, shown.whole === (body.text ?? bytes));
  context.emit({
    event: 'response-received',
    step: context.address(step),
    attempt,
    status: response.status,
    headers,
    body: described,
    phases: rounded(response.phases),
    elapsed: Math.round(elapsed * 100) / 100,
    ...(sealed === undefined ? {} : { sealed }),
    ...(before ? { before } : {}),
  });
}

/** What came of a response that broke off, kept as far as it came. */
export function shownPartial(
  context: RunContext,
  { body, headers, status }: PartialResponse,
): NonNullable<EventOf<'request-failed'>['partial']> {
  const isEncoded = headers.some(([name]) => name === 'content-encoding');
  const type = headers
    .find(([name]) => name === 'content-type')?.[1]
    ?.replace(/;.*/s, '')
    .trim();
  const came = isEncoded ? undefined : textOfBeginning(body);
  // It may have broken off within a secret.
  const text = came?.slice(0, context.masker.settledLength(came, false));
  const shown = showBody(context, body, {
    ...(text === undefined ? {} : { text }),
    ...(type === undefined ? {} : { type }),
  });
  keep(context, shown);
  return { status, headers: context.hidden.fields(headers), body: shown.event };
}

/** The beginning of a text in UTF-8, whose last character may be cut; undefined if it is no text. */
function textOfBeginning(bytes: Uint8Array): string | undefined {
  for (let cut = 0; cut <= 3 && cut <= bytes.length; cut++) {
    const text = fromUtf8(cut === 0 ? bytes : bytes.subarray(0, -cut));
    if (text !== undefined) return text;
  }
  return undefined;
}

/** A body as it is told and kept. */
export interface ShownBody {
  readonly event: EventBody;
  /** The whole, without secrets, where it is kept. */
  readonly whole?: string | Uint8Array;
}

/** Keeps the whole of a body; `once` says that it can't be had again. */
export function keep(context: RunContext, { event, whole }: ShownBody, once?: boolean): void {
  if (event.digest !== undefined && whole !== undefined)
    context.ports.record?.keep(event.digest, whole, once);
}

/** A response that can't be had again, sealed as it came, where it is not shown so. */
function sealedResponse(
  context: RunContext,
  { body, headers }: WireResponse,
  isWhole: boolean,
): string | undefined {
  const { record, sealer } = context.ports;
  if (!record || !sealer) return undefined;
  const shown =
    isWhole &&
    context.hidden.fields(headers).every(([, value], i) => context.masker.text(value) === headers[i]![1]);
  return shown ? undefined : sealer.seal(JSON.stringify({ headers, body: encodeBase64(body) }));
}

/**
 * A body by size, type and beginning, and by the digest of what is kept of it; secrets are taken out before it is cut. Of one of
 * which nothing is kept only the beginning is looked through.
 */
export function showBody(
  context: RunContext,
  bytes: Uint8Array | StreamedBody,
  { text: known, type, value }: BodyText,
  beginningOnly = false,
): ShownBody {
  const typed = type === undefined ? {} : { type: context.masker.text(type) };
  if (!(bytes instanceof Uint8Array)) return { event: { size: bytes.size, ...typed } };
  const { digests, record } = context.ports;
  const event = { size: bytes.length, ...typed };
  if (bytes.length === 0) return { event: { ...event, text: '' } };
  const text = known ?? fromUtf8(bytes);
  if (text === undefined) {
    const whole = record && withoutSecretBytes(context, bytes) ? bytes : undefined;
    return whole ? { event: { ...event, digest: digests.identify(whole) }, whole } : { event };
  }
  if (value !== undefined || type === 'application/x-www-form-urlencoded')
    context.hidden.learn({ text, type, value });
  if (text.length > EXCERPT && (!record || beginningOnly)) {
    const beginning = context.hidden.body(text.slice(0, EXCERPT + BEYOND), type);
    return { event: { ...event, text: excerptOf(beginning), cut: true } };
  }
  const whole = context.hidden.body(text, type);
  const isCut = text.length > EXCERPT || whole.length > EXCERPT;
  // What stands here whole need not be found by its digest.
  return {
    event: {
      ...event,
      ...(record && isCut && !beginningOnly ? { digest: digests.identify(utf8(whole)) } : {}),
      text: excerptOf(whole),
      ...(isCut ? { cut: true } : {}),
    },
    whole,
  };
}

/** Whether no secret stands in bytes that are no text; they are looked at as if each were a character. */
function withoutSecretBytes({ masker }: RunContext, bytes: Uint8Array): boolean {
  return masker.isIdle || masker.find(latin1.decode(bytes)).length === 0;
}

const latin1 = new TextDecoder('latin1');

/** The beginning of a text, cut inside no character. */
function excerptOf(text: string): string {
  return text.length <= EXCERPT ? text : text.slice(0, EXCERPT).toWellFormed();
}

/** What a person is shown of a body. */
export function summarise(
  context: RunContext,
  bytes: Uint8Array | StreamedBody,
  type: string | undefined,
  known?: string,
): EventBody {
  return showBody(context, bytes, { text: known, type }).event;
}
