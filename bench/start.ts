// Whole processes, in pairs: what a command costs besides what it is for.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { median, print } from './measure.ts';

const PAIRS = 21;
const root = process.env.BATHARON_ROOT!;
const built = process.env.BATHARON_BENCH!;

/** Node reads extra certificates at every start, which would hide what is measured. */
export function plainEnvironment(home: string): NodeJS.ProcessEnv {
  return { PATH: process.env.PATH, HOME: home, NO_COLOR: '1' };
}

/** How long a process takes, in milliseconds; one that fails is no figure. */
export function time(args: readonly string[], cwd: string, env: NodeJS.ProcessEnv): number {
  const began = performance.now();
  const { status, stderr } = spawnSync(process.execPath, args, {
    cwd,
    env,
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  if (status !== 0) throw new Error(`${args.join(' ')} exited with ${status}: ${stderr.toString()}`);
  return performance.now() - began;
}

export async function benchStart(): Promise<void> {
  process.stdout.write(`\nwhole processes, median of ${PAIRS} pairs\n`);
  const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));
  const { url, stop } = await startServer();
  const env = plainEnvironment(folder);
  const program = join(root, 'bin/batharon.cjs');
  writeFileSync(join(folder, 'batharon.yaml'), `services:\n  kiln:\n    url: ${url}\n`);
  writeFileSync(
    join(folder, 'one.chain.yaml'),
    'chain: One call\nsteps:\n  - call: GET kiln /racks/A3/pieces\n    headers: { Accept: application/json }\n    expect:\n      - status == 200\n      - length($.pieces) > 0\n',
  );
  const script = [join(built, 'script.cjs'), url];
  try {
    for (const [name, ours, theirs, bound] of [
      ['--version, against node -e 0', [program, '--version'], ['-e', '0'], 1.35],
      ['check of a small chain, against node -e 0', [program, 'check', 'one.chain.yaml'], ['-e', '0'], 2.2],
      ['run of one call, against the script', [program, 'run', 'one.chain.yaml'], script, 1.5],
    ] as const) {
      for (let i = 0; i < 2; i++) {
        time(ours, folder, env);
        time(theirs, folder, env);
      }
      const ratios: number[] = [];
      const times: number[] = [];
      for (let i = 0; i < PAIRS; i++) {
        const mine = time(ours, folder, env);
        times.push(mine);
        ratios.push(mine / time(theirs, folder, env));
      }
      print(name, `${median(ratios).toFixed(2)}×`, `(at most ${bound}×)  ${median(times).toFixed(0)} ms`);
    }
  } finally {
    stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Starts the service of the benchmarks in a process of its own. */
export async function startServer(): Promise<{ url: string; stop: () => void }> {
  const child = spawn(process.execPath, [join(built, 'server.cjs')], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const url = await new Promise<string>((resolve) =>
    child.stdout.once('data', (data: Buffer) => resolve(data.toString().trim())),
  );
  return { url, stop: () => child.kill() };
}
