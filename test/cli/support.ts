import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const program = fileURLToPath(new URL('../../bin/batharon.cjs', import.meta.url));

/** Which Node.js runs the built program; `npm run prove -- nodes` takes others. */
export const NODE = process.env.BATHARON_NODE ?? process.execPath;

export interface Finished {
  readonly code: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** A temporary folder with files in it. */
export function folderWith(files: Record<string, string>): string {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-test-'));
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

/** Runs the built program in a folder, without a terminal; `during` may send it signals. */
export function batharon(
  folder: string,
  args: readonly string[],
  {
    env = {},
    input = '',
    during,
    as = {},
  }: {
    env?: NodeJS.ProcessEnv;
    input?: string;
    during?: (stderr: string, kill: (signal?: NodeJS.Signals) => void) => void;
    /** Another user than the one of the tests. */
    as?: { uid?: number; gid?: number };
  } = {},
): Promise<Finished> {
  return new Promise((resolve) => {
    const child = spawn(NODE, [program, ...args], {
      cwd: folder,
      ...as,
      env: { PATH: process.env.PATH, HOME: tmpdir(), ...env },
    });
    let [stdout, stderr] = ['', ''];
    child.stdout.on('data', (data: Buffer) => (stdout += data.toString()));
    child.stderr.on('data', (data: Buffer) => {
      stderr += data.toString();
      during?.(stderr, (signal = 'SIGINT') => void child.kill(signal));
    });
    child.on('close', (code) => resolve({ code, stdout, stderr }));
    child.stdin.end(input);
  });
}

export const PRACTICE = `services:
  kiln:
    url: practice
    as: desk
credentials:
  desk: { kind: oauth2, grant: client-credentials, token-url: "\${services.kiln.url}/token", client-id: studio-desk, client-secret: "\${secret.desk}" }
  key: { kind: header, name: Emberfold-Key, value: "\${secret.key}" }
  notices: { kind: message-signature, key-id: emberfold-notices, algorithm: hmac-sha256, key: "\${secret.notices}" }
  office: { kind: basic, user: anna, password: "\${secret.office}" }
secrets:
  desk: env KILN_DESK_SECRET
  key: env KILN_API_KEY
  office: env KILN_OFFICE_PASSWORD
  notices: env KILN_NOTICE_KEY
`;

/** Whether the program can be run at a pseudo-terminal, which \`script\` makes. */
export const HAS_TERMINAL = spawnSync('sh', ['-c', 'command -v script']).status === 0;
if (!HAS_TERMINAL) console.warn('script is not installed: what is asked at a terminal is not tested');

/** What a terminal obeys. */
const CONTROL = /\u001b\[[0-9;?]*[a-zA-Z]|\r/g;

/** Runs the built program at a terminal, and types whenever a question is seen; returns what stood on the screen. */
export function atPrompt(
  folder: string,
  words: string,
  keys: readonly (readonly [question: RegExp, typed: string])[],
  env: NodeJS.ProcessEnv = {},
): Promise<{ readonly code: number | null; readonly screen: string }> {
  return new Promise((resolve) => {
    const child = spawn('script', ['-qfec', `'${NODE}' '${program}' ${words}`, '/dev/null'], {
      cwd: folder,
      env: { PATH: process.env.PATH, HOME: tmpdir(), TERM: 'xterm', ...env },
    });
    const left = [...keys];
    let screen = '';
    let seen = 0;
    child.stdout.on('data', (data: Buffer) => {
      screen += data.toString().replace(CONTROL, '');
      const [next] = left;
      const found = next?.[0].exec(screen.slice(seen));
      if (!next || !found) return;
      seen += found.index + found[0].length;
      left.shift();
      child.stdin.write(next[1]);
    });
    child.on('close', (code) => resolve({ code, screen }));
  });
}
