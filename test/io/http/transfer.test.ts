// Files, cookies, proxies, TLS and HTTP/2, from a chain file to real sockets.
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import {
  createServer,
  type IncomingMessage,
  type RequestListener,
  type Server,
  type ServerResponse,
} from 'node:http';
import { createSecureServer } from 'node:http2';
import { createServer as createTlsServer, Server as HttpsServer } from 'node:https';
import { spawnSync } from 'node:child_process';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { brotliCompressSync, deflateRawSync, deflateSync, gzipSync } from 'node:zlib';
import { afterEach, describe, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import { readChain } from '../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../src/core/chain/read/read-project.ts';
import { run } from '../../../src/core/engine/run/run.ts';
import type { EventOf, RunEvent } from '../../../src/core/events.ts';
import { HttpTransport } from '../../../src/io/http/http.ts';
import { machinePorts } from '../../../src/io/machine-ports.ts';

interface Peer {
  getPeerCertificate(): { subject: { CN: string } };
}

const servers: Pick<Server, 'close'>[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) {
    if ('closeAllConnections' in server) (server as Server).closeAllConnections();
    server.close();
  }
});

async function listen(
  server: Server | ReturnType<typeof createSecureServer>,
  scheme = 'http',
): Promise<string> {
  servers.push(server as Server);
  await new Promise<void>((resolve) => (server as Server).listen(0, '127.0.0.1', resolve));
  return `${scheme}://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

interface Ran {
  readonly exit: number;
  readonly events: RunEvent[];
  readonly folder: string;
  readonly problem: string;
  readonly results: ReadonlyMap<string, unknown>;
}

async function runHere(
  service: string,
  steps: string,
  files: Record<string, string | Buffer> = {},
  folder = mkdtempSync(join(tmpdir(), 'batharon-transfer-')),
): Promise<Ran> {
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text);
  const { project, findings } = readProject(
    join(folder, 'batharon.yaml'),
    `services:\n  kiln:\n    ${service}\n`,
    undefined,
    true,
  );
  const read = readChain(join(folder, 'a.chain.yaml'), `chain: A\nsteps:\n${steps}`, project, {
    files: (path) =>
      existsSync(join(folder, path)) ? { path, text: readFileSync(join(folder, path), 'utf8') } : undefined,
  });
  const wrong = [...findings, ...read.findings, ...read.elsewhere.map(({ finding }) => finding)].filter(
    ({ level }) => level === 'problem',
  );
  expect(wrong).toEqual([]);
  const transport = new HttpTransport();
  const events: RunEvent[] = [];
  const { exit, results } = await run(
    read.chain!,
    project,
    machinePorts(project, transport, { variables: process.env }),
    {
      id: 'a',
      inputs: {},
      signal: new AbortController().signal,
      emit: (event) => events.push(event),
    },
  );
  await transport.close();
  const ended = events.find(
    (event): event is EventOf<'step-ended'> => event.event === 'step-ended' && event.problem !== undefined,
  );
  return {
    exit,
    events,
    folder,
    results,
    problem: ended ? `${ended.problem!.code}: ${ended.problem!.message}` : '',
  };
}

const answering = (listener: RequestListener): Promise<string> => listen(createServer(listener));

describe('bodies out of files, expressions and parts of files', () => {
  const sent = async (steps: string, files: Record<string, string | Buffer> = {}) => {
    const seen: { type: string | undefined; body: Buffer }[] = [];
    const url = await answering((request, response) => {
      const chunks: Buffer[] = [];
      request.on('data', (chunk: Buffer) => chunks.push(chunk));
      request.on('end', () => {
        seen.push({ type: request.headers['content-type'], body: Buffer.concat(chunks) });
        response.writeHead(200, { 'content-type': 'application/octet-stream', trailer: 'X-Sum' });
        response.write(Buffer.from([0, 255, 1]));
        response.addTrailers({ 'X-Sum': 'seven' });
        response.end();
      });
    });
    return { ...(await runHere(`url: ${url}`, steps, files)), seen };
  };

  test('a text and XML from a file, with insertions in it', async () => {
    const { problem, seen } = await sent(
      '  - keep: { name: "\'a<b\'" }\n  - call: POST kiln /a\n    text: { from: note.txt }\n  - call: POST kiln /b\n    xml: { from: a.xml }\n',
      { 'note.txt': 'for ${name}\n', 'a.xml': '<a n="${name}"/>' },
    );
    expect([problem, ...seen.map(({ body }) => body.toString())]).toEqual([
      '',
      'for a<b\n',
      '<a n="a&lt;b"/>',
    ]);
  });

  test('bytes of a response, whole and as a part, beside a value', async () => {
    const { problem, seen } = await sent(
      `  - call: GET kiln /a
    name: first
    read-as: bytes
    expect: trailers['x-sum'] == 'seven'
  - call: POST kiln /b
    bytes: first.body
  - call: POST kiln /c
    multipart:
      photo: { bytes: first.body, type: image/png, filename: a.png }
      about: { json: { cone: 6 } }
`,
    );
    expect([problem, seen[1]!.body, seen[1]!.type]).toEqual([
      '',
      Buffer.from([0, 255, 1]),
      'application/octet-stream',
    ]);
    const whole = seen[2]!.body.toString('latin1');
    expect(whole).toContain(
      'name="photo"; filename="a.png"\r\nContent-Type: image/png\r\n\r\n\u0000\u00ff\u0001\r\n',
    );
    expect(whole).toContain('name="about"\r\nContent-Type: application/json\r\n\r\n{"cone":6}\r\n');
  });

  test('a file in parts', async () => {
    const { problem, seen } = await sent(
      '  - each: n in range(0, 2)\n    steps:\n      - call: PUT kiln /film\n        file: { path: film.bin, from: "${n * 4}", to: "${n * 4 + 4}" }\n',
      { 'film.bin': Buffer.from('0123456789') },
    );
    expect([problem, ...seen.map(({ body }) => body.toString())]).toEqual(['', '0123', '4567', '89']);
    const beyond = await sent('  - call: PUT kiln /film\n    file: { path: film.bin, from: 11 }\n', {
      'film.bin': Buffer.from('0123456789'),
    });
    expect(beyond.problem).toMatch(/^file-not-found: .*has 10 bytes, and none from 11 on/);
  });
});

test('Expect: 100-continue: the body goes once it is wanted, after a while, and not at all where it is refused', async () => {
  const made = await generate([{ name: 'commonName', value: 'kiln' }], {
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip: '127.0.0.1' }] }],
  });
  for (const server of [createServer(), createTlsServer({ key: made.private, cert: made.cert })]) {
    const seen: string[] = [];
    const read: RequestListener = (request, response) => {
      let size = 0;
      request.on('data', (chunk: Buffer) => (size += chunk.length));
      request.on('end', () => {
        seen.push(`${request.url!} ${size}`);
        response.end('done');
      });
    };
    server.on('request', read);
    server.on('checkContinue', (request: IncomingMessage, response: ServerResponse) => {
      if (request.url === '/refused') {
        request.on('data', () => seen.push('a body that was refused'));
        return void response.writeHead(413).end('too much');
      }
      // One says nothing, as a server that does not know it.
      if (request.url === '/wanted') response.writeContinue();
      return read(request, response);
    });
    const scheme = server instanceof HttpsServer ? 'https' : 'http';
    const url = await listen(server, scheme);
    const steps = ['wanted', 'silent', 'refused']
      .map(
        (path) =>
          `  - call: PUT kiln /${path}\n    headers: { Expect: 100-continue }\n    file: film.bin\n    expect: status == ${path === 'refused' ? 413 : 200}\n`,
      )
      .join('');
    const { exit, problem } = await runHere(`url: ${url}\n    tls: { ca: ca.pem }`, steps, {
      'film.bin': Buffer.alloc(300_000, 7),
      'ca.pem': made.cert,
    });
    expect([exit, problem, seen]).toEqual([0, '', ['/wanted 300000', '/silent 300000']]);
  }
});

describe('a download that goes on where it was cut', () => {
  const film = Buffer.from(Array.from({ length: 300_000 }, (_, i) => i % 251));
  const step = (more = ''): string =>
    `  - call: GET kiln /film\n    save: { to: film.bin, resume: yes }\n${more}`;

  /** A service that cuts each response after so many bytes, and knows ranges. */
  const cutting = async (cut: () => number, etag: () => string | undefined) => {
    const asked: (string | undefined)[] = [];
    const url = await answering((request, response) => {
      const { range } = request.headers;
      const tag = etag();
      asked.push(range);
      const from = Number(/bytes=(\d+)-/.exec(range ?? '')?.[1] ?? 0);
      const goesOn = range !== undefined && request.headers['if-range'] === tag;
      if (goesOn && from >= film.length) return response.writeHead(416).end();
      const body = goesOn ? film.subarray(from) : film;
      response.writeHead(goesOn ? 206 : 200, {
        'content-length': body.length,
        ...(tag === undefined ? {} : { etag: tag }),
        ...(goesOn ? { 'content-range': `bytes ${from}-${film.length - 1}/${film.length}` } : {}),
      });
      const now = cut();
      if (now >= body.length) return response.end(body);
      return response.write(body.subarray(0, now), () => setTimeout(() => request.socket.destroy(), 300));
    });
    return { url, asked };
  };
  const isWhole = (folder: string): boolean => readFileSync(join(folder, 'film.bin')).equals(film);

  test('by its retries: each byte comes once', async () => {
    const { url, asked } = await cutting(
      () => 100_000,
      () => '"one"',
    );
    const { exit, folder, problem } = await runHere(
      `url: ${url}`,
      step('    retry: { attempts: 5, wait: 10ms }\n'),
    );
    expect([exit, problem, isWhole(folder), readdirSync(folder)]).toEqual([0, '', true, ['film.bin']]);
    expect(asked).toEqual([undefined, 'bytes=100000-', 'bytes=200000-']);
  });

  test('in a later run, and anew where it is another file by then', async () => {
    let tag = '"one"';
    let cut = 100_000;
    const { url, asked } = await cutting(
      () => cut,
      () => tag,
    );
    const first = await runHere(`url: ${url}`, step());
    expect([first.exit, readdirSync(first.folder).map((name) => name.replace(/[0-9a-f]{8}/, 'x'))]).toEqual([
      3,
      ['film.bin.0-x.unfinished', 'film.bin.0-x.unfinished.json'],
    ]);
    const left = Object.fromEntries(
      readdirSync(first.folder).map((name) => [name, readFileSync(join(first.folder, name))] as const),
    );
    cut = Infinity;
    const second = await runHere(`url: ${url}`, step(), left);
    expect([second.exit, isWhole(second.folder), readdirSync(second.folder)]).toEqual([
      0,
      true,
      ['film.bin'],
    ]);
    tag = '"two"';
    const third = await runHere(`url: ${url}`, step(), left);
    expect([third.exit, isWhole(third.folder), readdirSync(third.folder)]).toEqual([0, true, ['film.bin']]);
    expect(asked).toEqual([undefined, 'bytes=100000-', 'bytes=100000-']);
    // Nothing tells a key in the address.
    expect(String(left[Object.keys(left).find((name) => name.endsWith('.json'))!])).not.toContain(
      '127.0.0.1',
    );
  });

  test('not where nothing says that it is the same file, and not what was tampered with', async () => {
    const { url, asked } = await cutting(
      () => 100_000,
      () => 'W/"weak"',
    );
    const { exit, folder } = await runHere(`url: ${url}`, step('    retry: { attempts: 2, wait: 10ms }\n'));
    expect([exit, asked, readdirSync(folder)]).toEqual([3, [undefined, undefined], []]);
    const sound = await cutting(
      () => Infinity,
      () => '"one"',
    );
    const odd = await runHere(`url: ${sound.url}`, step(), {
      'film.bin.0-00000000.unfinished': 'x',
      'film.bin.0-00000000.unfinished.json': '{"address":7',
      'film.bin.1-00000000.unfinished': 'of a process that is there',
    });
    expect([odd.exit, isWhole(odd.folder), sound.asked]).toEqual([0, true, [undefined]]);
    expect(readdirSync(odd.folder)).toEqual(['film.bin', 'film.bin.1-00000000.unfinished']);
  });

  test('a link that lies where something unfinished would is neither followed nor written to', async () => {
    const { url } = await cutting(
      () => Infinity,
      () => '"one"',
    );
    const secret = join(mkdtempSync(join(tmpdir(), 'batharon-other-')), 'other');
    writeFileSync(secret, 'of somebody else');
    const folder = await runHere(`url: ${url}`, step());
    const json = JSON.stringify({
      address: createHash('sha256').update(`${url}/film`).digest('hex'),
      validator: '"one"',
    });
    for (const name of ['film.bin.0-00000001.unfinished']) {
      symlinkSync(secret, join(folder.folder, name));
      writeFileSync(join(folder.folder, `${name}.json`), json);
    }
    const again = await runHere(`url: ${url}`, step(), {}, folder.folder);
    expect([again.exit, isWhole(again.folder), readFileSync(secret, 'utf8')]).toEqual([
      0,
      true,
      'of somebody else',
    ]);
  });

  test('another part than was asked for is refused, and what tells nothing of itself is taken away', async () => {
    const url = await answering((request, response) =>
      request.headers.range === undefined
        ? void response
            .writeHead(200, { etag: '"a"', 'content-length': 10 })
            .write('half', () => setTimeout(() => request.socket.destroy(), 300))
        : void response.writeHead(206, { 'content-range': 'bytes 0-9/10' }).end('0123456789'),
    );
    const { problem } = await runHere(`url: ${url}`, step('    retry: { attempts: 2, wait: 10ms }\n'));
    expect(problem).toContain(
      'response-not-as-typed: the service sent another part than it was asked for: bytes 0-9/10',
    );
    const closed = await answering((_, response) => response.writeHead(503).end('closed'));
    const left = { 'film.bin.0-00000000.unfinished': 'half', 'film.bin.0-00000000.unfinished.json': '{}' };
    const { exit, folder } = await runHere(`url: ${closed}`, step('    retry: none\n'), left);
    expect([exit, readdirSync(folder)]).toEqual([1, []]);
  });
});

describe('save', () => {
  const png = Buffer.concat([Buffer.from('\x89PNG', 'latin1'), Buffer.alloc(3_000_000, 7)]);
  const step =
    '  - call: GET kiln /certificate\n    save: out/a/p1.png\n    expect:\n      - status == 200\n      - size > 1000\n';

  test.each([
    ['as it is', png, {}],
    ['compressed', gzipSync(png), { 'content-encoding': 'gzip' }],
  ])('writes the body %s while it comes', async (_, sent, headers) => {
    const url = await answering(
      (_request, response) =>
        void response.writeHead(200, { 'content-type': 'image/png', ...headers }).end(sent),
    );
    const { exit, folder, events } = await runHere(`url: ${url}`, step);
    expect(exit).toBe(0);
    expect(readFileSync(join(folder, 'out/a/p1.png')).equals(png)).toBe(true);
    expect(readdirSync(join(folder, 'out/a'))).toEqual(['p1.png']);
    expect(events.find(({ event }) => event === 'saved')).toMatchObject({
      path: 'out/a/p1.png',
      size: png.length,
    });
  });

  test('nothing is left where an expectation does not hold, or the body breaks off; what was there stays', async () => {
    let nth = 0;
    const url = await answering((request, response) => {
      if (++nth === 1)
        response.writeHead(200, { 'content-type': 'text/html' }).end('<title>Kiln closed</title>');
      else
        response.writeHead(200, { 'content-length': 10_000 }).write('half', () => request.socket.destroy());
    });
    const small = await runHere(`url: ${url}`, step);
    expect([small.exit, small.problem]).toEqual([1, expect.stringContaining('size > 1000')]);
    expect(readdirSync(join(small.folder, 'out/a'))).toEqual([]);
    const broken = await runHere(`url: ${url}`, step.replace('out/a/p1.png', 'old.png'), {
      'old.png': 'as before',
    });
    expect([broken.exit, broken.problem.split(':')[0]]).toEqual([3, 'connection-reset']);
    expect(readFileSync(join(broken.folder, 'old.png'), 'utf8')).toBe('as before');
    expect(readdirSync(broken.folder).filter((name) => name.includes('.part'))).toEqual([]);
  });

  test.each([
    ['10 GB are announced', { 'content-length': '10000000000' }, '', /^body-too-large: /],
    [
      'not what its coding says',
      { 'content-encoding': 'gzip' },
      '    save: a\n',
      /^body-broken: .*is not gzip/,
    ],
  ])('%s', async (_, headers, keys, message) => {
    const url = await answering((_request, response) => {
      response.writeHead(200, headers);
      response.write('not much of it', () => setTimeout(() => response.destroy(), 300));
    });
    const { exit, problem, folder } = await runHere(`url: ${url}`, `  - call: GET kiln /a\n${keys}`);
    expect([exit, problem]).toEqual([3, expect.stringMatching(message)]);
    expect(readdirSync(folder)).toEqual([]);
  });

  test('a body of more than is kept in memory is said, and can be saved; an endless one meets the time limit', async () => {
    const chunk = Buffer.alloc(1 << 20, 1);
    const url = await answering((request, response) => {
      const more = request.url!.includes('endless') ? Infinity : 70;
      let sent = 0;
      const next = (): void => {
        if (sent++ < more) response.write(chunk, (error) => (error ? undefined : next()));
        else response.end();
      };
      response.writeHead(200, { 'content-type': 'application/octet-stream' });
      next();
    });
    expect((await runHere(`url: ${url}`, '  - call: GET kiln /big\n')).problem).toMatch(
      /^body-too-large: .*larger than 64 MiB, the most that is kept in memory/,
    );
    const saved = await runHere(
      `url: ${url}`,
      '  - call: GET kiln /big\n    save: big\n    expect: size == 73400320\n',
    );
    expect(saved.exit).toBe(0);
    const endless = await runHere(
      `url: ${url}`,
      '  - call: GET kiln /endless\n    save: big\n    timeout: 400ms\n',
    );
    expect(endless.problem).toMatch(/^time-limit: the response had begun to come/);
    expect(readdirSync(endless.folder)).toEqual([]);
  });
});

describe('bodies', () => {
  const echo = (): Promise<string> =>
    answering((request, response) => {
      const chunks: Buffer[] = [];
      request.on('data', (data: Buffer) => chunks.push(data));
      request.on('end', () => {
        const { 'content-type': type, 'content-length': length } = request.headers;
        response.writeHead(200, { 'content-type': 'application/json' });
        response.end(JSON.stringify({ type, length, body: Buffer.concat(chunks).toString('latin1') }));
      });
    });
  const sentBy = async (
    body: string,
    files: Record<string, string | Buffer> = {},
  ): Promise<{ type: string; length: string; body: string }> => {
    const { exit, events, problem } = await runHere(
      `url: ${await echo()}`,
      `  - call: POST kiln /a\n${body}`,
      files,
    );
    expect([exit, problem]).toEqual([0, '']);
    const came = events.find(
      (event): event is EventOf<'response-received'> => event.event === 'response-received',
    )!;
    return JSON.parse(came.body.text!) as { type: string; length: string; body: string };
  };

  test('multipart, as a reader of forms takes it apart again', async () => {
    const image = Buffer.from([0, 255, 13, 10, 45, 45]);
    const { type, body, length } = await sentBy(
      '    multipart:\n      title: "A \\"bowl\\""\n      tag: [a, b]\n      "photo\\"x": { file: bowl.png, filename: "a\\"b.png" }\n      note: { text: "${\'x\'}", type: text/plain }\n',
      { 'bowl.png': image },
    );
    expect(Number(length)).toBe(Buffer.from(body, 'latin1').length);
    const form = await new Response(Buffer.from(body, 'latin1'), {
      headers: { 'content-type': type },
    }).formData();
    expect(form.get('title')).toBe('A "bowl"');
    expect(form.getAll('tag')).toEqual(['a', 'b']);
    const photo = form.get('photo"x') as File;
    expect([photo.name, photo.type, Buffer.from(await photo.arrayBuffer())]).toEqual([
      'a"b.png',
      'image/png',
      image,
    ]);
  });

  test('a file, with the type of its name', async () => {
    expect(await sentBy('    file: plate.json\n', { 'plate.json': '{ "a": 1 }' })).toEqual({
      type: 'application/json',
      length: '10',
      body: '{ "a": 1 }',
    });
  });

  test('JSON from a file, values inserted', async () => {
    const { body } = await sentBy('    json:\n      from: plate.json\n', {
      'plate.json': '{ "cone": "${3 + 3}", "price": 12.50, "name": "a ${\'b\'}" }',
    });
    expect(body).toBe('{"cone":6,"price":12.50,"name":"a b"}');
  });

  test('XML, values escaped', async () => {
    const { body, type } = await sentBy('    xml: <piece name="${\'a"<&\'}"/>\n');
    expect([type, body]).toEqual(['application/xml; charset=utf-8', '<piece name="a&quot;&lt;&amp;"/>']);
  });

  test('a file that is missing stops before anything is sent', async () => {
    const { exit, events, problem } = await runHere(
      `url: ${await echo()}`,
      '  - call: POST kiln /a\n    file: nowhere.png\n',
    );
    expect([exit, problem]).toEqual([
      3,
      expect.stringMatching(/^file-not-found: the file .*nowhere\.png does not exist/),
    ]);
    expect(events.some(({ event }) => event === 'request-sent')).toBe(false);
  });
});

test('responses as XML, CSV, lines and events, and in other charsets', async () => {
  const latin = Buffer.from(
    '<kiln xmlns="urn:k"><glaze name="c\xe9ladon"/><glaze name="ash"/></kiln>',
    'latin1',
  );
  const responses: Record<string, readonly [string, string | Buffer]> = {
    '/xml': [
      'application/xml',
      Buffer.concat([Buffer.from('<?xml version="1.0" encoding="ISO-8859-1"?>'), latin]),
    ],
    '/csv': ['text/csv', 'id,name\r\np1,"a, ""b"""\r\np2,c\r\n'],
    '/badcsv': ['text/csv', 'id,name\np1\n'],
    '/latin': ['application/json', Buffer.from('{"a":"\xe9"}', 'latin1')],
    '/zebra': ['text/plain; charset=zebra', 'a'],
    '/lines': ['text/plain', 'a\nb\r\nc\n'],
    '/events': ['text/event-stream', ': hi\nevent: fired\nid: 7\ndata: {"a":1}\ndata: x\n\ndata: last\n\n'],
  };
  const url = await answering((request, response) => {
    const [type, body] = responses[request.url!]!;
    response.writeHead(200, { 'content-type': type }).end(body);
  });
  const { exit, problem } = await runHere(
    `url: ${url}`,
    `  - call: GET kiln /xml
    expect:
      - "xpath($, '//k:glaze/@name', { k: 'urn:k' }) == ['c\u00e9ladon', 'ash']"
      - "xpath($, 'count(//k:glaze)', { k: 'urn:k' }) == 2"
  - call: GET kiln /csv
    expect: "$ == [{ id: 'p1', name: 'a, \\"b\\"' }, { id: 'p2', name: 'c' }]"
  - call: GET kiln /lines
    read-as: lines
    expect: "$ == ['a', 'b', 'c']"
  - call: GET kiln /events
    expect: "$ == [{ data: '{\\"a\\":1}\\\\nx', event: 'fired', id: '7' }, { data: 'last' }]"
`,
  );
  expect([exit, problem]).toEqual([0, '']);
  for (const [call, came] of [
    ['/latin', 'JSON, got 9 bytes that are not UTF-8'],
    ['/latin\n    read-as: text', 'text, got 9 bytes that are not UTF-8'],
    ['/latin\n    read-as: lines', 'text, got 9 bytes that are not UTF-8'],
    ['/zebra\n    read-as: text', "text, got 1 byte that can't be read in the charset zebra"],
  ] as const)
    expect((await runHere(`url: ${url}`, `  - call: GET kiln ${call}\n`)).problem).toContain(
      `expected ${came}`,
    );
  expect((await runHere(`url: ${url}`, '  - call: GET kiln /badcsv\n')).problem).toMatch(
    /expected CSV, as its content type says, got line 2 has another number of cells than the first row/,
  );
});

test('charsets as others write them, UTF-16, cells apart by other signs, JSON a line', async () => {
  const text = 'Preis 12 € für „Tschüß“';
  const responses: Record<string, readonly [string, Buffer]> = {
    '/1252': [
      'text/plain; charset=windows-1252',
      Buffer.from('Preis 12 \x80 f\xfcr \x84Tsch\xfc\xdf\x93', 'latin1'),
    ],
    '/sjis': ['text/plain; charset=Shift_JIS', Buffer.from([0x97, 0x71])],
    '/utf16': ['application/xml', Buffer.from('\ufeff<a b="\u20ac"/>', 'utf16le')],
    '/utf16be': ['application/xml', Buffer.from('<a b="x"/>', 'utf16le').swap16()],
    '/csv': ['text/csv; charset=utf-8', Buffer.from('id;name\n1;a,b\n2;c\n')],
    '/csv2': ['text/csv', Buffer.from('id;name;x\n1;a,b;2\n')],
    '/ndjson': ['application/x-ndjson', Buffer.from('{"id":12345678901234567890}\n\n[1]\r\n"x"\n')],
    '/broken': ['application/jsonl', Buffer.from('{"id":1}\n{"id":\n')],
  };
  const url = await answering((request, response) => {
    const [type, body] = responses[request.url!]!;
    response.writeHead(200, { 'content-type': type }).end(body);
  });
  const { exit, problem } = await runHere(
    `url: ${url}`,
    `  - call: GET kiln /1252
    expect: $ == '${text}'
  - call: GET kiln /sjis
    expect: $ == '窯'
  - call: GET kiln /utf16
    expect: xpath($, '//@b') == ['€']
  - call: GET kiln /utf16be
    expect: xpath($, '//@b') == ['x']
  - call: GET kiln /csv
    read-as: { csv: ; }
    expect: "$ == [{ id: '1', name: 'a,b' }, { id: '2', name: 'c' }]"
  - call: GET kiln /ndjson
    expect: "$ == [{ id: 12345678901234567890 }, [1], 'x']"
  - call: GET kiln /1252
    save: kept.txt
    expect: text == '${text}'
`,
  );
  expect([problem, exit]).toEqual(['', 0]);
  expect((await runHere(`url: ${url}`, '  - call: GET kiln /broken\n')).problem).toContain(
    'got line 2: not JSON',
  );
  expect((await runHere(`url: ${url}`, '  - call: GET kiln /csv2\n')).problem).toContain(
    'read-as: { csv: ";" }',
  );
});

test('of a response that breaks off, what came is kept, and a longer time limit is not advised where it was coming', async () => {
  const url = await answering((request, response) => {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'kiln-mark': 'a' });
    response.write('data: 1\n\ndata: tür');
    if (request.url === '/cut') setTimeout(() => response.destroy(), 50);
    if (request.url === '/twice') setTimeout(() => response.end(), 20);
  });
  for (const [call, code, more] of [
    ['/endless\n    timeout: 300ms', 'time-limit', /had begun to come, and was not complete within 300ms/],
    ['/cut', 'connection-reset', /before the response was complete/],
  ] as const) {
    const { events, problem } = await runHere(`url: ${url}`, `  - call: GET kiln ${call}\n`);
    const failed = events.flatMap((event) => (event.event === 'request-failed' ? [event] : []));
    expect(
      failed.map(({ partial, problem: why }) => [
        why.code,
        partial?.status,
        partial?.headers.find(([name]) => name === 'kiln-mark'),
        partial?.body.text,
      ]),
    ).toEqual([[code, 200, ['kiln-mark', 'a'], 'data: 1\n\ndata: tür']]);
    expect(problem).toMatch(more);
    expect(JSON.stringify(failed)).not.toContain('a longer timeout');
  }
  const { events } = await runHere(`url: ${url}`, '  - call: GET kiln /twice\n');
  expect(events.filter(({ event }) => event === 'request-failed')).toEqual([]);
});

test('content codings: what is read is saved alike, and one that is not known is passed on', async () => {
  const plain = Buffer.from('kiln '.repeat(50_000));
  const codings: Record<string, Buffer> = {
    deflate: deflateSync(plain),
    'x-gzip': gzipSync(plain),
    br: brotliCompressSync(plain),
    none: plain,
    'utf-8': plain,
    'gzip, deflate': deflateRawSync(gzipSync(plain)),
    'ash, gzip': gzipSync(plain),
  };
  const url = await answering((request, response) => {
    const coding = decodeURIComponent(request.url!.slice(1));
    const body = coding === 'raw' ? deflateRawSync(plain) : codings[coding]!;
    const head = { 'content-type': 'text/plain', 'content-encoding': coding === 'raw' ? 'deflate' : coding };
    response.writeHead(200, head);
    // In pieces, the first of one byte: a decoder has to wait for more.
    response.write(body.subarray(0, 1), () => setTimeout(() => response.end(body.subarray(1)), 5));
  });
  for (const coding of [...Object.keys(codings), 'raw']) {
    const { exit, problem, events, folder } = await runHere(
      `url: ${url}`,
      `  - call: GET kiln /${encodeURIComponent(coding)}\n    expect: length(text) == ${plain.length}\n  - call: GET kiln /${encodeURIComponent(coding)}\n    save: kept.txt\n`,
    );
    expect([coding, exit, problem]).toEqual([coding, 0, '']);
    expect(readFileSync(join(folder, 'kept.txt')).equals(plain)).toBe(true);
    const unknown = events.flatMap((event) => (event.event === 'warning' ? [event.code] : []));
    expect([coding, unknown]).toEqual([
      coding,
      /none|utf-8|ash/.test(coding) ? ['coding-unknown', 'coding-unknown'] : [],
    ]);
  }
});

test('cookies: kept for the run and the service, sent where they belong, and left out with cookies: none', async () => {
  const seen: (string | undefined)[] = [];
  const url = await answering((request, response) => {
    seen.push(request.headers.cookie);
    response
      .writeHead(
        200,
        request.url === '/login'
          ? { 'set-cookie': ['session=abcdef0123456789; Path=/; HttpOnly', 'other=1; Path=/elsewhere'] }
          : {},
      )
      .end();
  });
  const { exit, events } = await runHere(
    `url: ${url}`,
    "  - call: POST kiln /login\n    expect: cookies.session == 'abcdef0123456789'\n  - call: GET kiln /a\n  - call: GET kiln /elsewhere\n  - call: GET kiln /a\n    cookies: none\n",
  );
  expect([exit, seen]).toEqual([
    0,
    [undefined, 'session=abcdef0123456789', 'other=1; session=abcdef0123456789', undefined],
  ]);
  expect(JSON.stringify(events.filter(({ event }) => event !== 'expected'))).not.toContain(
    'abcdef0123456789',
  );
});

test('cookies of one credential are not those of another', async () => {
  const seen: string[] = [];
  const url = await answering((request, response) => {
    seen.push(`${String(request.headers.key)} ${request.headers.cookie ?? '-'}`);
    response.writeHead(200, { 'set-cookie': `who=${String(request.headers.key)}; Path=/` }).end();
  });
  Object.assign(process.env, { KEY_OF_ANNA: 'anna-anna', KEY_OF_INES: 'ines-ines' });
  const keys = ['anna', 'ines']
    .map((name) => `  ${name}: { kind: header, name: key, value: "\${secret.${name}}" }\n`)
    .join('');
  const { exit } = await runHere(
    `url: ${url}\ncredentials:\n${keys}secrets: { anna: env KEY_OF_ANNA, ines: env KEY_OF_INES }`,
    ['anna', 'ines', 'anna', 'nobody', 'ines']
      .map((name) => `  - call: GET kiln /a\n    as: ${name}\n`)
      .join(''),
  );
  expect([exit, seen]).toEqual([
    0,
    ['anna-anna -', 'ines-ines -', 'anna-anna who=anna-anna', 'undefined -', 'ines-ines who=ines-ines'],
  ]);
});

describe('TLS', () => {
  const certificate = async (name: string, ip: string, from: number, to: number) => {
    const made = await generate([{ name: 'commonName', value: name }], {
      notBeforeDate: new Date(Date.now() + from * 86_400_000),
      notAfterDate: new Date(Date.now() + to * 86_400_000),
      keySize: 2048,
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip }] }],
    });
    return { key: made.private, cert: made.cert };
  };
  const step = "  - call: GET kiln /a\n    expect: text == 'x'\n";

  test.each([
    ['trusted', '127.0.0.1', -1, 30, /^$/],
    ['expired', '127.0.0.1', -30, -1, /^certificate-refused: the certificate of .* has expired/],
    [
      'for another name',
      '127.0.0.2',
      -1,
      30,
      /^certificate-refused: the certificate is for another name than 127\.0\.0\.1/,
    ],
  ])('%s', async (_, ip, from, to, expected) => {
    const pair = await certificate('kiln', ip, from, to);
    const url = await listen(
      createTlsServer(pair, (_request, response) => response.end('x')),
      'https',
    );
    const { problem } = await runHere(`url: ${url}\n    tls: { ca: ca.pem }`, step, { 'ca.pem': pair.cert });
    expect(problem).toMatch(expected);
  });

  test('at another address than its name leads to, in HTTP/1.1 and HTTP/2', async () => {
    const made = await generate([{ name: 'commonName', value: 'kiln.invalid' }], {
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: 'kiln.invalid' }] }],
    });
    const pair = { key: made.private, cert: made.cert };
    const seen: string[] = [];
    const one = createTlsServer(pair, (request, response) => {
      seen.push(
        `${(request.socket as unknown as { servername: string }).servername} ${request.headers.host!}`,
      );
      response.end('x');
    });
    const two = createSecureServer({ ...pair, allowHTTP1: true }, (request, response) => {
      seen.push(String(request.headers[':authority'] ?? request.headers.host));
      response.end('x');
    });
    for (const server of [one, two]) {
      const address = (await listen(server, 'https')).replace('https://', '');
      const { exit, problem } = await runHere(
        `url: https://kiln.invalid:7443\n    address: ${address}\n    tls: { ca: ca.pem }`,
        `${step}  - call: GET kiln /b\n    headers: { Host: kiln.internal }\n`,
        { 'ca.pem': pair.cert },
      );
      expect([exit, problem]).toEqual([0, '']);
    }
    expect(seen).toEqual([
      'kiln.invalid kiln.invalid:7443',
      'kiln.invalid kiln.internal',
      'kiln.invalid:7443',
      'kiln.internal',
    ]);
    const gone = await runHere('url: https://kiln.invalid\n    address: 127.0.0.1:1', step);
    expect(gone.problem).toBe(
      'connection-refused: nothing listens at kiln.invalid (connected to 127.0.0.1:1, as its address says)',
    );
  });

  const withOpenssl = spawnSync('openssl', ['version']).status === 0 ? test : test.skip;
  withOpenssl('with a key that a password opens, in PEM and in PKCS #12, made by OpenSSL', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'batharon-keys-'));
    const openssl = (...args: string[]): void => {
      const { status, stderr } = spawnSync('openssl', args, { cwd: folder });
      if (status !== 0) throw new Error(String(stderr));
    };
    const password = 'key-password-4711';
    openssl(
      ...'req -x509 -newkey rsa:2048 -keyout key.pem -out cert.pem -days 30 -subj /CN=desk -passout'.split(
        ' ',
      ),
      `pass:${password}`,
    );
    openssl(
      ...'pkcs12 -export -inkey key.pem -in cert.pem -out both.p12'.split(' '),
      ...['-passin', `pass:${password}`, '-passout', `pass:${password}`],
    );
    const server = await certificate('kiln', '127.0.0.1', -1, 30);
    const file = (name: string): Buffer => readFileSync(join(folder, name));
    const url = await listen(
      createTlsServer(
        {
          ...server,
          ca: file('cert.pem'),
          requestCert: true,
          rejectUnauthorized: true,
          maxVersion: 'TLSv1.2',
        },
        (request, response) =>
          response.end((request.socket as unknown as Peer).getPeerCertificate().subject.CN),
      ),
      'https',
    );
    const files = {
      'ca.pem': server.cert,
      'key.pem': file('key.pem'),
      'cert.pem': file('cert.pem'),
      'both.p12': file('both.p12'),
    };
    process.env.KEY_PASSWORD = password;
    process.env.NO_PASSWORD = 'another-password';
    const wanted = "  - call: GET kiln /a\n    expect: text == 'desk'\n";
    for (const [tls, said] of [
      ["cert: cert.pem, key: key.pem, key-password: '${secret.own}'", /^$/],
      ["pkcs12: both.p12, key-password: '${secret.own}'", /^$/],
      ["pkcs12: both.p12, key-password: '${secret.own}', min-version: 1.2", /^$/],
      ["pkcs12: both.p12, key-password: '${secret.own}', min-version: 1.3", /^tls-failed: /],
      ["pkcs12: both.p12, key-password: '${secret.wrong}'", /^certificate-refused: the client's certificate/],
      ['cert: cert.pem, key: key.pem', /^certificate-refused: the client's certificate/],
    ] as const) {
      const { problem } = await runHere(
        `url: ${url}\n    tls: { ca: ca.pem, ${tls} }\nsecrets: { own: env KEY_PASSWORD, wrong: env NO_PASSWORD }`,
        wanted,
        files,
      );
      expect([tls, problem]).toEqual([tls, expect.stringMatching(said)]);
    }
  });

  test('HTTP/2, where the service offers it', async () => {
    const pair = await certificate('kiln', '127.0.0.1', -1, 30);
    const server = createSecureServer({ ...pair, allowHTTP1: true }, (request, response) => {
      response.writeHead(200, { 'content-type': 'application/json', 'x-version': request.httpVersion });
      response.end('{"a":1}');
    });
    const url = await listen(server, 'https');
    const { exit, problem } = await runHere(
      `url: ${url}\n    tls: { ca: ca.pem }`,
      "  - call: GET kiln /a\n    expect:\n      - headers['x-version'] == '2.0'\n      - $.a == 1\n",
      { 'ca.pem': pair.cert },
    );
    expect([exit, problem]).toEqual([0, '']);
  });
});

