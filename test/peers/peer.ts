import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

/** Starts a server in a process of its own; returns the first line that it prints. */
export function startPeer(
  name: string,
  args: readonly string[] = [],
): Promise<{ line: string; stop: () => void }> {
  const path = fileURLToPath(new URL(name, import.meta.url));
  const child = spawn(process.execPath, [path, ...args], { stdio: ['ignore', 'pipe', 'ignore'] });
  return new Promise((resolve, reject) => {
    let text = '';
    child.stdout.on('data', (data: Buffer) => {
      text += data.toString();
      if (text.includes('\n')) resolve({ line: text.split('\n')[0]!, stop: () => child.kill() });
    });
    child.on('exit', (code) => reject(new Error(`${name} ended with ${code}`)));
  });
}
