// What a service says is shown, never obeyed: not by the terminal that a run is looked at in, nor by who reads a report.
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import * as fc from 'fast-check';
import { legible } from '../../../src/cli/terminal/terminal.ts';
import { batharon, folderWith } from '../support.ts';

const OBEYED = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/;
/** Clears the screen, colours, sets a title, moves up, and turns the direction. */
const HOSTILE = '\u001b[2J\u001b[31mheld\u001b]0;title\u0007\u001b[1A\u009b2K\u202e\u0000\r';

let server: Server;
let url = '';

beforeAll(async () => {
  server = createServer((request, response) => {
    const path = request.url ?? '';
    const reply = (status: number, type: string, body: string): void => {
      response.writeHead(status, { 'content-type': type, 'x-note': 'a\u009b2Jb' });
      response.end(body);
    };
    if (path.startsWith('/json'))
      reply(
        200,
        'application/json',
        JSON.stringify({ [HOSTILE]: HOSTILE, jobs: [{ [HOSTILE]: HOSTILE }, {}] }),
      );
    else if (path.startsWith('/text')) reply(200, 'text/plain', `first\r\n${HOSTILE}`);
    else if (path.startsWith('/problem'))
      reply(409, 'application/problem+json', JSON.stringify({ title: HOSTILE, detail: HOSTILE }));
    else reply(500, 'text/html', `<html><title>${HOSTILE}</title><p>${HOSTILE}</html>`);
  });
  server.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});

afterAll(() => {
  server.close();
});

const CHAIN = `chain: Hostile
steps:
  - call: GET kiln /json
    name: json
    keep: { all: $, inner: "$.jobs[0]" }
    show: all
  - call: GET kiln /text
    name: words
    keep: { said: text }
    show: "\${said}"
  - each: job in all.jobs
    name: jobs
    when-one-fails: continue
    steps:
      - call: GET kiln /page
        name: page
  - call: GET kiln /problem
    name: problem
    expect: $.jobs[0] == inner
`;

test('no command lets a response move the cursor, colour lines, or iteration their direction', async () => {
  const folder = folderWith({
    'batharon.yaml': `services:\n  kiln:\n    url: ${url}\n`,
    'a.chain.yaml': CHAIN,
    'b.chain.yaml': CHAIN.replace('- each:', '- when: false\n    each:').replace(
      'GET kiln /problem',
      'GET kiln /page',
    ),
  });
  const commands = [
    ['run', 'b.chain.yaml'],
    ['run', 'a.chain.yaml'],
    ['history'],
    ['view'],
    ...['json', 'words', 'problem', 'jobs', 'jobs[0]', 'jobs[0].page'].map((step) => [
      'view',
      `last:${step}`,
    ]),
    ['find', 'passed'],
    ['compare', 'last', 'last'],
    ['send', 'GET', 'kiln', '/json'],
    ['send', 'GET', 'kiln', '/page'],
    ['report', '--markdown'],
    ['report', '--junit'],
  ];
  for (const args of commands) {
    const { code, stderr, stdout } = await batharon(folder, args);
    if (code! > 1) throw new Error(`${args.join(' ')}: ${stderr}`);
    // The body of a response that is no JSON goes to whoever reads standard output as it came.
    const seen = args[2] === 'kiln' && args[3] === '/page' ? stderr : stderr + stdout;
    expect([args, OBEYED.exec(seen.replaceAll('\r\n', '\n'))?.[0]]).toEqual([args, undefined]);
  }
  const { stderr } = await batharon(folder, ['run', 'a.chain.yaml']);
  expect(stderr).toContain('a page titled "\\u001b[2J\\u001b[31mheld');
  const raw = await batharon(folder, ['send', 'GET', 'kiln', '/text']);
  expect(raw.stdout).toBe(`first\r\n${HOSTILE}\n`);
});

test('whatever a text holds, only ends of lines and the colours of the program are obeyed', () => {
  const pieces = fc.constantFrom(
    '\u001b',
    '[',
    '31m',
    '2K',
    '\u009b',
    '\r\n',
    '\n',
    '\t',
    '\r',
    'a',
    '漢',
    '\u202e',
  );
  fc.assert(
    fc.property(fc.array(fc.oneof(pieces, fc.string())), (parts) => {
      const text = parts.join('');
      expect(OBEYED.exec(legible(text))?.[0]).toBeUndefined();

      expect(OBEYED.exec(legible(text, true).replace(/\u001b\[\d{1,2}m/g, ''))?.[0]).toBeUndefined();
    }),
  );
  expect(legible('\u001b[1mheld\u001b[22m \u001b[8mhidden', true)).toBe(
    '\u001b[1mheld\u001b[22m \\u001b[8mhidden',
  );
});
