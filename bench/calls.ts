// A chain of 200 calls over loopback, without start-up, against a script that does the same.
import { request } from 'undici';
import { readChain } from '../src/core/chain/read-chain.ts';
import { readProject } from '../src/core/chain/read-project.ts';
import { run } from '../src/core/engine/run.ts';
import { HttpTransport } from '../src/io/http.ts';
import { machinePorts } from '../src/io/ports.ts';
import { instantTransport } from './instant.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const CALLS = 200;
const PAIRS = 21;
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

export async function benchCalls(): Promise<void> {
  process.stdout.write(`\n${CALLS} calls one after the other, without start-up, median of ${PAIRS} pairs\n`);
  const { url, stop } = await startServer();
  const { project } = readProject('batharon.yaml', `services:\n  kiln:\n    url: ${url}\n`, undefined, true);
  const step =
    '  - call: GET kiln /racks/A3/pieces\n    expect:\n      - status == 200\n      - length($.pieces) > 0\n';
  const { chain } = readChain('many.chain.yaml', `chain: Many calls\nsteps:\n${step.repeat(CALLS)}`, project);
  const transport = new HttpTransport();
  const ports = machinePorts(project, transport, { variables: {} });
  let events = 0;
  const ours = async (): Promise<number> => {
    const began = performance.now();
    const { exit } = await run(chain!, project, ports, {
      id: 'bench',
      inputs: {},
      signal: new AbortController().signal,
      emit: () => events++,
    });
    if (exit !== 0) throw new Error(`the chain ended with ${exit}`);
    return performance.now() - began;
  };
  const theirs = async (): Promise<number> => {
    const began = performance.now();
    for (let i = 0; i < CALLS; i++) {
      // The same request, to the byte, so that the server has the same work.
      const { statusCode, body } = await request(`${url}/racks/A3/pieces`, { headers: SENT });
      const answer = (await body.json()) as { pieces: unknown[] };
      if (statusCode !== 200 || answer.pieces.length === 0) throw new Error('no pieces');
    }
    return performance.now() - began;
  };
  const ratios: number[] = [];
  const overheads: number[] = [];
  for (let i = -8; i < PAIRS; i++) {
    const [mine, script] = [await ours(), await theirs()];
    if (i < 0) continue;
    ratios.push(mine / script);
    overheads.push(((mine - script) * 1000) / CALLS);
  }
  const alone: number[] = [];
  for (let i = -20; i < PAIRS; i++) {
    const began = performance.now();
    await run(
      chain!,
      project,
      { ...ports, transport: instant },
      { id: 'bench', inputs: {}, signal: new AbortController().signal, emit: () => events++ },
    );
    if (i >= 0) alone.push(((performance.now() - began) * 1000) / CALLS);
  }
  print('against the script', `${median(ratios).toFixed(2)}×`, '(at most 1.25×)');
  print('more than the script, a step', `${median(overheads).toFixed(0)} µs`);
  print(
    'beside the request, a step (a transport that answers at once)',
    `${median(alone).toFixed(0)} µs`,
    '(at most 100 µs)',
  );
  await transport.close();
  stop();
}
