import {
  type ClientHttp2Session,
  type ClientHttp2Stream,
  connect,
  constants,
  type IncomingHttpHeaders,
} from 'node:http2';
import type { Readable } from 'node:stream';
import type { TLSSocket } from 'node:tls';

/** A request as a session sends it. */
export interface Http2Request {
  readonly origin: string;
  readonly path: string;
  readonly method: string;
  /** Names and values alternate. */
  readonly headers: readonly string[];
  /** Afresh for each time that the request is sent. */
  readonly body?: (() => Uint8Array | Readable) | undefined;
}

/**
 * What is told of a response while it comes: as undici itself calls its handlers. The one that undici documents is made of this one, and
 * reads the fields of each response into an object that is not wanted here, which takes longer than all that is done with them.
 */
export interface Http2Handler {
  /** `agreed` resolves once the service has seen the beginning of a new connection, and so what was sent with it. */
  onConnect(abort: (reason: Error) => void, agreed?: Promise<void>): void;
  onHeaders(status: number, raw: readonly Buffer[], resume: () => void): boolean;
  onData(chunk: Buffer): boolean;
  onComplete(trailers?: readonly (Buffer | string)[] | null): void;
  onError(error: Error): void;
}

/** A request that was not processed, since its connection ended, is sent so often at most. */
const TIMES = 5;

/** Fields that speak of a connection of HTTP/1.1, and are none here (RFC 9113, section 8.2.2). */
const NOT_HERE: ReadonlySet<string> = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'transfer-encoding',
  'upgrade',
  'host',
]);

/**
 * One origin that speaks HTTP/2 (RFC 9113). A connection that the service gives up in good order (GOAWAY) is left: what it has
 * taken goes on to its end, and what it has not goes again over a new one.
 */
export class Http2Origin {
  readonly #origin: string;
  readonly #connect: () => Promise<TLSSocket>;
  #session: Promise<ClientHttp2Session> | undefined;
  readonly #open = new Set<ClientHttp2Session>();
  /** Of connections that are new: when the service has acknowledged their settings (RFC 9113, section 6.5.3). */
  readonly #agreed = new WeakMap<ClientHttp2Session, Promise<void>>();

  /** `first` is a connection that is there already; `connect` makes another one. */
  constructor(origin: string, first: TLSSocket, connect: () => Promise<TLSSocket>) {
    this.#origin = origin;
    this.#connect = connect;
    this.#session = Promise.resolve(this.#over(first));
  }

  send(request: Http2Request, handler: Http2Handler): void {
    let stopped: Error | undefined;
    let stream: ClientHttp2Stream | undefined;
    const abort = (reason: Error): void => {
      stopped = reason;
      stream?.close(constants.NGHTTP2_CANCEL);
      handler.onError(reason);
    };
    const attempt = async (times: number): Promise<void> => {
      const session = await this.#usable();
      await connected(session);
      if (stopped) return;
      if (times === 1) handler.onConnect(abort, this.#agreed.get(session));
      if (this.#hasStopped(() => stopped)) return;
      stream = begin(session, request);
      watch(stream, handler, (error, wasProcessed) => {
        if (stopped) return;
        if (wasProcessed || times >= TIMES) handler.onError(error);
        else void attempt(times + 1).catch((reason: unknown) => handler.onError(reason as Error));
      });
    };
    void attempt(1).catch((error: unknown) => handler.onError(error as Error));
  }

  #hasStopped(stopped: () => Error | undefined): boolean {
    return stopped() !== undefined;
  }

  /** A session that takes requests. */
  async #usable(): Promise<ClientHttp2Session> {
    const session = await this.#session?.catch(() => undefined);
    if (session && !session.closed && !session.destroyed) return session;
    this.#session = this.#connect().then((socket) => this.#over(socket));
    return this.#session;
  }

  #over(socket: TLSSocket): ClientHttp2Session {
    const session = connect(this.#origin, {
      createConnection: () => socket,
      // Nobody would read what is pushed (RFC 9113, section 8.4).
      settings: { enablePush: false },
    });
    this.#open.add(session);
    const agreed = new Promise<void>((resolve) => {
      session.once('localSettings', () => {
        this.#agreed.delete(session);
        resolve();
      });
    });
    this.#agreed.set(session, agreed);
    // What it means for a request is told to that.
    session.on('error', () => undefined);
    // From here on nothing new goes over it; Node ends it once what was taken is done.
    session.on('goaway', () => session.close());
    session.once('close', () => this.#open.delete(session));
    return session;
  }

  /** Ends all sessions. */
  destroy(): void {
    for (const session of this.#open) session.destroy();
  }
}

