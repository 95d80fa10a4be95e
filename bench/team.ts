// What it costs to give the iterations of a loop to workers, and what that takes in memory: of the machine that gives them, and of Redis.
import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Redis } from 'ioredis';
import { print } from './measure.ts';

const BIN = join(process.env.BATHARON_ROOT!, 'bin/batharon.cjs');
const SIZES = [10_000, 100_000, 1_000_000];
const WORKERS = 4;

/** A project in a folder of its own, whose machines meet at a Redis of its own. */
export interface BenchTeam {
  readonly folder: string;
  readonly redis: Redis;
  start(...args: readonly string[]): ChildProcess;
  workers(count: number): Promise<() => void>;
  stop(): void;
}

export const hasRedisServer = existsSync('/usr/bin/redis-server');

export async function startTeam(
  service: string,
  files: Readonly<Record<string, string>>,
): Promise<BenchTeam> {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-team-'));
  const port = await freePort();
  const server = spawn('redis-server', ['--port', String(port), '--save', '', '--dir', folder], {
    stdio: 'ignore',
  });
  const redis = new Redis({ port, maxRetriesPerRequest: null, retryStrategy: () => 50 });
  redis.on('error', () => undefined);
  await redis.ping();
  const project = `services:\n  kiln: { url: "${service}", pace: { rate: 400 per second, burst: 10 } }\nsecrets: { team: env TEAM_KEY }\nteam: { redis: "redis://127.0.0.1:${port}", key: "\${secret.team}" }\n`;
  for (const [name, text] of Object.entries({ 'batharon.yaml': project, ...files }))
    writeFileSync(join(folder, name), text);
  const env = { ...process.env, TEAM_KEY: 'a key for the bench alone', CI: '1', NO_COLOR: '1' };
  const start = (...args: readonly string[]): ChildProcess =>
    spawn(process.execPath, [BIN, ...args], { cwd: folder, env, stdio: ['ignore', 'ignore', 'pipe'] });
  return {
    folder,
    redis,
    start,
    workers: async (count) => {
      const all = Array.from({ length: count }, () => start('work'));
      await Promise.all(all.map((one) => new Promise((resolve) => one.stderr!.once('data', resolve))));
      // Their first beat.
      await new Promise((resolve) => setTimeout(resolve, 1500));
      return () => {
        for (const one of all) one.kill('SIGKILL');
      };
    },
    stop: () => {
      redis.disconnect();
      server.kill('SIGKILL');
      rmSync(folder, { recursive: true, force: true, maxRetries: 3 });
    },
  };
}

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** A loop that costs nothing but its being given away. */
export const SWEEP = `chain: Sweep
inputs:
  rows: { kind: rows, default: rows.csv }
steps:
  - each: row in rows
    spread: 500
    up-to: 2000000
    steps:
      - name: look
        keep: { piece: row.name }
`;

export async function benchTeam(): Promise<void> {
  process.stdout.write(`\nwork spread over ${WORKERS} workers on this machine, in blocks of 500\n`);
  if (!hasRedisServer) {
    process.stdout.write('  skipped: redis-server is not installed\n');
    return;
  }
  const team = await startTeam('http://127.0.0.1:9', { 'sweep.chain.yaml': SWEEP });
  try {
    const stop = await team.workers(WORKERS);
    for (const size of SIZES) await benchRows(team, size);
    stop();
  } finally {
    team.stop();
  }
}

async function benchRows(team: BenchTeam, rows: number): Promise<void> {
  const { folder, redis } = team;
  const lines = Array.from({ length: rows }, (_, i) => `${i},piece-${i}`);
  writeFileSync(join(folder, 'rows.csv'), `id,name\n${lines.join('\n')}\n`);
  lines.length = 0;
  const alone = await timed(team.start('run', 'sweep.chain.yaml'));
  await redis.config('RESETSTAT');
  let most = 0;
  const timer = setInterval(() => {
    void redis
      .info('memory')
      .then((text) => (most = Math.max(most, Number(/used_memory:(\d+)/.exec(text)![1]))));
  }, 200);
  const spread = await timed(team.start('run', 'sweep.chain.yaml', '--spread'));
  clearInterval(timer);
  const each = ((spread.time - alone.time) * 1000) / rows;
  print(`${rows} rows: cost of an iteration, in microseconds`, each.toFixed(1), '(at most 60)');
  print(
    '  the giver, above one that gives nothing',
    `${((spread.memory - alone.memory) / 1e6).toFixed(0)} MB`,
  );
  print('  Redis, at most', `${(most / 1e6).toFixed(1)} MB`);
}

/** How long a process takes, and how much memory at most, in bytes. */
function timed(child: ChildProcess): Promise<{ time: number; memory: number }> {
  const began = performance.now();
  let memory = 0;
  const timer = setInterval(() => {
    try {
      const kilobytes = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid!}/status`, 'utf8'))?.[1];
      memory = Math.max(memory, Number(kilobytes ?? 0) * 1024);
    } catch {
      // it has ended
    }
  }, 50);
  return new Promise((resolve, reject) => {
    let said = '';
    child.stderr!.on('data', (data) => (said += String(data)));
    child.on('close', (code) => {
      clearInterval(timer);
      if (code === 0) resolve({ time: performance.now() - began, memory });
      else reject(new Error(`it ended with ${code}: ${said.slice(-500)}`));
    });
  });
}
