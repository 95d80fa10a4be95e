// What the transport layer costs beside plain undici: many calls at once, and a large download into a file.
import { createWriteStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Agent, request } from 'undici';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import { parseJson } from '../src/core/language/json.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const CALLS = 5000;
const AT_ONCE = 32;
const FILM = 200_000_000;

const quiet = { stopped: undefined, onStop: () => undefined, phase: () => undefined };
const SENT = { accept: '*/*', 'accept-encoding': 'gzip, deflate, br' };

/** Carries out so many calls, so many at once; returns calls a second. */
async function rate(call: () => Promise<number>): Promise<number> {
  const began = performance.now();
  let left = CALLS;
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      while (left-- > 0) if ((await call()) === 0) throw new Error('an empty body');
    }),
  );
  return CALLS / ((performance.now() - began) / 1000);
}

export async function benchTransfer(): Promise<void> {
  const { url, stop } = await startServer();
  const transport = new HttpTransport();
  const dispatcher = new Agent({ connections: AT_ONCE });
  process.stdout.write(
    `\n${CALLS} calls, ${AT_ONCE} at once, through the transport layer, median of 9 pairs\n`,
  );
  const headers = Object.entries(SENT);
  const ours = (): Promise<number> =>
    rate(
      async () => (await transport.send({ method: 'GET', url: `${url}/racks`, headers }, quiet)).body.length,
    );
  const theirs = (): Promise<number> =>
    rate(
      async () =>
        (await (await request(`${url}/racks`, { headers: SENT, dispatcher })).body.arrayBuffer()).byteLength,
    );
  const ratios: number[] = [];
  for (let i = -2; i < 9; i++) {
    const [mine, plain] = [await ours(), await theirs()];
    if (i >= 0) ratios.push(mine / plain);
  }
  print('calls a second, against plain undici', `${median(ratios).toFixed(2)}×`, '(at least 0.85×)');
  await dispatcher.destroy();
  await transport.close();

  await benchSave(url);
  stop();
  benchRead();
}

async function benchSave(url: string): Promise<void> {
  process.stdout.write(`\na download of ${FILM / 1_000_000} MB into a file, median of 5 pairs\n`);
  const folder = mkdtempSync(join(tmpdir(), 'batharon-film-'));
  const { project } = readProject(
    join(folder, 'batharon.yaml'),
    `services:\n  kiln:\n    url: ${url}\n`,
    undefined,
    true,
  );
  const { chain } = readChain(
    join(folder, 'film.chain.yaml'),
    'chain: Film\nsteps:\n  - call: GET kiln /film\n    save: film.mp4\n',
    project,
  );
  const transport = new HttpTransport();
  let most = 0;
  const ours = async (): Promise<number> => {
    globalThis.gc?.();
    const idle = process.memoryUsage().rss;
    const timer = setInterval(() => (most = Math.max(most, process.memoryUsage().rss - idle)), 5);
    const began = performance.now();
    const { exit } = await run(chain!, project, machinePorts(project, transport, { variables: {} }), {
      id: 'bench',
      inputs: {},
      signal: new AbortController().signal,
      emit: () => undefined,
    });
    const time = performance.now() - began;
    clearInterval(timer);
    if (exit !== 0 || statSync(join(folder, 'film.mp4')).size !== FILM)
      throw new Error('the film is not whole');
    return time;
  };
  const theirs = async (): Promise<number> => {
    const began = performance.now();
    const { body } = await request(`${url}/film`);
    await pipeline(body, createWriteStream(join(folder, 'plain.mp4')));
    return performance.now() - began;
  };
  const ratios: number[] = [];
  for (let i = -1; i < 5; i++) {
    const [mine, plain] = [await ours(), await theirs()];
    if (i < 0) most = 0;
    else ratios.push(mine / plain);
  }
  print('time, against undici piped to a file', `${median(ratios).toFixed(2)}×`, '(at most 1.15×)');
  print('memory above idle', `${(most / 1_000_000).toFixed(0)} MB`, '(below 60 MB)');
  await transport.close();
  rmSync(folder, { recursive: true, force: true });
}

function benchRead(): void {
  const pieces = Array.from({ length: 200_000 }, (_, i) => ({
    id: `p${i}`,
    name: `bowl number ${i}`,
    glazed: i % 2 === 0,
    cone: 6,
    rack: 'A3',
    state: 'waiting',
  }));
  const text = JSON.stringify({ pieces });
  process.stdout.write(
    `\na JSON response of ${(text.length / 1_000_000).toFixed(0)} MB, median of 7 pairs\n`,
  );
  const time = (work: () => unknown): number => {
    const began = performance.now();
    work();
    return performance.now() - began;
  };
  const ratios = Array.from({ length: 7 }, () => {
    const mine = time(() => parseJson(text));
    return mine / time(() => JSON.parse(text) as unknown);
  });
  print('reading it, against JSON.parse', `${median(ratios).toFixed(2)}×`, '(at most 2×)');
}
