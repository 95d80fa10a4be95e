import { createSecureServer, type Http2SecureServer, type ServerHttp2Session } from 'node:http2';
import type { AddressInfo } from 'node:net';
import { createServer as createTls } from 'node:tls';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeAll, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import type { Watch, WireRequest } from '../../../src/core/ports.ts';
import { HttpTransport } from '../../../src/io/http/http.ts';

let pair: { cert: string; key: string };
let near = '';
beforeAll(async () => {
  const made = await generate([{ name: 'commonName', value: 'kiln' }], {
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip: '127.0.0.1' }] }],
  });
  pair = { cert: made.cert, key: made.private };
  const folder = mkdtempSync(join(tmpdir(), 'batharon-h2-'));
  writeFileSync(join(folder, 'ca.pem'), made.cert);
  near = join(folder, 'batharon.yaml');
});

let server: Http2SecureServer | undefined;
const transport = new HttpTransport();
const sessions = new Set<ServerHttp2Session>();
afterEach(async () => {
  for (const session of sessions) session.destroy();
  server?.close();
  server = undefined;
});

const watch = (): Watch => ({ stopped: undefined, onStop: () => undefined, phase: () => undefined });

async function listening(
  onRequest: Parameters<typeof createSecureServer>[1],
  onSession: (session: ServerHttp2Session) => void = () => undefined,
): Promise<(path: string, more?: Partial<WireRequest>) => ReturnType<HttpTransport['send']>> {
  server = createSecureServer({ ...pair, allowHTTP1: true }, onRequest);
  server.on('session', (session) => {
    sessions.add(session);
    onSession(session);
  });
  await new Promise<void>((resolve) => server!.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  return (path, more = {}) =>
    transport.send(
      {
        method: 'GET',
        url: `https://127.0.0.1:${port}${path}`,
        headers: [['a', 'b']],
        connection: { tls: { ca: 'ca.pem', verify: true }, near },
        ...more,
      },
      watch(),
    );
}

test('a service that gives connections up in good order: no request is lost, none is sent twice', async () => {
  const seen = new Map<string, number>();
  const last = new Map<object, number>();
  let streams = 0;
  const send = await listening(
    (request, response) => {
      // What came behind the last one that it said to take it does not look at.
      if (request.stream.id! > (last.get(request.stream.session!) ?? Infinity)) return;
      seen.set(request.url, (seen.get(request.url) ?? 0) + 1);
      setTimeout(() => response.end(request.httpVersion), 5);
    },
    (session) => {
      // After each 20 requests, as common servers do after 1,000.
      session.on('stream', (stream) => {
        if (++streams % 20 !== 0 || last.has(session)) return;
        last.set(session, stream.id!);
        session.goaway(0, stream.id);
      });
    },
  );
  const left = Array.from({ length: 200 }, (_, i) => i);
  await Promise.all(
    Array.from({ length: 4 }, async () => {
      for (let i = left.shift(); i !== undefined; i = left.shift()) {
        const response = await send(`/${i}`, { method: 'POST', body: Buffer.from(`body ${i}`) });
        expect([response.status, Buffer.from(response.body).toString()]).toEqual([200, '2.0']);
      }
    }),
  );
  expect([seen.size, [...seen.values()].filter((times) => times !== 1)]).toEqual([200, []]);
}, 30_000);

test('what the service has not looked at goes again, and what it may have processed does not', async () => {
  let refused = 0;
  const send = await listening((request, response) => {
    if (request.url === '/refused' && refused++ < 2) response.stream.close(7);
    else if (request.url === '/broken') response.stream.close(2);
    else response.end('x');
  });
  expect(Buffer.from((await send('/refused', { method: 'POST' })).body).toString()).toBe('x');
  expect(refused).toBe(3);
  await expect(send('/broken', { method: 'POST' })).rejects.toMatchObject({
    problem: { code: 'connection-reset' },
  });
});

test('fields, bodies and responses are those of HTTP/1.1; a session that ends rudely is said, and the next request works', async () => {
  const send = await listening((request, response) => {
    if (request.url === '/end') {
      for (const session of sessions) session.destroy();
      return;
    }
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      response.writeHead(201, { 'set-cookie': ['a=1', 'b=2'], 'x-a': String(request.headers.a) });
      response.end(`${String(request.headers.cookie)} ${Buffer.concat(chunks).length}`);
    });
  });
  const response = await send('/a', {
    method: 'POST',
    headers: [
      ['A', 'b'],
      ['Cookie', 'x=1'],
      ['Connection', 'keep-alive'],
    ],
    body: {
      size: 200_000,
      async *chunks() {
        yield Buffer.alloc(100_000);
        yield Buffer.alloc(100_000);
      },
    },
  });
  expect([response.status, Buffer.from(response.body).toString()]).toEqual([201, 'x=1 200000']);
  expect(response.headers.filter(([name]) => name === 'set-cookie')).toHaveLength(2);
  await expect(send('/end')).rejects.toMatchObject({ problem: { code: 'connection-reset' } });
  expect((await send('/b')).status).toBe(201);
});

test('a service may not push responses that nobody asked for', async () => {
  const send = await listening((request, response) => response.end(String(request.stream.pushAllowed)));
  expect(Buffer.from((await send('/')).body).toString()).toBe('false');
});

test('what was handed to a new connection counts as sent, though the service has agreed on nothing yet', async () => {
  const rude = createTls({ ...pair, ALPNProtocols: ['h2'] }, (socket) => {
    socket.on('error', () => undefined);
    socket.once('data', () => setTimeout(() => socket.destroy(), 50));
  });
  await new Promise<void>((resolve) => rude.listen(0, '127.0.0.1', resolve));
  try {
    const { port } = rude.address() as AddressInfo;
    const phases: string[] = [];
    const sending = transport.send(
      {
        method: 'POST',
        url: `https://127.0.0.1:${port}/a`,
        headers: [],
        body: new Uint8Array([1]),
        connection: { tls: { ca: 'ca.pem', verify: true }, near },
      },
      { ...watch(), phase: (phase) => void phases.push(phase) },
    );
    await expect(sending).rejects.toMatchObject({ problem: { code: 'connection-reset' } });
    expect(phases.at(-1)).toBe('firstByte');
  } finally {
    rude.close();
  }
});
