// Loops: many calls at once against a script of undici; a million iterations; a poll of a thousand jobs.
import { appendFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { request } from 'undici';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { startPractice } from '../src/practice/service.ts';
import { KEYS } from '../src/practice/state.ts';
import { instantTransport } from './instant.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const CALLS = 5000;
const AT_ONCE = 32;
const PAIRS = 15;
const SENT = { accept: '*/*', 'accept-encoding': 'gzip, deflate, br' };

export async function benchLoops(): Promise<void> {
  await manyAtOnce();
  await millionIterations();
  await thousandJobs();
}

/** A loop with a number of iterations at once, against a hand-written one with the same assertion. */
async function manyAtOnce(): Promise<void> {
  process.stdout.write(`\na loop of ${CALLS} calls, ${AT_ONCE} at once, median of ${PAIRS} pairs\n`);
  const { url, stop } = await startServer();
  const { project } = readProject('batharon.yaml', `services:\n  kiln:\n    url: ${url}\n`, undefined, true);
  const { chain } = readChain(
    'loop.chain.yaml',
    `chain: Loop
steps:
  - each: n in range(1, ${CALLS})
    at-once: ${AT_ONCE}
    steps:
      - call: GET kiln /racks/A3/pieces
        expect: status == 200 && length($.pieces) > 0
`,
    project,
  );
  const transport = new HttpTransport();
  const ports = machinePorts(project, transport, { variables: {} });
  const ours = async (): Promise<number> => {
    const began = performance.now();
    const { exit } = await run(chain!, project, ports, options());
    if (exit !== 0) throw new Error(`the loop ended with ${exit}`);
    return performance.now() - began;
  };
  const theirs = async (): Promise<number> => {
    const began = performance.now();
    let next = 0;
    const lane = async (): Promise<void> => {
      while (next++ < CALLS) {
        const { statusCode, body } = await request(`${url}/racks/A3/pieces`, { headers: SENT });
        const response = (await body.json()) as { pieces: unknown[] };
        if (statusCode !== 200 || response.pieces.length === 0) throw new Error('no pieces');
      }
    };
    await Promise.all(Array.from({ length: AT_ONCE }, lane));
    return performance.now() - began;
  };
  const ratios: number[] = [];
  for (let i = -4; i < PAIRS; i++) {
    const [mine, script] = [await ours(), await theirs()];
    if (i >= 0) ratios.push(script / mine);
  }
  print(
    'calls per second against the script',
    `${median(ratios).toFixed(2)}×`,
    '(at least 0.7×; the target is 0.85×)',
  );
  await transport.close();
  stop();
}

function options(inputs: Record<string, string> = {}): Parameters<typeof run>[3] {
  return { id: 'bench', inputs, signal: new AbortController().signal, emit: () => undefined };
}

const instant = instantTransport({ id: 'p1001', state: 'waiting' });

/** Iterations over the rows of a file, with a transport that answers at once. */
async function millionIterations(): Promise<void> {
  process.stdout.write('\nturns over the rows of a CSV file, a transport that answers at once\n');
  const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));
  const { project } = readProject(
    join(folder, 'batharon.yaml'),
    'services:\n  kiln:\n    url: http://127.0.0.1:9\n',
    undefined,
    true,
  );
  const { chain } = readChain(
    join(folder, 'rows.chain.yaml'),
    `chain: Rows
inputs:
  pieces: { kind: rows }
steps:
  - each: row in pieces
    up-to: 1000000
    steps:
      - call: GET kiln /pieces/\${row.id}
        expect: $.state == 'waiting'
`,
    project,
  );
  const ports = { ...machinePorts(project, instant, { variables: {} }), transport: instant };
  const carryOut = async (rows: number): Promise<{ micros: number; memory: number }> => {
    const path = join(folder, `${rows}.csv`);
    writeFileSync(path, 'id,rack\n');
    // In pieces, so that the file that is written is not what is measured.
    for (let i = 0; i < rows; i += 1000)
      appendFileSync(path, Array.from({ length: 1000 }, (_, n) => `p${i + n},A3\n`).join(''));
    global.gc?.();
    let most = 0;
    const watching = setInterval(() => {
      most = Math.max(most, process.memoryUsage().rss);
    }, 50);
    const began = performance.now();
    const { exit } = await run(chain!, project, ports, options({ pieces: path }));
    const micros = ((performance.now() - began) * 1000) / rows;
    clearInterval(watching);
    if (exit !== 0) throw new Error(`the rows ended with ${exit}`);
    return { micros, memory: Math.max(most, process.memoryUsage().rss) };
  };
  await carryOut(10_000);
  const few = [await carryOut(10_000), await carryOut(10_000), await carryOut(10_000)];
  const many = await carryOut(1_000_000);
  print('an iteration', `${many.micros.toFixed(0)} µs`, '(at most 60 µs)');
  print(
    'memory of 1,000,000 iterations, more than of 10,000',
    `${Math.max(0, (many.memory - Math.max(...few.map(({ memory }) => memory))) / 1e6).toFixed(0)} MB`,
    '(at most 40 MB)',
  );
  rmSync(folder, { recursive: true });
}

/** A poll of many jobs at once: when the run ends, beside when the last job does. */
async function thousandJobs(): Promise<void> {
  const JOBS = 1000;
  const INTERVAL = 1000;
  process.stdout.write(`\na poll of ${JOBS} jobs at once, every ${INTERVAL / 1000} s\n`);
  const practice = await startPractice({ speed: 5, rate: 100_000, burst: 100_000 });
  const { project } = readProject(
    'batharon.yaml',
    `services:
  kiln: { url: "${practice.url}", as: desk }
credentials:
  desk: { kind: oauth2, grant: client-credentials, token-url: "\${services.kiln.url}/token", client-id: ${KEYS.client}, client-secret: "\${secret.desk}" }
secrets: { desk: env KILN_DESK_SECRET }
`,
    undefined,
    true,
  );
  const { chain } = readChain(
    'jobs.chain.yaml',
    `chain: Jobs
steps:
  - call: GET kiln /pieces
    query: { limit: 1 }
    keep: { piece: "$.pieces[0].id" }
  - each: n in range(1, ${JOBS})
    at-once: ${JOBS}
    steps:
      - call: POST kiln /firings
        json: { piece: "\${piece}", cone: 1 }
        expect: status == 202
        keep: { firing: $.id }
      - call: GET kiln /firings/\${firing}
        poll: { until: $.state == 'done', every: ${INTERVAL}ms, within: 1m }
`,
    project,
  );
  const transport = new HttpTransport();
  const ports = machinePorts(project, transport, { variables: { KILN_DESK_SECRET: KEYS.clientSecret } });
  let lastLoaded = 0;
  const { exit } = await run(chain!, project, ports, {
    ...options(),
    emit: (event) => {
      if (event.event === 'response-received' && event.status === 202) lastLoaded = event.at;
    },
  });
  if (exit !== 0) throw new Error(`the jobs ended with ${exit}`);
  // A firing takes 15 s of the service's time.
  const late = Date.now() - (lastLoaded + 15_000 / 5);
  print('the end of the run after that of the last job', `${late.toFixed(0)} ms`, `(at most ${INTERVAL} ms)`);
  await transport.close();
  await practice.close();
}
