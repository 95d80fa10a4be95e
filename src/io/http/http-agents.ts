import { readFileSync, existsSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import type { Socket } from 'node:net';
import * as tls from 'node:tls';
import { createSecureContext, rootCertificates, type SecureContext, type TLSSocket } from 'node:tls';
import type { buildConnector, Dispatcher } from 'undici';
import makeConnector from 'undici/lib/core/connect.js';
import Agent from 'undici/lib/dispatcher/agent.js';
import { isThisMachine } from '../../core/this-machine.ts';
import type { Connection, Watch } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { type Http2Handler, Http2Origin, type Http2Request } from './http2.ts';

/** The most that the head of a response may measure, in bytes. */
const MAXIMUM_HEAD = 256 * 1024;

/** The engine's own limits hold; undici's would end a request with less to say. HTTP/2 is spoken by `http2.ts`. */
const OPTIONS = { headersTimeout: 0, bodyTimeout: 0, maxHeaderSize: MAXIMUM_HEAD, allowH2: false } as const;

/** Where systems keep the certificates that they trust, all in one file. */
const SYSTEM_FILES = [
  '/etc/ssl/certs/ca-certificates.crt',
  '/etc/pki/tls/certs/ca-bundle.crt',
  '/etc/ssl/cert.pem',
];

/** What sends a request: an agent, and the proxy that it goes through. */
export interface Way {
  readonly agent: Sender;
  readonly proxy?: string;
}

/** What takes requests. */
export interface Sender {
  dispatch(request: Http2Request, handler: Http2Handler): void;
  destroy(): Promise<void>;
}

/** Keeps connections, apart for each way of connecting: as default, with a certificate, through a proxy. */
export class Agents {
  #byDefault: Way | undefined;
  readonly #ways = new Map<string, Way | Promise<Way>>();
  /** The watch of the request for which a connection is being made, by origin. */
  readonly #connecting = new Map<string, Watch>();
  #defaultContext: SecureContext | undefined;
  /** Sockets that are not connected yet. */
  readonly #pending = new Set<Socket>();

  /**
   * The agent for a request, and the proxy that it goes through, where that is known; a promise only where what a proxy needs
   * has to be loaded first.
   */
  for(url: URL, connection: Connection | undefined, watch: Watch): Way | Promise<Way> {
    this.#connecting.set(url.origin, watch);
    const proxy = proxyOf(url, connection);
    if (!connection && proxy === undefined) return (this.#byDefault ??= { agent: this.#direct({}) });
    const tunnel = url.protocol === 'https:';
    const key = JSON.stringify([connection?.tls, connection?.near, connection?.address, proxy, tunnel]);
    let way = this.#ways.get(key);
    if (!way) {
      const tls = tlsOptions(connection);
      way =
        proxy === undefined
          ? { agent: this.#direct(tls, connection?.address) }
          : this.#through(proxy, tls, tunnel);
      this.#ways.set(key, way);
    }
    return way;
  }

  #direct(tls: TlsOptions, address?: string): Sender {
    const connector = this.#connector(tls, address);
    return new Negotiating(connector, (connect) => new Agent({ ...OPTIONS, connect }));
  }

  /** Through a tunnel (CONNECT) for https; a proxy is asked for http itself, and many open no tunnel for it. */
  async #through(proxy: string, tls: TlsOptions, tunnel: boolean): Promise<Way> {
    const [{ default: ProxyAgent }, { default: Dispatcher }, { default: connect }] = await Promise.all([
      import('undici/lib/dispatcher/proxy-agent.js'),
      import('undici/lib/dispatcher/dispatcher.js'),
      import('undici/lib/api/api-connect.js'),
    ]);
    // undici's index gives each dispatcher its methods; of those a tunnel needs this one.
    Dispatcher.prototype.connect ??= connect;
    const secure = { ...tls, secureContext: tls.secureContext ?? this.#trusting() };
    return {
      agent: ofUndici(new ProxyAgent({ ...OPTIONS, uri: proxy, requestTls: secure, proxyTunnel: tunnel })),
      proxy,
    };
  }

  /** Connects, and tells the watch which phase that is in. */
  #connector(tls: TlsOptions, address: string | undefined): Connector {
    const make = (more: TlsOptions, allowH2: boolean): buildConnector.connector =>
      makeConnector({ timeout: 0, maxCachedSessions: 100, allowH2, ...more });
    const plain = make(tls, false);
    const secures = new Map<boolean, buildConnector.connector>();
    return (options, callback, offersHttp2 = false) => {
      const origin = `${options.protocol}//${options.host ?? options.hostname}`;
      const watch = this.#connecting.get(origin);
      const to = address === undefined ? options : elsewhere(options, address);
      watch?.phase(isAddress(to.hostname) ? 'connect' : 'name');
      const isSecure = options.protocol === 'https:';
      let secure = secures.get(offersHttp2);
      if (isSecure && !secure) {
        secure = make({ ...tls, secureContext: tls.secureContext ?? this.#trusting() }, offersHttp2);
        secures.set(offersHttp2, secure);
      }
      const socket = (isSecure ? secure! : plain)(to, (...result) => {
        if (result[0]) callback(result[0], null);
        else callback(null, result[1]);
      }) as unknown as Socket | undefined;
      if (socket) this.#pend(socket, watch);
      socket?.once('lookup', () => watch?.phase('connect'));
      if (isSecure) socket?.once('connect', () => watch?.phase('tls'));
    };
  }

  /** Nothing waits for a connection for which nobody waits any more. */
  #pend(socket: Socket, watch: Watch | undefined): void {
    const made = (): void => void this.#pending.delete(socket);
    this.#pending.add(socket);
    socket.once('connect', made).once('close', made);
    watch?.onStop((reason) => {
      if (this.#pending.has(socket)) socket.destroy(reason);
    });
  }

  /** Trusts what Node and the system trust; made once, since that takes a while. */
  #trusting(): SecureContext {
    return (this.#defaultContext ??= createSecureContext({ ca: trusted() }));
  }

  async close(): Promise<void> {
    for (const socket of this.#pending) socket.destroy();
    await this.#byDefault?.agent.destroy();
    for (const way of this.#ways.values()) await (await way).agent.destroy();
  }
}

/** Connects; where that is asked for, the service may choose HTTP/2 (RFC 7301). */
type Connector = (
  options: buildConnector.Options,
  callback: buildConnector.Callback,
  offersHttp2?: boolean,
) => void;

/** Whether a request waits for 100 Continue before it sends its body (RFC 9110, section 10.1.1). */
function waitsForContinue({ body, headers }: Http2Request): boolean {
  return body !== undefined && headers.some((one, i) => i % 2 === 0 && one.toLowerCase() === 'expect');
}

/** An agent of undici as a sender. */
function ofUndici(agent: Dispatcher): Sender {
  return {
    dispatch: (request, handler) => {
      const { body, headers, method, origin, path } = request;
      if (waitsForContinue(request))
        return handler.onError(
          new ProblemError({
            code: 'no-response',
            message: 'Expect: 100-continue is not sent through a proxy, which may answer it by itself',
            hint: 'the call without Expect, or proxy: none',
          }),
        );
      const sent = body?.();
      agent.dispatch({ origin, path, method, headers: headers as string[], body: sent ?? null }, handler);
    },
    destroy: () => agent.destroy(),
  };
}

/** Finds out with the first connection to an origin whether it speaks HTTP/2; undici speaks HTTP/1.1 with all others. */
class Negotiating implements Sender {
  readonly #connect: Connector;
  readonly #undici: Dispatcher;
  readonly #plain: Sender;
  readonly #origins = new Map<string, Http2Origin | 'plain' | Promise<Http2Origin | 'plain'>>();
  /** Connections that were made to find out, and speak HTTP/1.1. */
  readonly #made = new Map<string, TLSSocket>();

  constructor(connect: Connector, agent: (connect: buildConnector.connector) => Dispatcher) {
    this.#connect = connect;
    this.#undici = agent((options, callback) => {
      const origin = `${options.protocol}//${options.host ?? options.hostname}`;
      const made = this.#made.get(origin);
      this.#made.delete(origin);
      // undici does not notice what it is given while it asks.
      if (made && !made.destroyed) process.nextTick(() => callback(null, made));
      else connect(options, callback);
    });
    this.#plain = ofUndici(this.#undici);
  }

  dispatch(request: Http2Request, handler: Http2Handler): void {
    if (waitsForContinue(request)) {
      Promise.all([this.#socket(request.origin, false), import('./expect-continue.ts')]).then(
        ([socket, { sendWaiting }]) => sendWaiting(socket, request, handler),
        (error: unknown) => handler.onError(error as Error),
      );
      return;
    }
    if (request.origin.startsWith('http:')) return this.#plain.dispatch(request, handler);
    const known = this.#origins.get(request.origin) ?? this.#find(request.origin);
    if (known instanceof Promise)
      known.then(
        (found) => this.#send(found, request, handler),
        (error: unknown) => handler.onError(error as Error),
      );
    else this.#send(known, request, handler);
  }

  #send(found: Http2Origin | 'plain', request: Http2Request, handler: Http2Handler): void {
    if (found === 'plain') this.#plain.dispatch(request, handler);
    else found.send(request, handler);
  }

  #find(origin: string): Promise<Http2Origin | 'plain'> {
    const finding = this.#socket(origin).then(
      (socket) => {
        const isHttp2 = socket.alpnProtocol === 'h2';
        const found = isHttp2
          ? new Http2Origin(origin, socket, () => this.#socket(origin))
          : ('plain' as const);
        if (!isHttp2) this.#made.set(origin, socket);
        this.#origins.set(origin, found);
        return found;
      },
      (error: unknown) => {
        // The next request tries anew.
        this.#origins.delete(origin);
        throw error;
      },
    );
    this.#origins.set(origin, finding);
    return finding;
  }

  #socket(origin: string, offersHttp2 = true): Promise<TLSSocket> {
    const { hostname, host, port, protocol } = new URL(origin);
    return new Promise((resolve, reject) => {
      this.#connect(
        { hostname: hostname.replace(/^\[|\]$/g, ''), host, port, protocol },
        (...result) => (result[0] ? reject(result[0]) : resolve(result[1] as TLSSocket)),
        offersHttp2,
      );
    });
  }

  async destroy(): Promise<void> {
    for (const socket of this.#made.values()) socket.destroy();
    for (const found of this.#origins.values()) if (found instanceof Http2Origin) found.destroy();
    await this.#undici.destroy();
  }
}

/** The same connection to another host and port; its name stays that of the URL. */
function elsewhere(options: buildConnector.Options, address: string): buildConnector.Options {
  const colon = address.lastIndexOf(':');
  const name = options.hostname.replace(/^\[|\]$/g, '');
  return {
    ...options,
    hostname: address.slice(0, colon).replace(/^\[|\]$/g, ''),
    port: address.slice(colon + 1),
    // An address of IP has no place in SNI (RFC 6066, section 3).
    ...(isAddress(name) ? {} : { servername: name }),
  };
}

interface TlsOptions {
  readonly secureContext?: SecureContext;
  readonly rejectUnauthorized?: boolean;
}

function tlsOptions(connection: Connection | undefined): TlsOptions {
  if (!connection?.tls) return {};
  const { ca, cert, key, minVersion, password, pkcs12, verify } = connection.tls;
  const read = (path: string): Buffer => readTlsFile(resolve(dirname(connection.near), path));
  const own = {
    ...(ca === undefined ? {} : { ca: [...trusted(), read(ca).toString('utf8')] }),
    // A certificate and its key may stand in one file.
    ...(cert === undefined ? {} : { cert: read(cert), key: read(key ?? cert) }),
    ...(pkcs12 === undefined ? {} : { pfx: read(pkcs12) }),
    ...(password === undefined ? {} : { passphrase: password }),
    ...(minVersion === undefined ? {} : { minVersion: `TLSv${minVersion}` as const }),
  };
  const rejects = verify ? {} : { rejectUnauthorized: false };
  if (Object.keys(own).length === 0) return rejects;
  try {
    return { secureContext: createSecureContext({ ca: trusted(), ...own }), ...rejects };
  } catch (error) {
    throw new ProblemError({
      code: 'certificate-refused',
      message: `the client's certificate can't be used: ${(error as Error).message}`,
      hint:
        password === undefined
          ? 'cert and key in PEM and of one pair; key-password: ${secret.NAME} where the key is encrypted'
          : 'cert and key in PEM and of one pair, or a file of PKCS #12; key-password that opens it',
    });
  }
}

function readTlsFile(path: string): Buffer {
  try {
    return readFileSync(path);
  } catch (error) {
    return fail('file-not-found', `the file ${path} of tls can't be read: ${(error as Error).message}`, {
      hint: 'a path begins at the folder of the project file',
    });
  }
}

/** The certificates that Node, the system and NODE_EXTRA_CA_CERTS trust. */
function trusted(): string[] {
  // Newer releases of Node know the system's own store.
  const { getCACertificates } = tls as { getCACertificates?: (store: 'default' | 'system') => string[] };
  if (getCACertificates)
    return [...new Set([...getCACertificates('default'), ...getCACertificates('system')])];
  const file = SYSTEM_FILES.find((path) => existsSync(path));
  const extra = process.env.NODE_EXTRA_CA_CERTS;
  return [file, extra].reduce<string[]>(
    (all, path) =>
      path !== undefined && path !== '' && existsSync(path) ? [...all, readFileSync(path, 'utf8')] : all,
    [...rootCertificates],
  );
}

/** The proxy of a request: that of its service, or what the variables of the environment name. */
function proxyOf(url: URL, connection: Connection | undefined): string | undefined {
  if (connection?.proxy === 'none' || connection?.address !== undefined) return undefined;
  if (connection?.proxy !== undefined) return checked(connection.proxy, 'proxy:');
  if (isThisMachine(url.hostname)) return undefined;
  const { env } = process;
  const names =
    url.protocol === 'https:'
      ? ['https_proxy', 'HTTPS_PROXY', 'http_proxy', 'HTTP_PROXY']
      : ['http_proxy', 'HTTP_PROXY'];
  const name = names.find((one) => (env[one] ?? '') !== '');
  if (name === undefined || isExcluded(url, env.no_proxy ?? env.NO_PROXY ?? '')) return undefined;
  return checked(/^[a-z][a-z0-9+.-]*:\/\//i.test(env[name]!) ? env[name]! : `http://${env[name]!}`, name);
}

function checked(proxy: string, source: string): string {
  // The text may hold a password, so it is not repeated.
  if (!URL.canParse(proxy) || !/^https?:$/.test(new URL(proxy).protocol))
    fail('not-a-url', `${source} names no proxy of HTTP`, { hint: 'http://proxy.example:3128' });
  return proxy;
}

/** Whether NO_PROXY lists a host: by its name, as a part of a domain, with or without a port; `*` lists all. */
function isExcluded({ hostname, port, protocol }: URL, list: string): boolean {
  const ownPort = port !== '' ? port : protocol === 'https:' ? '443' : '80';
  return list.split(/[\s,]+/).some((entry) => {
    const [, host = '', wanted] = /^(.+?)(?::(\d+))?$/.exec(entry.toLowerCase()) ?? [];
    if (host === '' || (wanted !== undefined && wanted !== ownPort)) return false;
    const suffix = host.replace(/^\*?\./, '');
    return host === '*' || hostname === suffix || hostname.endsWith(`.${suffix}`);
  });
}

function isAddress(host: string): boolean {
  return /^[\d.]+$/.test(host) || host.includes(':');
}
