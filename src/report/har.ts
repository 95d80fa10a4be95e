import { STATUS_CODES } from 'node:http';
import type { EventOf } from '../core/events.ts';
import { fromUtf8 } from '../core/language/encodings.ts';
import type { RecordedAttempt, RecordedStep } from '../core/record/recorded-run.ts';
import { allSteps, type ReportSource } from './report-source.ts';

/** A response, or what came of one that broke off. */
type Received = Pick<EventOf<'response-received'>, 'status' | 'headers' | 'body'>;
type Headers = EventOf<'response-received'>['headers'];

/** An HTTP Archive, version 1.2: a page for each run, an entry for each request. Secrets are masked in it. */
export function har(sources: readonly ReportSource[], version: string): string {
  const log = {
    version: '1.2',
    creator: { name: 'batharon', version },
    pages: sources.map(({ run }) => ({
      startedDateTime: new Date(run.at).toISOString(),
      id: run.id,
      title: run.chain,
      pageTimings: { onContentLoad: -1, onLoad: Math.round(run.elapsed) },
    })),
    entries: sources.flatMap((source) =>
      [...allSteps(source.run)]
        .flatMap((step) => step.attempts.map((attempt) => ({ step, attempt })))
        .sort((a, b) => a.attempt.from - b.attempt.from)
        .map(({ attempt, step }) => entry(source, step, attempt)),
    ),
  };
  return `${JSON.stringify({ log }, undefined, 2)}\n`;
}

function entry(
  source: ReportSource,
  step: RecordedStep,
  { response, failed, redirected, sent }: RecordedAttempt,
): object {
  const received: Received | undefined = response ?? failed?.partial;
  const phases = response?.phases ?? failed?.phases ?? {};
  const timings = {
    blocked: sent.delayed ?? -1,
    dns: phases.name ?? -1,
    // The time of TLS is a part of that of connecting.
    connect: phases.connect === undefined ? -1 : phases.connect + (phases.tls ?? 0),
    ssl: phases.tls ?? -1,
    send: 0,
    wait: phases.firstByte ?? 0,
    receive: phases.body ?? 0,
  };
  const time = [timings.blocked, timings.dns, timings.connect, timings.wait, timings.receive]
    .filter((part) => part > 0)
    .reduce((sum, part) => sum + part, 0);
  return {
    pageref: source.run.id,
    startedDateTime: new Date(sent.at - (sent.delayed ?? 0)).toISOString(),
    time,
    request: request(source, sent),
    response: received ? responseOf(source, received, redirected) : noResponse(),
    cache: {},
    timings,
    comment: failed ? `${step.address}: ${failed.problem.message}` : step.address,
  };
}

function request(source: ReportSource, sent: EventOf<'request-sent'>): object {
  const type = sent.headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? '';
  const bytes = sent.body && source.bytes(sent);
  return {
    method: sent.method,
    url: sent.url,
    httpVersion: 'HTTP/1.1',
    cookies: [],
    headers: named(sent.headers),
    queryString: URL.canParse(sent.url)
      ? [...new URL(sent.url).searchParams].map(([name, value]) => ({ name, value }))
      : [],
    ...(sent.body && sent.body.size > 0
      ? { postData: { mimeType: type, text: (bytes && fromUtf8(bytes)) ?? sent.body.text ?? '' } }
      : {}),
    headersSize: -1,
    bodySize: sent.body?.size ?? 0,
  };
}

function responseOf(
  source: ReportSource,
  response: Received,
  redirected: EventOf<'redirected'> | undefined,
): object {
  const bytes = source.bytes(response);
  const text = bytes && response.body.text !== undefined ? fromUtf8(bytes) : undefined;
  const content =
    text !== undefined
      ? { text }
      : bytes && bytes.length > 0
        ? { text: Buffer.from(bytes).toString('base64'), encoding: 'base64' }
        : response.body.text === undefined
          ? {}
          : { text: response.body.text, comment: 'only its beginning was kept' };
  return {
    status: response.status,
    statusText: STATUS_CODES[response.status] ?? '',
    httpVersion: 'HTTP/1.1',
    cookies: [],
    headers: named(response.headers),
    content: { size: response.body.size, mimeType: response.body.type ?? 'x-unknown', ...content },
    redirectURL: redirected?.to ?? '',
    headersSize: -1,
    bodySize: -1,
  };
}

/** Where no response came the format has a status of 0. */
function noResponse(): object {
  return {
    status: 0,
    statusText: '',
    httpVersion: '',
    cookies: [],
    headers: [],
    content: { size: 0, mimeType: 'x-unknown' },
    redirectURL: '',
    headersSize: -1,
    bodySize: -1,
  };
}

function named(headers: Headers): { name: string; value: string }[] {
  return headers.map(([name, value]) => ({ name, value }));
}