test('a proxy: requests go through it; one that is not there is named', async () => {
  const target = await answering((_, response) => response.end('x'));
  const asked: string[] = [];
  const proxy = createServer((request, response) => {
    asked.push(request.url!);
    void fetch(request.url!).then(async (reply) => response.end(await reply.text()));
  });
  const url = await listen(proxy);
  const through = await runHere(
    `url: ${target}\n    proxy: ${url}`,
    "  - call: GET kiln /a\n    expect: text == 'x'\n",
  );
  expect([through.exit, through.problem, asked.length]).toEqual([0, '', 1]);
  expect(asked[0]).toBe(`${target}/a`);
  const gone = await runHere(`url: ${target}\n    proxy: http://127.0.0.1:1`, '  - call: GET kiln /a\n');
  expect([gone.exit, gone.problem]).toEqual([
    3,
    expect.stringMatching(/^proxy-refused: the proxy http:\/\/127\.0\.0\.1:1 can't be reached/),
  ]);
});

test("the variables of the environment name a proxy; NO_PROXY and a machine's own addresses go without", async () => {
  const asked: string[] = [];
  const proxy = createServer((request, response) => {
    asked.push(request.url!);
    response.end('x');
  });
  proxy.on('connect', (request, socket) => {
    asked.push(request.url!);
    socket.write('HTTP/1.1 200 OK\r\n\r\n');
    socket.once('data', () =>
      socket.end('HTTP/1.1 200 OK\r\ncontent-length: 1\r\nconnection: close\r\n\r\nx'),
    );
  });
  const own = await answering((_, response) => response.end('own'));
  const before = { ...process.env };
  Object.assign(process.env, { HTTP_PROXY: await listen(proxy), NO_PROXY: 'outside.invalid' });
  try {
    const steps = `  - call: GET http://kiln.example/a\n    expect: text == 'x'\n  - call: GET ${own}/a\n    expect: text == 'own'\n  - call: GET http://outside.invalid/\n`;
    const { problem } = await runHere('url: https://kiln.example', steps);
    expect([problem, asked.length, asked[0]]).toEqual([
      expect.stringMatching(/^unknown-host/),
      1,
      expect.stringContaining('kiln.example'),
    ]);
  } finally {
    for (const name of ['HTTP_PROXY', 'NO_PROXY']) {
      if (before[name] === undefined) Reflect.deleteProperty(process.env, name);
      else process.env[name] = before[name];
    }
  }
});
