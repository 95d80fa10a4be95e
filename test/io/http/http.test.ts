// The transport on real sockets, with real timers.
import { mkdtempSync, writeFileSync } from 'node:fs';
import { createServer, type RequestListener, type Server } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { brotliCompressSync, deflateRawSync, deflateSync, gzipSync } from 'node:zlib';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import { Interruption } from '../../../src/core/engine/time/interruption.ts';
import { Watchdog } from '../../../src/core/engine/time/watchdog.ts';
import { Deadline, type Limits, DEFAULT_LIMITS } from '../../../src/core/engine/time/deadline.ts';
import type { Connection, HeaderList, Phases, WireResponse } from '../../../src/core/ports.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { HttpTransport } from '../../../src/io/http/http.ts';
import { systemClock } from '../../../src/io/world.ts';

const servers: Server[] = [];
let transport: HttpTransport;

beforeAll(() => {
  transport = new HttpTransport();
});
afterAll(() => transport.close());
afterEach(() => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
});

async function listen(server: Server, scheme = 'http'): Promise<string> {
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return `${scheme}://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

async function send(
  url: string,
  {
    limits = {},
    signal = new AbortController().signal,
    headers = [],
    connection,
  }: {
    limits?: Partial<Limits>;
    signal?: AbortSignal;
    headers?: HeaderList;
    connection?: Connection;
  } = {},
): Promise<WireResponse & { measured: Phases }> {
  const watchdog = new Watchdog(systemClock);
  const watch = new Deadline(
    systemClock,
    watchdog,
    { ...DEFAULT_LIMITS, ...limits },
    { interruption: Interruption.of(signal) },
  );
  try {
    const response = await transport.send(
      { method: 'GET', url, headers, ...(connection ? { connection } : {}) },
      watch,
    );
    return { ...response, measured: watch.end().phases };
  } finally {
    watch.end();
    watchdog.close();
  }
}

async function problemOf(sending: Promise<unknown>): Promise<string> {
  try {
    await sending;
  } catch (error) {
    if (error instanceof ProblemError) return `${error.problem.code}: ${error.problem.message}`;
    throw error;
  }
  return 'no problem';
}

const text = 'a moon jar 🌙 '.repeat(200);

test.each([
  ['gzip', gzipSync],
  ['deflate', deflateSync],
  ['deflate', deflateRawSync],
  ['br', brotliCompressSync],
  ['gzip, br', (data: string) => brotliCompressSync(gzipSync(data))],
])('%s is undone', async (encoding, encode) => {
  const url = await listen(
    createServer((_, response) =>
      response.writeHead(200, { 'content-encoding': encoding }).end(encode(text)),
    ),
  );
  expect(Buffer.from((await send(url)).body).toString()).toBe(text);
});

describe('hostile responses', () => {
  const answering = (listener: RequestListener): Promise<string> => listen(createServer(listener));

  test.each<[string, RequestListener, RegExp]>([
    [
      'a bomb',
      (_, response) =>
        response.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync(Buffer.alloc(80_000_000))),
      /^body-too-large: .*when decompressed \(\d+ bytes of gzip came\)/,
    ],
    [
      'not what its coding says',
      (_, response) => response.writeHead(200, { 'content-encoding': 'gzip' }).end('plain'),
      /^body-broken: .*not gzip/,
    ],
    [
      'an unknown coding',
      (_, response) => response.writeHead(200, { 'content-encoding': 'ash' }).end('plain'),
      /^no problem/,
    ],
    [
      'a coding called like what every object has',
      (_, response) => response.writeHead(200, { 'content-encoding': 'constructor' }).end('plain'),
      /^no problem/,
    ],
    [
      'a head of 100,000 fields',
      (request) => {
        request.socket.write('HTTP/1.1 200 OK\r\n');
        for (let i = 0; i < 100; i++)
          request.socket.write(Array.from({ length: 1000 }, (_, k) => `x-${i}-${k}: 1\r\n`).join(''));
        request.socket.end('\r\n');
      },
      /^headers-too-large: /,
    ],
    [
      'a body that breaks off',
      (request, response) =>
        response.writeHead(200, { 'content-length': 100 }).write('half', () => request.socket.destroy()),
      /^connection-reset: .*after a response with status 200 had begun/,
    ],
    ['a reset', (request) => request.socket.resetAndDestroy(), /^connection-reset: /],
  ])('%s', async (_, listener, expected) => {
    expect(await problemOf(send(await answering(listener)))).toMatch(expected);
  });

  test('what a service says on the way to its response is not taken for it', async () => {
    const url = await listen(
      createServer((_, response) => {
        response.writeEarlyHints({ link: '</style.css>; rel=preload', 'content-encoding': 'ash' });
        response.writeProcessing();
        setTimeout(() => response.writeHead(201, { 'x-glaze': 'celadon' }).end('x'), 60);
      }),
    );
    const { body, headers, measured, status } = await send(url);
    expect([status, Buffer.from(body).toString()]).toEqual([201, 'x']);
    expect(headers.filter(([name]) => name === 'link' || name === 'x-glaze')).toEqual([
      ['x-glaze', 'celadon'],
    ]);
    expect(measured.firstByte!).toBeGreaterThan(40);
  });

  test('fields that come twice, and bytes that are not ASCII, are kept', async () => {
    const url = await listen(
      createServer((_, response) =>
        response
          .writeHead(
            200,
            [
              ['Set-Cookie', 'a=1'],
              ['Set-Cookie', 'b=2'],
              ['X-Name', 'Jos\u00e9'],
            ].flat(),
          )
          .end(),
      ),
    );
    const { headers } = await send(url);
    expect(headers.filter(([name]) => name === 'set-cookie').map(([, value]) => value)).toEqual([
      'a=1',
      'b=2',
    ]);
    expect(headers).toContainEqual(['x-name', 'Jos\u00e9']);
  });
});

describe('time', () => {
  test('phases are measured; a kept connection has none of connecting', async () => {
    const url = await listen(createServer((_, response) => void setTimeout(() => response.end('x'), 60)));
    const first = await send(url.replace('127.0.0.1', 'localhost'));
    expect(first.measured).toMatchObject({ name: expect.any(Number), connect: expect.any(Number) });
    expect(first.measured.firstByte!).toBeGreaterThan(40);
    // A connection is free again one iteration of the event loop after its response.
    await new Promise((resolve) => setImmediate(resolve));
    await new Promise((resolve) => setImmediate(resolve));
    const second = await send(url.replace('127.0.0.1', 'localhost'));
    expect(second.measured.connect).toBeUndefined();
  });

  test('a limit ends the request, and the connection is not used again', async () => {
    let requests = 0;
    const url = await listen(createServer((_, response) => (++requests > 1 ? response.end('x') : undefined)));
    expect(await problemOf(send(url, { limits: { response: 80 } }))).toMatch(
      /^time-limit: no response within 80ms for the response to begin/,
    );
    expect((await send(url)).status).toBe(200);
  });

  test('an interruption ends it at once', async () => {
    const url = await listen(createServer(() => undefined));
    const controller = new AbortController();
    setTimeout(() => controller.abort(new ProblemError({ code: 'interrupted', message: 'enough' })), 50);
    expect(await problemOf(send(url, { signal: controller.signal }))).toBe('interrupted: enough');
  });
});

describe('TLS', () => {
  const certificate = async (
    name: string,
    days: readonly [number, number],
  ): Promise<{ key: string; cert: string }> => {
    const day = 86_400_000;
    const made = await generate([{ name: 'commonName', value: name }], {
      notBeforeDate: new Date(Date.now() + days[0] * day),
      notAfterDate: new Date(Date.now() + days[1] * day),
      keySize: 2048,
      algorithm: 'sha256',
    });
    return { key: made.private, cert: made.cert };
  };

  test('a certificate that is signed by nobody else is refused', async () => {
    const url = await listen(
      createTlsServer(await certificate('localhost', [-1, 30]), (_, response) => response.end('x')),
      'https',
    );
    expect(await problemOf(send(url))).toMatch(
      /^certificate-refused: the certificate of 127\.0\.0\.1:\d+ is signed by nobody but itself/,
    );
  });

  test('so is one that has expired, one of another name, and one that no authority here knows', async () => {
    const day = 86_400_000;
    const authority = await generate([{ name: 'commonName', value: 'ca.kiln.example' }], {
      keySize: 2048,
      algorithm: 'sha256',
      extensions: [{ name: 'basicConstraints', cA: true }],
    });
    const trusted = join(mkdtempSync(join(tmpdir(), 'batharon-test-')), 'ca.pem');
    writeFileSync(trusted, authority.cert);
    const messages: string[] = [];
    for (const [name, from, until, ca] of [
      ['localhost', -9, -1, 'own'],
      ['localhost', 2, 9, 'own'],
      ['other.kiln.example', -1, 9, 'own'],
      ['localhost', -1, 9, 'unknown'],
    ] as const) {
      const made = await generate([{ name: 'commonName', value: name }], {
        notBeforeDate: new Date(Date.now() + from * day),
        notAfterDate: new Date(Date.now() + until * day),
        keySize: 2048,
        algorithm: 'sha256',
        ca: { key: authority.private, cert: authority.cert },
        extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: name }] }],
      });
      const url = await listen(
        createTlsServer({ key: made.private, cert: made.cert }, (_, response) => response.end('x')),
        'https',
      );
      const problem = await problemOf(
        send(
          url.replace('127.0.0.1', 'localhost'),
          ca === 'own' ? { connection: { tls: { ca: trusted, verify: true }, near: trusted } } : {},
        ),
      );
      messages.push(problem.replace(/:\d+/, ''));
    }
    expect(messages).toEqual([
      'certificate-refused: the certificate of localhost has expired',
      'certificate-refused: the certificate of localhost is not valid yet',
      'certificate-refused: the certificate is for another name than localhost: for other.kiln.example',
      'certificate-refused: the certificate of localhost comes from an authority that is not trusted here',
    ]);
  });

  test('so is plain HTTP where TLS was meant', async () => {
    const url = await listen(
      createServer((_, response) => response.end('x')),
      'https',
    );
    expect(await problemOf(send(url))).toMatch(
      /^not-http: what answered at 127\.0\.0\.1:\d+ does not speak TLS/,
    );
  });
});
