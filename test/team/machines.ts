import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Redis } from 'ioredis';
import { freePort, isOpen } from '../peers/listening.ts';

const BIN = fileURLToPath(new URL('../../bin/batharon.cjs', import.meta.url));

export const hasRedis = existsSync('/usr/bin/redis-server');

/** A Redis of its own, which writes each command to disk before it answers. */
export interface TestRedis {
  readonly url: string;
  readonly port: number;
  stop(): Promise<void>;
  start(): Promise<void>;
}

export async function startRedis(): Promise<TestRedis> {
  const port = await freePort();
  const folder = mkdtempSync(join(tmpdir(), 'batharon-redis-'));
  let child: ChildProcess;
  const start = async (): Promise<void> => {
    child = spawn(
      'redis-server',
      [
        '--port',
        String(port),
        '--dir',
        folder,
        '--appendonly',
        'yes',
        '--appendfsync',
        'always',
        '--save',
        '',
      ],
      { stdio: 'ignore' },
    );
    await isOpen(port);
  };
  await start();
  return {
    url: `redis://127.0.0.1:${port}`,
    port,
    start,
    stop: () =>
      new Promise((resolve) => {
        child.once('exit', () => resolve());
        child.kill('SIGTERM');
      }),
  };
}

/** A service that counts: when calls come, and which jobs are posted how often. */
export interface Desk {
  readonly url: string;
  /** When each call came, in milliseconds. */
  readonly times: number[];
  /** How often each piece was posted, other than again with its key. */
  readonly posted: Map<string, number>;
  /** Calls that were refused. */
  refused: number;
  /** How many calls a second it takes; all without it. */
  rate: number | undefined;
  /** How long it takes over each, in milliseconds. */
  delay: number;
  /** How it answers otherwise; true where it has. */
  answer: ((request: IncomingMessage, response: ServerResponse, body: string) => boolean) | undefined;
  close(): Promise<void>;
}

