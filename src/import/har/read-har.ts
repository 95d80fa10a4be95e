import { readFileSync, statSync } from 'node:fs';
import * as z from 'zod';
import { parseJson } from '../../core/language/json.ts';
import type { Maybe } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';

/** A recorded call: what was sent, and what came in the end. */
export interface RecordedCall {
  readonly method: string;
  readonly url: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body?: { readonly type: string; readonly text: string };
  readonly status: number;
  /** Names in small letters. */
  readonly responseHeaders: readonly (readonly [name: string, value: string])[];
  readonly responseType: string;
  /** The body of the response, where it is JSON. */
  readonly json: Maybe;
  /** Where a redirect led, if it was one. */
  readonly redirectedTo?: string;
}

/** A recording takes no more, in bytes, and no more calls are taken from it. */
const LARGEST = 128 * 1024 * 1024;
const MOST_CALLS = 2_000;

const pairs = z.array(z.object({ name: z.string(), value: z.string() })).catch([]);
const harSchema = z.object({
  log: z.object({
    entries: z.array(
      z.object({
        request: z.object({
          method: z.string(),
          url: z.string(),
          headers: pairs,
          postData: z
            .object({ mimeType: z.string().catch(''), text: z.string().optional(), params: pairs.optional() })
            .optional()
            .catch(undefined),
        }),
        response: z.object({
          status: z.number(),
          headers: pairs,
          redirectURL: z.string().catch(''),
          content: z
            .object({
              mimeType: z.string().catch(''),
              text: z.string().optional(),
              encoding: z.string().optional(),
            })
            .catch({ mimeType: '' }),
        }),
      }),
    ),
  }),
});
type HarEntry = z.infer<typeof harSchema>['log']['entries'][number];

/** What a recording is worth a step, and what is left out of it, a line each. */
export interface ReadHar {
  readonly calls: readonly RecordedCall[];
  readonly leftOut: readonly string[];
}

/**
 * Reads an HTTP Archive (http://www.softwareishard.com/blog/har-12-spec/): the calls that are worth a step. Pages, pictures,
 * scripts and the like are left out by their content types. Throws `file-not-found`, `import-unreadable`.
 */
export function readHar(path: string): ReadHar {
  if (statSync(path).size > LARGEST)
    fail('import-unreadable', `${path} is larger than ${LARGEST / 1024 / 1024} MiB`);
  let data: unknown;
  try {
    data = JSON.parse(readFileSync(path, 'utf8').replace(/^\ufeff/, ''));
  } catch (error) {
    fail('import-unreadable', `${path} is no JSON: ${(error as Error).message}`);
  }
  const read = harSchema.safeParse(data);
  if (!read.success) {
    const [issue] = read.error.issues;
    return fail(
      'import-unreadable',
      `${path} is no HTTP Archive: ${issue ? `${issue.path.join('.')}: ${issue.message}` : 'it has no log'}`,
    );
  }
  const calls: RecordedCall[] = [];
  const leftOut: string[] = [];
  const { entries } = read.data.log;
  for (const [i, entry] of entries.entries()) {
    const why =
      reasonToLeaveOut(entry) ?? (isRedirected(entries, i) ? 'its redirect is followed' : undefined);
    if (why !== undefined) leftOut.push(`${entry.request.method} ${shortUrl(entry.request.url)} (${why})`);
    else if (calls.length >= MOST_CALLS)
      leftOut.push(`${entry.request.method} ${shortUrl(entry.request.url)} (more than ${MOST_CALLS} calls)`);
    else calls.push(callOf(entries, i));
  }
  return { calls, leftOut };
}

/** Content types of what pages are made of. */
const STATIC =
  /^(?:image|font|audio|video)\/|^text\/css|javascript|ecmascript|^application\/(?:wasm|manifest\+json|font)|^text\/html/;

function reasonToLeaveOut({ request, response }: HarEntry): string | undefined {
  const type = response.content.mimeType.split(';')[0]!.trim().toLowerCase();
  if (!/^https?:/i.test(request.url) || !URL.canParse(request.url)) return 'no HTTP';
  if (response.status === 0) return 'no response';
  if (response.status === 101) return 'a socket';
  if (/^(?:OPTIONS|CONNECT)$/.test(request.method)) return 'asked by a browser beforehand';
  const isRedirect = response.status >= 300 && response.status < 400;
  if (STATIC.test(type) && !isRedirect && (request.method === 'GET' || /^image\//.test(type))) return type;
  // What only tells a service that something happened is sent as plain text, and nothing comes back.
  const sent = request.postData?.mimeType ?? '';
  if (
    response.status === 204 &&
    /^text\/plain|^application\/x-beacon/.test(sent) &&
    request.method === 'POST'
  )
    return 'tells of a visit';
  return undefined;
}

/** Where the entry before it was redirected to. */
function isRedirected(entries: readonly HarEntry[], i: number): boolean {
  const before = entries[i - 1];
  return before !== undefined && targetOf(before) === entries[i]!.request.url;
}

function targetOf({ request, response }: HarEntry): string | undefined {
  if (response.status < 300 || response.status >= 400) return undefined;
  const location =
    response.redirectURL || response.headers.find(({ name }) => /^location$/i.test(name))?.value;
  return location !== undefined && URL.canParse(location, request.url)
    ? new URL(location, request.url).href
    : undefined;
}

function callOf(entries: readonly HarEntry[], at: number): RecordedCall {
  const { request } = entries[at]!;
  let last = at;
  while (last + 1 < entries.length && isRedirected(entries, last + 1)) last++;
  const { response } = entries[last]!;
  const target = targetOf(entries[at]!);
  const type = response.content.mimeType.split(';')[0]!.trim().toLowerCase();
  const { postData } = request;
  const text =
    postData?.text ??
    (postData?.params && postData.params.length > 0
      ? new URLSearchParams(postData.params.map(({ name, value }) => [name, value])).toString()
      : undefined);
  return {
    method: request.method,
    url: request.url,
    headers: request.headers.map(({ name, value }) => [name, value] as const),
    ...(text === undefined || text === ''
      ? {}
      : { body: { type: postData!.mimeType.split(';')[0]!.trim().toLowerCase(), text } }),
    status: response.status,
    responseHeaders: response.headers.map(({ name, value }) => [name.toLowerCase(), value] as const),
    responseType: type,
    json: jsonOf(response.content, type),
    ...(last > at && target !== undefined ? { redirectedTo: target } : {}),
  };
}

function jsonOf({ encoding, text }: HarEntry['response']['content'], type: string): Maybe {
  if (text === undefined || !/[/+]json$/.test(type)) return undefined;
  try {
    return parseJson(encoding === 'base64' ? Buffer.from(text, 'base64').toString('utf8') : text);
  } catch {
    return undefined;
  }
}

function shortUrl(url: string): string {
  const short = url.replace(/[?#].*$/s, '');
  return short.length > 100 ? `${short.slice(0, 99)}…` : short;
}