/** Resolves once a session sends what it is given, or has ended. */
function connected(session: ClientHttp2Session): Promise<void> | undefined {
  if (!session.connecting) return undefined;
  return new Promise((resolve) => {
    session.once('connect', () => resolve());
    session.once('close', () => resolve());
  });
}

function begin(
  session: ClientHttp2Session,
  { body, headers, method, origin, path }: Http2Request,
): ClientHttp2Stream {
  const fields: Record<string, string | string[]> = {
    ':method': method,
    ':path': path,
    ':scheme': 'https',
    ':authority': new URL(origin).host,
  };
  for (let i = 0; i + 1 < headers.length; i += 2) {
    const name = headers[i]!.toLowerCase();
    const value = headers[i + 1]!;
    if (name === 'host') fields[':authority'] = value;
    if (NOT_HERE.has(name)) continue;
    const before = fields[name];
    fields[name] =
      before === undefined
        ? value
        : name === 'cookie'
          ? `${String(before)}; ${value}`
          : [...(Array.isArray(before) ? before : [before]), value];
  }
  const stream = session.request(fields, { endStream: body === undefined });
  const sent = body?.();
  if (sent instanceof Uint8Array) stream.end(sent);
  else if (sent) {
    sent.on('error', (error) => stream.destroy(error));
    sent.pipe(stream);
  }
  return stream;
}

/** Tells what comes of a request; `failed` why nothing did, and whether the service may have processed it. */
function watch(
  stream: ClientHttp2Stream,
  handler: Http2Handler,
  failed: (error: Error, wasProcessed: boolean) => void,
): void {
  let answered = false;
  let ended = false;
  let failure: Error | undefined;
  let trailers: Buffer[] = [];
  // Node joins the values of one name; as they came they stand in its last argument.
  stream.on('response', (headers: IncomingHttpHeaders, _flags: number, asCame?: readonly string[]) => {
    answered = true;
    handler.onHeaders(Number(headers[':status']), rawOf(headers, asCame), () => stream.resume());
  });
  stream.on('trailers', (headers: IncomingHttpHeaders, _flags: number, asCame?: readonly string[]) => {
    trailers = rawOf(headers, asCame);
  });
  stream.on('data', (chunk: Buffer) => {
    if (!handler.onData(chunk)) stream.pause();
  });
  stream.on('end', () => (ended = true));
  stream.on('error', (error: Error) => (failure = error));
  stream.once('close', () => {
    const { rstCode } = stream;
    if (answered && ended && rstCode === constants.NGHTTP2_NO_ERROR && !failure)
      return handler.onComplete(trailers);
    // REFUSED_STREAM, and streams that a GOAWAY says were not looked at, were certainly not processed (RFC 9113, section 8.7).
    const refused = rstCode === constants.NGHTTP2_REFUSED_STREAM || isUnsent(failure);
    failed(failure ?? closedEarly(), answered || !refused);
  });
}

/** Names and values one after the other, without those that begin with a colon. */
function rawOf(headers: IncomingHttpHeaders, asCame: readonly string[] | undefined): Buffer[] {
  const joined = Object.entries(headers).flatMap(([name, value]): (readonly [string, string])[] =>
    (Array.isArray(value) ? value : value === undefined ? [] : [value]).map((one) => [name, one]),
  );
  const single = asCame?.flatMap((name, i): (readonly [string, string])[] =>
    i % 2 === 0 ? [[name, asCame[i + 1] ?? '']] : [],
  );
  return (single ?? joined)
    .filter(([name]) => !name.startsWith(':'))
    .flatMap(([name, value]) => [Buffer.from(name, 'latin1'), Buffer.from(value, 'latin1')]);
}

/** The session had ended before the request went. */
function isUnsent(error: Error | undefined): boolean {
  const code = (error as NodeJS.ErrnoException | undefined)?.code ?? '';
  return ['ERR_HTTP2_GOAWAY_SESSION', 'ERR_HTTP2_INVALID_SESSION'].includes(code);
}

function closedEarly(): Error {
  return Object.assign(new Error('the stream was closed before the response was complete'), {
    code: 'UND_ERR_SOCKET',
  });
}
