// How far a long body is: told while it comes or goes, by the built program and a server that takes its time.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { EventOf, RunEvent } from '../../../src/core/events.ts';
import { RunView } from '../../../src/cli/view/run-view.ts';
import { batharon, folderWith } from '../support.ts';
import { WrittenTerminal } from '../written-terminal.ts';

const SIZE = 3_000_000;
let server: Server;
let url = '';

beforeAll(async () => {
  server = createServer((request, response) => {
    request.resume();
    request.on('end', () => {
      if (request.method === 'POST') return response.end('{}');
      response.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': SIZE });
      let left = SIZE;
      const more = (): void => {
        const piece = Math.min(left, 200_000);
        left -= piece;
        response.write(Buffer.alloc(piece, 'x'));
        if (left > 0) setTimeout(more, 60);
        else response.end();
      };
      more();
      return undefined;
    });
  });
  server.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});

afterAll(() => {
  server.close();
});

test('a download and an upload tell how far they are, and the record does not', async () => {
  const folder = folderWith({
    'batharon.yaml': `services: { store: { url: '${url}' } }\n`,
    'a.chain.yaml':
      'chain: A\nsteps:\n  - call: GET store /film\n    name: down\n    save: film.bin\n  - call: POST store /film\n    name: up\n    file: big.bin\n',
  });
  writeFileSync(join(folder, 'big.bin'), Buffer.alloc(SIZE, 'y'));
  const { code, stdout } = await batharon(folder, ['run', '--json']);
  expect(code).toBe(0);
  const events = stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as RunEvent);
  const told = events.filter((one): one is EventOf<'transferred'> => one.event === 'transferred');
  const down = told.filter(({ direction }) => direction === 'received');
  expect(down.length).toBeGreaterThanOrEqual(3);
  expect(down.map(({ bytes }) => bytes)).toEqual(down.map(({ bytes }) => bytes).toSorted((a, b) => a - b));
  expect(down.every(({ bytes, of, step }) => bytes <= SIZE && of === SIZE && step === 'down')).toBe(true);
  expect(told.some(({ direction, of }) => direction === 'sent' && of === SIZE)).toBe(true);
  const runs = join(folder, '.batharon/runs');
  const [run = ''] = readdirSync(runs);
  expect(readFileSync(join(runs, run, 'events.jsonl'), 'utf8')).not.toContain('transferred');

  const terminal = new WrittenTerminal(100, true);
  const view = new RunView(terminal);
  for (const event of events) view.show(event);
  expect(terminal.written).toMatch(/[━╌]{12} \d\.\d MB of 3\.0 MB received/);
});
