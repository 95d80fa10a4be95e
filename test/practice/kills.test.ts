// A run that is killed at any moment and resumed does what an uninterrupted one does: by the ledger of the practice service,
// by its results, and by the files it writes. `npm run prove` kills 300 times.
import { spawn } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { OpenRun } from '../../src/api/open-run.ts';
import { Records } from '../../src/io/record/records.ts';
import { startPractice } from '../../src/practice/service.ts';
import { PRACTICE_VARIABLES } from '../../src/practice/state.ts';
import { folderWith, PRACTICE } from '../cli/support.ts';

const KILLS = process.env.PROVE === undefined ? 6 : 300;
/** One service has pieces for so many runs. */
const RUNS_A_SERVICE = 10;
const PIECES = 8;

const program = fileURLToPath(new URL('../../bin/batharon.cjs', import.meta.url));

interface Ledger {
  readonly loaded: readonly { readonly piece: string }[];
  readonly requests: readonly { readonly method: string; readonly path: string; readonly status: number }[];
}

/** Loads half of the pieces with a key and half without one, waits for the firings, saves certificates. */
const chain = (first: number): string => `chain: Killed and gone on with
inputs:
  day: { kind: date, default: 2026-03-01 }
steps:
  - call: POST kiln /pieces
    name: bowl
    json: { name: "bowl ${first}", glaze: celadon, rack: A3 }
    idempotency: yes
    keep: { bowl_id: $.id, began: day }
  - each: n in range(${first}, ${first + PIECES / 2 - 1})
    name: keyed
    at-once: 2
    steps:
      - call: POST kiln /firings
        name: load
        json: { piece: "p\${n}" }
        idempotency: yes
        keep: { job: $.id }
      - call: GET kiln /firings/\${job}
        name: fired
        poll: { until: $.state == 'done', every: 50ms, within: 5s }
        write:
          to: out/fired.csv
          row: { piece: "p\${n}", state: "\${$.state}" }
      - call: GET kiln /firings/\${job}/certificate
        save: out/p\${n}.png
        expect: type == 'image/png'
    gather: { pieces: fired.body.piece }
  - repeat: { until: loaded == ${PIECES / 2}, up-to: 20 }
    name: again
    start: { loaded: "0" }
    steps:
      - call: POST kiln /firings
        name: plain
        json: { piece: "p\${${first + PIECES / 2} + loaded}" }
        keep: { loaded: loaded + 1 }
        write:
          to: out/plain.jsonl
          row: { piece: "p\${${first + PIECES / 2} + index}" }
results:
  pieces: sort(pieces)
  loaded: loaded
  began: format(began + 1d, 'yyyy-MM-dd')
  piece: bowl.body.name
`;

/** What stands between the program and the service, and kills the program at a request: before, behind or after it. */
class Between {
  readonly #server: Server;
  #kill: (() => void) | undefined;
  #left = 0;
  #when: 'before' | 'behind' | 'after' = 'before';
  target = '';

  constructor() {
    this.#server = createServer((request, response) => {
      void this.#pass(request, response).catch(() => response.destroy());
    });
  }

  async listen(): Promise<string> {
    await new Promise<void>((resolve) => this.#server.listen(0, '127.0.0.1', resolve));
    return `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}/v1`;
  }

  /** Kills at one of the next POSTs. */
  arm(kill: (() => void) | undefined): void {
    this.#kill = kill;
    this.#left = 1 + Math.floor(Math.random() * 10);
    this.#when = (['before', 'behind', 'after'] as const)[Math.floor(Math.random() * 3)]!;
  }

  async #pass(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const chunks: Buffer[] = [];
    for await (const chunk of request) chunks.push(chunk as Buffer);
    const hits = request.method === 'POST' && this.#kill !== undefined && --this.#left === 0;
    if (hits && this.#when === 'before') return this.#strike(response);
    const reply = await fetch(new URL(request.url!, this.target), {
      method: request.method!,
      headers: Object.fromEntries(
        Object.entries(request.headers).filter(
          ([name]) => !/^(?:host|connection|content-length|accept-encoding)$/.test(name),
        ),
      ) as Record<string, string>,
      ...(chunks.length > 0 ? { body: Buffer.concat(chunks) } : {}),
    });
    const body = Buffer.from(await reply.arrayBuffer());
    if (hits && this.#when === 'behind') return this.#strike(response);
    response.writeHead(reply.status, {
      'content-type': reply.headers.get('content-type') ?? 'text/plain',
    });
    response.end(body);
    if (hits) setTimeout(() => this.#kill?.(), Math.random() * 5);
  }

  #strike(response: ServerResponse): void {
    this.#kill?.();
    response.destroy();
  }

  close(): void {
    this.#server.close();
    this.#server.closeAllConnections();
  }
}

/** Runs the program and kills it after so many milliseconds, unless it has ended by then. */
function start(
  folder: string,
  args: readonly string[],
  between: Between,
  killed: boolean,
): Promise<{ code: number | null; stdout: string; stderr: string }> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [program, ...args], {
      cwd: folder,
      env: {
        PATH: process.env.PATH,
        HOME: tmpdir(),
        XDG_CONFIG_HOME: join(folder, 'config'),
        ...PRACTICE_VARIABLES,
      },
    });
    const kill = (): void => void child.kill('SIGKILL');
    // Half of them at a request, half at any time.
    const atRequest = Math.random() < 0.5;
    between.arm(killed && atRequest ? kill : undefined);
    const timer = killed && !atRequest ? setTimeout(kill, 100 + Math.random() * 700) : undefined;
    let [stdout, stderr] = ['', ''];
    child.stdout.on('data', (data: Buffer) => (stdout += data.toString()));
    child.stderr.on('data', (data: Buffer) => (stderr += data.toString()));
    child.on('close', (code) => {
      clearTimeout(timer);
      resolve({ code, stdout, stderr });
    });
  });
}