export async function startDesk(): Promise<Desk> {
  const byKey = new Map<string, string>();
  const desk: Omit<Desk, 'url' | 'close'> = {
    times: [],
    posted: new Map(),
    refused: 0,
    rate: undefined,
    delay: 4,
    answer: undefined,
  };
  const server = createServer((request, response) => {
    const now = performance.now();
    const { rate } = desk;
    if (rate !== undefined) {
      const from = desk.times.findLastIndex((time) => time <= now - 1000) + 1;
      if (desk.times.length - from >= rate) {
        desk.refused++;
        response.writeHead(429, { 'retry-after': '1' }).end();
        return;
      }
    }
    desk.times.push(now);
    let body = '';
    request.on('data', (data) => (body += String(data)));
    request.on('end', () =>
      setTimeout(() => {
        if (desk.answer?.(request, response, body)) return;
        response.setHeader('content-type', 'application/json');
        if (request.method !== 'POST') {
          response.end('{"ok":true}');
          return;
        }
        const key = request.headers['idempotency-key'] as string | undefined;
        const { piece } = JSON.parse(body) as { piece: string };
        let answer = key === undefined ? undefined : byKey.get(key);
        if (answer === undefined) {
          desk.posted.set(piece, (desk.posted.get(piece) ?? 0) + 1);
          answer = JSON.stringify({ id: `job-${piece}` });
          if (key !== undefined) byKey.set(key, answer);
        }
        response.statusCode = 201;
        response.end(answer);
      }, desk.delay),
    );
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  return Object.assign(desk, {
    url: `http://127.0.0.1:${port}`,
    close: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  });
}

/** A folder with a project whose machines meet at a Redis. */
export function teamProject(
  url: string,
  files: Readonly<Record<string, string>>,
  { pace = 'none', lease = '2s', more = '', team = '' } = {},
): string {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-team-'));
  const all = {
    'batharon.yaml': `services:\n  kiln:\n    url: ${url}\n    pace: ${pace}\n${more}secrets:\n  redis: env TEAM_REDIS\n  team: env TEAM_KEY\n  desk: env TEAM_DESK\nteam:\n  redis: \${secret.redis}\n  key: \${secret.team}\n  lease: ${lease}\n${team}`,
    ...files,
  };
  for (const [name, text] of Object.entries(all)) {
    mkdirSync(join(folder, name, '..'), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

/** A run of the built program. */
export interface Started {
  readonly child: ChildProcess;
  /** What it has written so far. */
  out(): string;
  err(): string;
  readonly done: Promise<{ readonly code: number | null; readonly out: string; readonly err: string }>;
}

/** Programs that have not ended. */
const going = new Set<ChildProcess>();

export class Machines {
  readonly folder: string;
  readonly #env: NodeJS.ProcessEnv;

  constructor(folder: string, redis: Pick<TestRedis, 'url'>, env: NodeJS.ProcessEnv = {}) {
    this.folder = folder;
    this.#env = {
      PATH: process.env.PATH,
      HOME: folder,
      XDG_CONFIG_HOME: join(folder, '.config'),
      // What is compiled once is not compiled again by each of them.
      XDG_CACHE_HOME: join(tmpdir(), '.cache'),
      TEAM_REDIS: redis.url,
      TEAM_KEY: 'a key for the tests alone',
      TEAM_DESK: 'ember-desk-4Tq8',
      NO_COLOR: '1',
      CI: '1',
      ...env,
    };
  }

  /** The same team in another folder. */
  in(folder: string, env: NodeJS.ProcessEnv = {}): Machines {
    const { TEAM_REDIS: url = '' } = this.#env;
    return new Machines(folder, { url }, env);
  }

  /** The same with other variables. */
  with(env: NodeJS.ProcessEnv): Machines {
    return new Machines(this.folder, { url: this.#env.TEAM_REDIS! }, { ...this.#env, ...env });
  }

  start(...args: readonly string[]): Started {
    return this.program(BIN, ...args);
  }

  /** The same with a program of its own. */
  program(bin: string, ...args: readonly string[]): Started {
    // Where all are on one machine, and nothing else is, the service that counts comes first.
    const [command, ...before] =
      process.env.PROVE === undefined ? [process.execPath] : ['nice', '-n', '5', process.execPath];
    const child = spawn(command, [...before, bin, ...args], {
      cwd: this.folder,
      env: this.#env,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    going.add(child);
    let out = '';
    let err = '';
    child.stdout.on('data', (data) => (out += String(data)));
    child.stderr.on('data', (data) => (err += String(data)));
    const done = new Promise<Awaited<Started['done']>>((resolve) =>
      child.on('close', (code) => {
        going.delete(child);
        resolve({ code, out, err });
      }),
    );
    return { child, out: () => out, err: () => err, done };
  }

  /** Starts workers, and waits until each takes work. */
  async workers(count: number, ...args: readonly string[]): Promise<Started[]> {
    const all = Array.from({ length: count }, () => this.start('work', ...args));
    await Promise.all(all.map((one) => until(() => one.err().includes('waits for work'))));
    return all;
  }
}

/** Waits until something is so, 20 s at most. */
export async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  for (let i = 0; i < 1000; i++) {
    if (await isSo()) return;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  throw new Error('it is not so after 20 s');
}

/** Ends whatever has not ended. */
export function endAll(): void {
  for (const child of going) child.kill('SIGKILL');
  going.clear();
}

export function remove(folder: string): void {
  rmSync(folder, { recursive: true, force: true, maxRetries: 3 });
}

/** The most calls in any window of so many milliseconds. */
export function mostWithin(times: readonly number[], milliseconds: number): number {
  let most = 0;
  for (let i = 0, first = 0; i < times.length; i++) {
    while (times[i]! - times[first]! >= milliseconds) first++;
    most = Math.max(most, i - first + 1);
  }
  return most;
}

/** The names of all that is stored. */
export async function keysOf({ port }: TestRedis): Promise<string[]> {
  const redis = new Redis({ port, maxRetriesPerRequest: 1 });
  try {
    return await redis.keys('*');
  } finally {
    redis.disconnect();
  }
}

/** Empties it. */
export async function forget({ port }: TestRedis): Promise<void> {
  const redis = new Redis({ port });
  await redis.flushall();
  redis.disconnect();
}

/** All that is stored, as bytes. */
export async function dump({ port }: TestRedis): Promise<Buffer> {
  const redis = new Redis({ port });
  try {
    const parts: Buffer[] = [];
    for (const key of await redis.keys('*')) {
      parts.push(Buffer.from(key));
      const type = await redis.type(key);
      if (type === 'string') parts.push((await redis.getBuffer(key))!);
      if (type === 'hash') parts.push(...Object.values(await redis.hgetallBuffer(key)));
      if (type === 'list') parts.push(...(await redis.lrangeBuffer(key, 0, -1)));
      if (type === 'stream')
        for (const [, fields] of await redis.xrangeBuffer(key, '-', '+')) parts.push(...fields);
    }
    return Buffer.concat(parts);
  } finally {
    redis.disconnect();
  }
}
