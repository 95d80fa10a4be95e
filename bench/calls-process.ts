// Carries out rounds of calls when it is told to, and says how long each took, in milliseconds.
import { request } from 'undici';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import type { Transport } from '../src/core/ports.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { instantTransport } from './instant.ts';

export type Round = 'chain' | 'script' | 'engine alone';

const url = process.argv[2]!;
const calls = Number(process.argv[3]);

/** What the tool sends of itself with each request. */
const SENT = { accept: '*/*', 'accept-encoding': 'gzip, deflate, br' };

const instant = instantTransport({
  pieces: Array.from({ length: 20 }, (_, i) => ({
    id: `p${1000 + i}`,
    name: `bowl ${i}`,
    glazed: i % 2 === 0,
    cone: 6,
  })),
});

const { project } = readProject('batharon.yaml', `services:\n  kiln:\n    url: ${url}\n`, undefined, true);
const step =
  '  - call: GET kiln /racks/A3/pieces\n    expect:\n      - status == 200\n      - length($.pieces) > 0\n';
const { chain } = readChain('many.chain.yaml', `chain: Many calls\nsteps:\n${step.repeat(calls)}`, project);
const http = new HttpTransport();
const ports = machinePorts(project, http, { variables: {} });
let events = 0;

async function carryOut(transport: Transport): Promise<void> {
  const { exit } = await run(
    chain!,
    project,
    { ...ports, transport },
    { id: 'bench', inputs: {}, signal: new AbortController().signal, emit: () => events++ },
  );
  if (exit !== 0) throw new Error(`the chain ended with ${exit}`);
}

async function script(): Promise<void> {
  for (let i = 0; i < calls; i++) {
    // The same request, to the byte, so that the server has the same work.
    const { statusCode, body } = await request(`${url}/racks/A3/pieces`, { headers: SENT });
    const response = (await body.json()) as { pieces: unknown[] };
    if (statusCode !== 200 || response.pieces.length === 0) throw new Error('no pieces');
  }
}

process.on('message', (what: Round) => {
  const began = performance.now();
  const work = what === 'script' ? script() : carryOut(what === 'chain' ? http : instant);
  void work.then(() => process.send!(performance.now() - began));
});
