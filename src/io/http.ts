import { Agent, buildConnector } from 'undici';
import type { Dispatcher } from 'undici';
import type { HeaderList, Phases, Transport, Watch, WireAnswer, WireRequest } from '../core/ports.ts';
import { ProblemError } from '../core/problems.ts';
import { decodeContent } from './http-content.ts';
import { transportProblem } from './http-problems.ts';

/** The most that is held of one body, compressed or not, in bytes. */
export const MAXIMUM_BODY = 64 * 1024 * 1024;
/** The most that the head of an answer may measure, in bytes. */
const MAXIMUM_HEAD = 256 * 1024;

/** Sends requests with undici, connections kept between them. */
export class HttpTransport implements Transport {
  readonly #agent: Agent;
  /** The watch of the request for which a connection is being made, by origin. */
  readonly #connecting = new Map<string, Watch>();

  constructor() {
    const connector = buildConnector({ timeout: 0, maxCachedSessions: 100 });
    this.#agent = new Agent({
      // The engine's own limits hold; undici's would end a request with less to say.
      headersTimeout: 0,
      bodyTimeout: 0,
      maxHeaderSize: MAXIMUM_HEAD,
      pipelining: 1,
      connect: (options, callback) => {
        const origin = `${options.protocol}//${options.host ?? options.hostname}`;
        const watch = this.#connecting.get(origin);
        watch?.phase(isAddress(options.hostname) ? 'connect' : 'name');
        const socket = connector(options, (...result) => {
          if (result[0]) callback(result[0], null);
          else callback(null, result[1]);
        }) as unknown as import('node:net').Socket | undefined;
        socket?.once('lookup', () => watch?.phase('connect'));
        if (options.protocol === 'https:') socket?.once('connect', () => watch?.phase('tls'));
      },
    });
  }

  async send(request: WireRequest, watch: Watch): Promise<WireAnswer> {
    if (watch.stopped) throw watch.stopped;
    const url = new URL(request.url);
    this.#connecting.set(url.origin, watch);
    const { status, headers, body, phases } = await this.#dispatch(request, url, watch);
    const encoding = headers.find(([name]) => name === 'content-encoding')?.[1];
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

  #dispatch(
    request: WireRequest,
    url: URL,
    watch: Watch,
  ): Promise<{ status: number; headers: HeaderList; body: Uint8Array; phases: Phases }> {
    return new Promise((resolve, reject) => {
      const chunks: Buffer[] = [];
      let size = 0;
      let status = 0;
      let headers: HeaderList = [];
      let controller: Dispatcher.DispatchController | undefined;
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
        onResponseStart(begun, statusCode) {
          status = statusCode;
          headers = headerList(begun.rawHeaders as Buffer[] | undefined);
          watch.phase('body');
        },
        onResponseData(begun, chunk) {
          size += chunk.length;
          if (size > MAXIMUM_BODY) begun.abort(tooLarge());
          else chunks.push(chunk);
        },
        onResponseEnd() {
          resolve({
            status,
            headers,
            body: chunks.length === 1 ? chunks[0]! : Buffer.concat(chunks),
            phases: {},
          });
        },
        onResponseError(_, error) {
          reject(
            watch.stopped ?? (error instanceof ProblemError ? error : transportProblem(error, url, status)),
          );
        },
      };
      try {
        this.#agent.dispatch(
          {
            origin: url.origin,
            path: url.pathname + url.search,
            method: request.method,
            headers: request.headers.flat(),
            ...(request.body ? { body: request.body } : {}),
          },
          handler,
        );
      } catch (error) {
        reject(transportProblem(error as Error, url, 0));
      }
    });
  }

  /** Closes all connections. */
  async close(): Promise<void> {
    await this.#agent.destroy();
  }
}

function isAddress(host: string): boolean {
  return /^[\d.]+$/.test(host) || host.includes(':');
}

function tooLarge(): ProblemError {
  return new ProblemError({
    code: 'body-too-large',
    message: `the body of the answer is larger than ${MAXIMUM_BODY / 1024 / 1024} MiB`,
  });
}

/** Names in lower case; values as the bytes that came. */
function headerList(raw: Buffer[] | undefined): HeaderList {
  const list: [string, string][] = [];
  for (let i = 0; raw && i + 1 < raw.length; i += 2)
    list.push([raw[i]!.toString('latin1').toLowerCase(), raw[i + 1]!.toString('latin1')]);
  return list;
}
