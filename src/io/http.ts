import { Readable } from 'node:stream';
import type { Dispatcher } from 'undici';
import type { HeaderList, Phases, Transport, Watch, WireAnswer, WireRequest } from '../core/ports.ts';
import { ProblemError } from '../core/problems.ts';
import { Agents } from './http-agents.ts';
import { decodeContent } from './http-content.ts';
import { transportProblem } from './http-problems.ts';
import { Receiving } from './http-receive.ts';

/** The most that is held of one body, compressed or not, in bytes. */
export const MAXIMUM_BODY = 64 * 1024 * 1024;

/** An address of which nothing has to be encoded or resolved (RFC 3986). */
const PLAIN_ADDRESS = /^(https?:\/\/[a-z0-9.:-]+)(\/[\w.~!$&()*+,;=:@/%?-]*)$/;

/** Sends requests with undici, connections kept between them. */
export class HttpTransport implements Transport {
  readonly #agents = new Agents();
  /** By the beginning of an address as it is written. */
  readonly #origins = new Map<string, URL>();

  async send(request: WireRequest, watch: Watch): Promise<WireAnswer> {
    if (watch.stopped) throw watch.stopped;
    const { origin, path } = this.#addressOf(request.url);
    const { status, headers, body, phases } = await this.#dispatch(request, origin, path, watch);
    const encoding = request.receive ? undefined : headers.find(([name]) => name === 'content-encoding')?.[1];
    return {
      status,
      headers,
      body:
        encoding === undefined || request.method === 'HEAD'
          ? body
          : await decodeContent(body, encoding, MAXIMUM_BODY),
      phases,
    };
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

  #dispatch(
    request: WireRequest,
    url: URL,
    path: string,
    watch: Watch,
  ): Promise<{ status: number; headers: HeaderList; body: Uint8Array; phases: Phases }> {
    const { agent, proxy } = this.#agents.for(url, request.connection, watch);
    return new Promise((resolve, reject) => {
      const chunks: Buffer[] = [];
      let size = 0;
      let status = 0;
      let headers: HeaderList = [];
      let controller: Dispatcher.DispatchController | undefined;
      let receiving: Receiving | undefined;
      watch.onStop((reason) => {
        controller?.abort(reason);
        reject(reason);
      });
      const handler: Dispatcher.DispatchHandler = {
        onRequestStart(begun) {
          controller = begun;
          if (watch.stopped) begun.abort(watch.stopped);
          else watch.phase('firstByte');
        },
        onResponseStart(begun, statusCode, parsed) {
          status = statusCode;
          headers = Buffer.isBuffer((begun.rawHeaders as unknown[] | undefined)?.[0])
            ? headerList(begun.rawHeaders as Buffer[])
            : parsedHeaders(parsed);
          watch.phase('body');
          const announced = Number(headers.find(([name]) => name === 'content-length')?.[1] ?? 0);
          if (!request.receive && request.method !== 'HEAD' && announced > MAXIMUM_BODY)
            begun.abort(tooLarge());
          if (request.receive) {
            const encoding = headers.find(([name]) => name === 'content-encoding')?.[1];
            receiving = new Receiving(
              begun,
              request.receive,
              request.method === 'HEAD' ? undefined : encoding,
            );
          }
        },
        onResponseData(begun, chunk) {
          if (receiving) return receiving.take(chunk);
          size += chunk.length;
          if (size > MAXIMUM_BODY) begun.abort(tooLarge());
          else chunks.push(chunk);
        },
        onResponseEnd() {
          const body = chunks.length === 1 ? chunks[0]! : Buffer.concat(chunks);
          if (!receiving) return resolve({ status, headers, body, phases: {} });
          receiving.end().then(() => resolve({ status, headers, body, phases: {} }), reject);
        },
        onResponseError(_, error) {
          reject(
            watch.stopped ??
              (error instanceof ProblemError ? error : transportProblem(error, url, status, proxy)),
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
        reject(transportProblem(error as Error, url, 0, proxy));
      }
    });
  }

  /** Closes all connections. */
  async close(): Promise<void> {
    await this.#agents.close();
  }
}

function bodyAndHeaders({ body, headers }: WireRequest): { headers: string[]; body?: Uint8Array | Readable } {
  const flat: string[] = [];
  for (const [name, value] of headers) flat.push(name, value);
  if (body === undefined) return { headers: flat };
  if (body instanceof Uint8Array) return { headers: flat, body };
  return {
    headers: [...flat, 'content-length', String(body.size)],
    body: Readable.from(body.chunks(), { objectMode: false }),
  };
}

function tooLarge(): ProblemError {
  return new ProblemError({
    code: 'body-too-large',
    message: `the body of the answer is larger than ${MAXIMUM_BODY / 1024 / 1024} MiB, the most that is held in memory`,
    instead: 'save: PATH on the step writes it to a file while it comes',
  });
}

/** Names in lower case; values as the bytes that came. */
function headerList(raw: Buffer[]): HeaderList {
  const list: [string, string][] = [];
  for (let i = 0; i + 1 < raw.length; i += 2)
    list.push([raw[i]!.toString('latin1').toLowerCase(), raw[i + 1]!.toString('latin1')]);
  return list;
}

/** The fields of HTTP/2, which come as an object; those of its own frames (`:status`) are none of the answer's. */
function parsedHeaders(parsed: NodeJS.Dict<string | string[]>): HeaderList {
  return Object.entries(parsed).flatMap(([name, value]): [string, string][] =>
    value === undefined || name.startsWith(':')
      ? []
      : (Array.isArray(value) ? value : [value]).map((one) => [name.toLowerCase(), one]),
  );
}
