import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, writeFileSync } from 'node:fs';
import { type AddressInfo, connect, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** A port of this machine that nothing listens at. */
export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** When something listens at a port, at the latest after ten seconds. */
export async function isOpen(port: number): Promise<void> {
  for (let i = 0; i < 100; i++) {
    const open = await new Promise<boolean>((resolve) => {
      const socket = connect(port, '127.0.0.1', () => {
        socket.destroy();
        resolve(true);
      }).on('error', () => resolve(false));
    });
    if (open) return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`nothing listens at ${port}`);
}

export const hasTinyproxy = existsSync('/usr/bin/tinyproxy');

/** Starts tinyproxy; `more` are further lines of its configuration. */
export async function startTinyproxy(more = ''): Promise<{ address: string; child: ChildProcess }> {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-proxy-'));
  const port = await freePort();
  writeFileSync(join(folder, 'conf'), `Port ${port}\nListen 127.0.0.1\nTimeout 30\nAllow 127.0.0.1\n${more}`);
  const child = spawn('tinyproxy', ['-d', '-c', join(folder, 'conf')], { stdio: 'ignore' });
  await isOpen(port);
  return { address: `127.0.0.1:${port}`, child };
}
