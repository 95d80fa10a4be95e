import { ProblemError } from '../../problems.ts';
import type { WireResponse, WireRequest } from '../../ports.ts';

/** The request that a redirect asks for (RFC 9110, section 15.4); undefined if the response is none. */
export function redirectOf(
  request: WireRequest,
  { status, headers }: WireResponse,
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
      message: `${request.url} redirects to "${location}", which is not an HTTP URL`,
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
