import { shorten, visible } from '../../language/show.ts';
import type { HeaderList, WireResponse } from '../../ports.ts';

/** That a service says to come back later. */
export interface RetryAfter {
  /** How long to wait, in milliseconds. */
  readonly wait: number;
  /** The field that says so, as it came; undefined if only the status does. */
  readonly by?: string;
  /** The field asks for less than may be done, or can't be read. */
  readonly unclear?: true;
}

/** What a response says of how much may still be asked. */
export interface Left {
  /** Requests. */
  readonly requests: number;
  /** In how many milliseconds there are more. */
  readonly resets: number;
}

/** How long to wait at least, also after a 429 that does not say, in milliseconds: a service that is busy is not asked at once. */
const LEAST = 1000;

/**
 * Whether a response says to come back: 429 (RFC 6585, section 4), or 503 with Retry-After (RFC 9110, section 10.2.3).
 * `now` is in milliseconds since 1970.
 */
export function readRetryAfter(response: WireResponse, now: number): RetryAfter | undefined {
  const { headers, status } = response;
  if (status !== 429 && status !== 503) return undefined;
  const field = fieldOf(headers, 'retry-after');
  const after = retryAfterIn(headers, now);
  if (after !== undefined)
    return {
      wait: Math.max(LEAST, after),
      by: `Retry-After: ${shorten(visible(field!), 60)}`,
      ...(after < LEAST ? { unclear: true } : {}),
    };
  if (field !== undefined)
    return { wait: LEAST, by: `Retry-After: ${shorten(visible(field), 60)}`, unclear: true };
  if (status === 503) return undefined;
  const left = rateLeft(headers, now);
  return left && left.resets > 0
    ? { wait: Math.max(LEAST, left.resets), by: 'its rate-limit fields' }
    : { wait: LEAST };
}

/** What Retry-After says, in milliseconds from now: seconds, or a date (RFC 9110, section 10.2.3). */
export function retryAfterIn(headers: HeaderList, now: number): number | undefined {
  const text = fieldOf(headers, 'retry-after')?.trim();
  if (text === undefined) return undefined;
  if (/^\d{1,15}$/.test(text)) return Number(text) * 1000;
  // Some write fractions or less than nothing, which the standard does not know.
  if (/^[-+]?\d{0,15}(?:\.\d{1,15})?$/.test(text) && /\d/.test(text)) return Math.max(0, Number(text) * 1000);
  const at = dateIn(text);
  // The service's own clock counts, which may differ from ours.
  return at === undefined ? undefined : Math.max(0, at - (dateOf(headers) ?? now));
}

/**
 * How much is left of the narrowest limit that a response tells of: the field RateLimit of the IETF draft
 * (draft-ietf-httpapi-ratelimit-headers), its earlier forms, and the X- fields of common practice.
 */
export function rateLeft(headers: HeaderList, now: number): Left | undefined {
  let narrowest: Left | undefined;
  const consider = (requests: number, resets: number): void => {
    if (!Number.isFinite(requests) || requests < 0) return;
    const wait = Number.isFinite(resets) && resets > 0 ? resets * 1000 : 0;
    if (!narrowest || requests < narrowest.requests) narrowest = { requests, resets: wait };
    else if (requests === narrowest.requests && wait > narrowest.resets)
      narrowest = { requests, resets: wait };
  };
  let [remaining, reset] = [NaN, NaN];
  for (const [name, value] of headers) {
    if (!name.includes('rate')) continue;
    if (name === 'ratelimit') for (const item of value.split(',')) readItem(item, consider);
    else if (/^(?:x-)?rate-?limit-remaining$/.test(name)) remaining = Number.parseInt(value, 10);
    else if (/^(?:x-)?rate-?limit-reset$/.test(name))
      reset = secondsUntil(Number.parseFloat(value), headers, now);
  }
  if (!Number.isNaN(remaining)) consider(remaining, reset);
  return narrowest;
}

/** `"burst";r=3;t=5`, or the earlier `limit=10, remaining=3, reset=5`. */
function readItem(item: string, consider: (requests: number, resets: number) => void): void {
  const parameter = (name: string): number =>
    Number(new RegExp(`[;\\s]${name}=(\\d+)`).exec(` ${item}`)?.[1] ?? NaN);
  const [left, time] = [parameter('r'), parameter('t')];
  if (!Number.isNaN(left)) consider(left, time);
}

/** Some services say when, in seconds or milliseconds since 1970; others, as the draft does, in how many seconds. */
function secondsUntil(value: number, headers: HeaderList, now: number): number {
  if (value > 1e11) return (value - (dateOf(headers) ?? now)) / 1000;
  return value > 1e9 ? value - (dateOf(headers) ?? now) / 1000 : value;
}

function dateOf(headers: HeaderList): number | undefined {
  return dateIn(fieldOf(headers, 'date') ?? '');
}

/** A date of HTTP in one of its three forms (RFC 9110, section 5.6.7), in milliseconds since 1970. */
function dateIn(text: string): number | undefined {
  const isDate =
    /^[A-Z][a-z]{2}, \d{2} [A-Z][a-z]{2} \d{4} \d{2}:\d{2}:\d{2} GMT$/.test(text) ||
    /^[A-Z][a-z]{5,8}, \d{2}-[A-Z][a-z]{2}-\d{2} \d{2}:\d{2}:\d{2} GMT$/.test(text) ||
    /^[A-Z][a-z]{2} [A-Z][a-z]{2} [ \d]\d \d{2}:\d{2}:\d{2} \d{4}$/.test(text);
  const at = isDate ? Date.parse(/GMT$/.test(text) ? text : `${text} GMT`) : NaN;
  return Number.isNaN(at) ? undefined : at;
}

function fieldOf(headers: HeaderList, name: string): string | undefined {
  return headers.find(([other]) => other === name)?.[1];
}
