import { Readable } from 'node:stream';
import type { HeaderList, Transport, Watch, WireResponse, WireRequest } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { Agents, type Way } from './http-agents.ts';
import { codingsOf } from './content-codings.ts';
import { decodeContent } from './http-content.ts';
import { proxyProblem, transportProblem } from './http-problems.ts';
import { Receiving } from './http-receive.ts';
import type { Http2Handler } from './http2.ts';

/** The most that is kept of one body, compressed or not, in bytes. */
export const MAXIMUM_BODY = 64 * 1024 * 1024;

/** An address of which nothing has to be encoded or resolved (RFC 3986). */
const PLAIN_ADDRESS = /^(https?:\/\/[a-z0-9.:-]+)(\/[\w.~!$&()*+,;=:@/%?-]*)$/;

/** Sends requests with undici, connections kept between them. */
export class HttpTransport implements Transport {
  readonly #agents = new Agents();
  /** By the beginning of an address as it is written. */
  readonly #origins = new Map<string, URL>();

  send(request: WireRequest, watch: Watch): Promise<WireResponse> {
    if (watch.stopped) return Promise.reject(watch.stopped);
    const { origin, path } = this.#addressOf(request.url);
    const way = this.#agents.for(origin, request.connection, watch);
    return way instanceof Promise
      ? way.then((known) => dispatch(request, known, origin, { path, watch }))
      : dispatch(request, way, origin, { path, watch });
  }

  /** Where a request goes, and what it asks for there. Most addresses are plain, and reading those whole takes longest. */
  #addressOf(address: string): { origin: URL; path: string } {
    const [, start = '', path = ''] = PLAIN_ADDRESS.exec(address) ?? [];
    const known = path === '' || /\/(?:\.|%2e)/i.test(path) ? undefined : this.#origins.get(start);
    if (known) return { origin: known, path };
    const url = new URL(address);
    if (start !== '') this.#origins.set(start, new URL(url.origin));
    return { origin: url, path: url.pathname + url.search };
  }

  /** Closes all connections. */
  async close(): Promise<void> {
    await this.#agents.close();
  }
}

function dispatch(
  request: WireRequest,
  { agent, proxy }: Way,
  url: URL,
  { path, watch }: { readonly path: string; readonly watch: Watch },
): Promise<WireResponse> {
  return new Promise((resolve, reject) => {
    const chunks: Buffer[] = [];
    let size = 0;
    let announced = 0;
    let status = 0;
    let headers: HeaderList = [];
    let abort: ((reason: Error) => void) | undefined;
    let receiving: Receiving | undefined;
    let whole = false;
    let isHandedOver = false;
    let isOut = false;
    const goesOut = (): void => {
      if (isOut) return;
      isOut = true;
      watch.phase('firstByte');
    };
    const breakOff = (reason: Error): void => {
      // It may be at the service already, though that has not said so yet.
      if (isHandedOver) goesOut();
      if (status >= 200 && !whole) watch.partial = { status, headers, body: Buffer.concat(chunks) };
      reject(reason);
    };
    watch.onStop((reason) => {
      abort?.(reason);
      breakOff(reason);
    });
    const handler: Http2Handler = {
      onConnect(aborts, agreed) {
        abort = aborts;
        if (watch.stopped) return aborts(watch.stopped);
        isHandedOver = true;
        if (agreed) void agreed.then(goesOut);
        else goesOut();
      },
      onHeaders(statusCode, raw, resume) {
        // What is said on the way to a response (RFC 9110, section 15.2) is none.
        if (statusCode < 200) return true;
        goesOut();
        status = statusCode;
        if (proxy !== undefined && status === 407) {
          abort!(proxyProblem(proxy, status, url));
          return true;
        }
        headers = headerList(raw);
        watch.phase('body');
        announced = Number(headers.find(([name]) => name === 'content-length')?.[1] ?? 0);
        const receiver = request.receive?.({ status, headers });
        if (!receiver && request.method !== 'HEAD' && announced > MAXIMUM_BODY) abort!(tooLarge());
        if (receiver) {
          const encoding = headers.find(([name]) => name === 'content-encoding')?.[1];
          receiving = new Receiving(
            resume,
            abort!,
            receiver,
            request.method === 'HEAD' ? undefined : encoding,
          );
        }
        return true;
      },
      onData(chunk) {
        size += chunk.length;
        if (receiving) {
          watch.received?.(size, announced > 0 ? announced : undefined);
          return receiving.take(chunk);
        }
        if (size > MAXIMUM_BODY) abort!(tooLarge());
        else chunks.push(chunk);
        return true;
      },
      onComplete(raw) {
        whole = true;
        const trailers = headerList((raw ?? []).map((one) => Buffer.from(one as string, 'latin1')));
        const body = chunks.length === 1 ? chunks[0]! : Buffer.concat(chunks);
        const encoding =
          request.method === 'HEAD' ? undefined : headers.find(([name]) => name === 'content-encoding')?.[1];
        const { unknown } = codingsOf(encoding);
        const undecoded = unknown === undefined || size === 0 ? {} : { undecoded: unknown };
        const response = (decoded: Uint8Array): void =>
          resolve({
            status,
            headers,
            body: decoded,
            phases: {},
            ...undecoded,
            ...(trailers.length === 0 ? {} : { trailers }),
          });
        if (receiving) return void receiving.end().then(() => response(body), reject);
        if (encoding === undefined) return response(body);
        decodeContent(body, encoding, MAXIMUM_BODY).then(response, reject);
      },
      onError(error) {
        breakOff(
          watch.stopped ??
            (error instanceof ProblemError ? error : problemAt(error, request, { url, status, proxy })),
        );
      },
    };
    try {
      agent.dispatch(
        {
          origin: url.origin,
          path,
          method: request.method,
          ...bodyAndHeaders(request),
        },
        handler,
      );
    } catch (error) {
      reject(problemAt(error as Error, request, { url, status: 0, proxy }));
    }
  });
}

/** What went wrong; where the connection went elsewhere than the URL says, that is said as well. */
function problemAt(
  error: Error,
  { connection }: WireRequest,
  { proxy, status, url }: { readonly url: URL; readonly status: number; readonly proxy: string | undefined },
): ProblemError {
  const known = transportProblem(error, url, status, proxy);
  if (connection?.address === undefined) return known;
  const { message, ...rest } = known.problem;
  return new ProblemError({
    ...rest,
    message: `${message} (connected to ${connection.address}, as its address says)`,
  });
}

function bodyAndHeaders({ body, headers }: WireRequest): {
  headers: string[];
  body?: () => Uint8Array | Readable;
} {
  const flat: string[] = [];
  for (const [name, value] of headers) flat.push(name, value);
  if (body === undefined) return { headers: flat };
  if (body instanceof Uint8Array) return { headers: flat, body: () => body };
  return {
    headers: [...flat, 'content-length', String(body.size)],
    body: () => Readable.from(body.chunks(), { objectMode: false }),
  };
}

function tooLarge(): ProblemError {
  return new ProblemError({
    code: 'body-too-large',
    message: `the body of the response is larger than ${MAXIMUM_BODY / 1024 / 1024} MiB, the most that is kept in memory`,
    hint: 'save: PATH on the step writes it to a file while it comes',
  });
}

/** Names in lower case; values as the bytes that came. */
function headerList(raw: readonly Buffer[]): HeaderList {
  const list: [string, string][] = [];
  for (let i = 0; i + 1 < raw.length; i += 2)
    list.push([raw[i]!.toString('latin1').toLowerCase(), raw[i + 1]!.toString('latin1')]);
  return list;
}
