import type { CallStep } from '../chain/model.ts';
import type { EventBody } from '../events.ts';
import { fromUtf8, utf8 } from '../language/encodings.ts';
import type { Phase, Phases, StreamedBody } from '../ports.ts';
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
): EventBody {
  // A body on its way into a file is described by its beginning; a digest of the whole would take longer than the rest.
  const beginning = saved && summarise(context, utf8(body.text ?? ''), body.type, body.text);
  const described = beginning
    ? { size, ...optionalText(beginning), ...(body.type === undefined ? {} : { type: body.type }) }
    : summarise(context, answer.body, body.type, body.text);
  context.emit({
    event: 'answer-came',
    step: context.address(step),
    attempt,
    status: answer.status,
    headers: maskHeaders(answer.headers),
    body: described,
    phases: rounded(answer.phases),
    elapsed: Math.round(elapsed * 100) / 100,
  });
  return described;
}

function optionalText({ text, cut }: EventBody): Pick<EventBody, 'text' | 'cut'> {
  return { ...(text === undefined || text === '' ? {} : { text }), ...(cut === undefined ? {} : { cut }) };
}

/** Keeps the whole body of an answer, where somebody wants it; secrets are taken out first. */
export function keepBody(
  context: RunContext,
  { answer, body, saved }: CallResult,
  { digest }: EventBody,
): void {
  const { bodies } = context.ports;
  if (!bodies || saved || digest === undefined || answer.body.length === 0) return;
  if (body.text !== undefined) bodies.put(digest, context.members.hide(context.masker.text(body.text)));
  else if (context.masker.isIdle) bodies.put(digest, answer.body);
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
  // Without a store of bodies nothing could be found by it.
  const { bodies, digests } = context.ports;
  const digest = bodies ? { digest: digests.identify(bytes) } : {};
  const window = EXCERPT + context.masker.longest;
  const text = known ?? (bytes.length <= window * 4 ? fromUtf8(bytes) : undefined);
  const base = { size: bytes.length, ...digest, ...(type === undefined ? {} : { type }) };
  if (text === undefined) return base;
  const cut = text.length > EXCERPT;
  const masked = maskedBeginning(context, text, window);
  return {
    ...base,
    text: excerptOf(context.members.hide(masked)),
    ...(cut ? { cut } : {}),
  };
}
