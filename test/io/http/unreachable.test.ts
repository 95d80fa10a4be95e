// A service that no connection comes about with: the command ends when the run does.
import { spawn } from 'node:child_process';
import { connect, type Socket } from 'node:net';
import { afterAll, expect, test } from '@jest/globals';
import { batharon, folderWith } from '../../cli/support.ts';

const children: ReturnType<typeof spawn>[] = [];
const sockets: Socket[] = [];
afterAll(() => {
  for (const socket of sockets) socket.destroy();
  for (const child of children) child.kill('SIGKILL');
});

/** A port whose queue of connections is full, so that the system responses no further one. */
async function fullPort(): Promise<number> {
  const child = spawn(
    process.execPath,
    [
      '-e',
      `const server = require('node:net').createServer();
       server.listen({ port: 0, host: '127.0.0.1', backlog: 1 }, () => {
         require('node:fs').writeSync(1, String(server.address().port) + '\\n');
         Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0);
       });`,
    ],
    { stdio: ['ignore', 'pipe', 'ignore'] },
  );
  children.push(child);
  const port = await new Promise<number>((resolve) =>
    child.stdout.once('data', (data: Buffer) => resolve(Number(data.toString()))),
  );
  for (let i = 0; i < 8; i++) sockets.push(connect(port, '127.0.0.1').on('error', () => undefined));
  await new Promise((resolve) => setTimeout(resolve, 300));
  return port;
}

test('a connection that does not come about holds up neither the run nor its end', async () => {
  const port = await fullPort();
  const folder = folderWith({
    'a.chain.yaml': `chain: A\nsteps:\n  - call: GET http://127.0.0.1:${port}/a\n    timeout: 1s\n`,
  });
  const began = Date.now();
  const { code, stderr } = await batharon(folder, ['run']);
  expect([code, stderr]).toEqual([3, expect.stringContaining('no response within 1s')]);
  expect(Date.now() - began).toBeLessThan(10_000);
}, 30_000);