test('killed and resumed, nothing is created twice, nothing is missing, and the results are the same', async () => {
  let kills = 0;
  let decided = 0;
  const between = new Between();
  const url = await between.listen();
  let service: Awaited<ReturnType<typeof startPractice>> | undefined;
  const ledger = async (): Promise<Ledger> =>
    (await (await fetch(new URL('/ledger', service!.url))).json()) as Ledger;
  try {
    for (let run = 0; kills < KILLS; run++) {
      if (run % RUNS_A_SERVICE === 0) {
        await service?.close();
        service = await startPractice({ rate: 1e6, burst: 1e6, speed: 5000, tokenLife: 1e9 });
        between.target = service.url;
      }
      const first = 1001 + (run % RUNS_A_SERVICE) * PIECES;
      const folder = folderWith({
        'batharon.yaml': PRACTICE.replace('url: practice', `url: ${url}`),
        'kill.chain.yaml': chain(first),
      });
      let args: string[] = ['run', 'kill.chain.yaml'];
      let last = '';
      let ended: Awaited<ReturnType<typeof start>> | undefined;
      for (let tries = 0; !ended; tries++) {
        expect([tries < 20, tries < 20 ? '' : last]).toEqual([true, '']);
        const one = await start(folder, args, between, tries < 4);
        last = one.stderr;
        if (one.code === null) kills++;
        else if (one.code === 2 && one.stderr.includes('may have been processed')) {
          decided++;
          args = ['resume', ...(await decisions(one.stderr, first, await ledger()))];
          continue;
        } else if (one.code === 2 && one.stderr.includes('passed, so there is nothing to go on with')) {
          // It was killed when all was done and recorded.
          const { results } = OpenRun.read(new Records(folder), new Records(folder).find('last')).run;
          const parsed = Object.entries(results).map(([name, value]) => [name, JSON.parse(value) as unknown]);
          ended = { code: 0, stderr: '', stdout: JSON.stringify(Object.fromEntries(parsed)) };
        } else ended = one;
        // Before the first event nothing has been sent.
        const told = new Records(folder).ids().length > 0;
        args = told ? ['resume'] : ['run', 'kill.chain.yaml'];
      }
      expect([ended.code, ended.stderr]).toEqual([0, ended.stderr]);
      expect(JSON.parse(ended.stdout)).toEqual({
        pieces: Array.from({ length: PIECES / 2 }, (_, i) => `p${first + i}`),
        loaded: PIECES / 2,
        began: '2026-03-02',
        piece: `bowl ${first}`,
      });
      const { loaded } = await ledger();
      for (let n = first; n < first + PIECES; n++)
        expect([`p${n}`, loaded.filter(({ piece }) => piece === `p${n}`).length]).toEqual([`p${n}`, 1]);
      const files = readdirSync(join(folder, 'out')).filter((name) => name.endsWith('.png'));
      expect(files.sort()).toEqual(Array.from({ length: PIECES / 2 }, (_, i) => `p${first + i}.png`));
      const rows = (name: string): string[] =>
        readFileSync(join(folder, 'out', name), 'utf8')
          .trimEnd()
          .split('\n');
      const [head, ...fired] = rows('fired.csv');
      expect([head, ...fired.sort()]).toEqual([
        'piece,state',
        ...Array.from({ length: PIECES / 2 }, (_, i) => `p${first + i},done`),
      ]);
      expect(rows('plain.jsonl')).toEqual(
        Array.from({ length: PIECES / 2 }, (_, i) => `{"piece":"p${first + PIECES / 2 + i}"}`),
      );
    }
  } finally {
    between.close();
    await service?.close();
  }
  process.stderr.write(`killed ${kills} times; ${decided} times it had to be said what had been processed\n`);
}, 1_500_000);

/** What a person would look up at the service: whether the piece was loaded. */
async function decisions(stderr: string, first: number, { loaded }: Ledger): Promise<string[]> {
  const [, address, iteration] = /^unknown (\S+\[(\d+)\]\.plain)$/m.exec(stderr)!;
  const piece = `p${first + PIECES / 2 + Number(iteration)}`;
  const done = loaded.some((one) => one.piece === piece);
  return Promise.resolve([
    'last',
    done ? '--sent' : '--not-sent',
    address!,
    ...(done ? ['--give', `loaded=${Number(iteration) + 1}`] : []),
  ]);
}
