// A pace over real connections, passed against a service in a process of its own that refuses what comes a millisecond early.
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, expect, test } from '@jest/globals';
import { generate } from 'selfsigned';
import type { Chain } from '../../src/core/chain/model.ts';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { run } from '../../src/core/engine/run/run.ts';
import { HttpTransport } from '../../src/io/http/http.ts';
import { machinePorts } from '../../src/io/machine-ports.ts';

const PROVE = process.env.PROVE !== undefined;
const CALLS = PROVE ? 300 : 30;
/** A machine that does much else lets requests come in later, and so closer together, than they were sent. */
const TOLERANCE = PROVE ? 1 : 30;
const RATE = PROVE ? 8 : 20;
const GAP = 1000 / RATE;

/** Counts what comes less than the gap after the last one. */
const SERVICE = `
import { createServer } from 'node:http';
import { createServer as createTls } from 'node:https';
import { createSecureServer } from 'node:http2';
import { readFileSync } from 'node:fs';
const [kind, gap, pem] = process.argv.slice(2);
let last = -Infinity;
let [got, early] = [0, 0];
const listener = (request, response) => {
  if (request.url === '/counts') return response.end(JSON.stringify({ got, early }));
  const now = performance.now();
  got++;
  if (now - last < Number(gap)) {
    early++;
    response.statusCode = 429;
  }
  last = now;
  if (kind.endsWith('close')) response.setHeader('connection', 'close');
  response.end('{}');
};
const keys = pem ? JSON.parse(readFileSync(pem, 'utf8')) : {};
const server = kind === 'h2' ? createSecureServer(keys, listener) : kind.startsWith('tls') ? createTls(keys, listener) : createServer(listener);
server.listen(0, '127.0.0.1', () => console.log(server.address().port));
`;

let child: ChildProcess | undefined;
afterEach(() => void child?.kill());

test.each(['http', 'http close', 'tls', 'tls close', 'h2'])(
  `${CALLS} calls at ${RATE} per second are never early: %s`,
  async (kind) => {
    const folder = mkdtempSync(join(tmpdir(), 'batharon-pace-'));
    const { cert, private: key } = await generate([{ name: 'commonName', value: '127.0.0.1' }], {
      keySize: 2048,
    });
    writeFileSync(join(folder, 'service.mjs'), SERVICE);
    writeFileSync(join(folder, 'keys.json'), JSON.stringify({ cert, key }));
    const pem = kind.startsWith('http') ? [] : [join(folder, 'keys.json')];
    child = spawn(process.execPath, [join(folder, 'service.mjs'), kind, String(GAP - TOLERANCE), ...pem]);
    const port = await new Promise<string>((resolve) =>
      child!.stdout!.once('data', (data: Buffer) => resolve(data.toString().trim())),
    );
    const scheme = kind.startsWith('http') ? 'http' : 'https';
    const { project } = readProject(
      join(folder, 'batharon.yaml'),
      `services:
  kiln: { url: "${scheme}://127.0.0.1:${port}", pace: ${RATE} per second, tls: { verify: no } }
  counts: { url: "${scheme}://127.0.0.1:${port}", tls: { verify: no } }
`,
      undefined,
      true,
    );
    const { chain } = readChain(
      join(folder, 'a.chain.yaml'),
      `chain: Pace
steps:
  - each: n in range(1, ${CALLS})
    at-once: 6
    steps: [ { call: GET kiln /n } ]
  - name: asked
    call: GET counts /counts
    read-as: json
results: { counts: asked.body }
`,
      project,
    );
    const carryOut = async (one: Chain) => {
      const transport = new HttpTransport();
      try {
        return await run(one, project, machinePorts(project, transport, { variables: {} }), {
          id: 'pace',
          inputs: {},
          signal: new AbortController().signal,
          emit: () => undefined,
        });
      } finally {
        await transport.close();
      }
    };
    // The first request that a process answers takes it some milliseconds more, so that the next would seem early.
    await carryOut({ ...chain!, steps: chain!.steps.slice(1), results: [] });
    const { exit, results } = await carryOut(chain!);
    const { early } = results.get('counts') as { early: number };
    // Now and then the machine itself holds a request up for longer than the margin.
    expect([exit, early <= 3, early]).toEqual([0, true, expect.any(Number)]);
  },
  600_000,
);
