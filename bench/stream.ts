// What an item of a stream costs beside a script that reads the same events, and the memory that a long stream takes.
import { createParser } from 'eventsource-parser';
import { request } from 'undici';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const SIZES = [10_000, 100_000, 1_000_000];

export async function benchStream(): Promise<void> {
  const { url, stop } = await startServer();
  process.stdout.write('\na stream of server-sent events, median of 3 pairs\n');
  try {
    for (const events of SIZES) await benchSize(url, events);
  } finally {
    stop();
  }
}

async function benchSize(url: string, events: number): Promise<void> {
  const ratios: number[] = [];
  const times: number[] = [];
  let most = 0;
  for (let i = 0; i < 3; i++) {
    const { memory, time } = await ours(url, events);
    most = Math.max(most, memory);
    times.push(time);
    ratios.push(time / (await theirs(url, events)));
  }
  const each = (median(times) * 1000) / events;
  print(`${events} events: an item, in microseconds`, each.toFixed(1), '(at most 10)');
  print('  against a script of undici and the same parser', `${median(ratios).toFixed(2)}×`);
  print('  memory above idle', `${(most / 1_000_000).toFixed(0)} MB`, '(below 100 MB)');
}

async function ours(url: string, events: number): Promise<{ time: number; memory: number }> {
  const { project } = readProject('batharon.yaml', `services:\n  kiln:\n    url: ${url}\n`, undefined, true);
  const { chain } = readChain(
    'stream.chain.yaml',
    `chain: Stream
steps:
  - call: GET kiln /events?n=${events}
    read-as: events
    stream:
      until: item.id == '${events}'
      up-to: ${events}
      newest: 100
    expect: received == ${events}
`,
    project,
  );
  const transport = new HttpTransport();
  globalThis.gc?.();
  const idle = process.memoryUsage().rss;
  let memory = 0;
  const timer = setInterval(() => (memory = Math.max(memory, process.memoryUsage().rss - idle)), 5);
  const began = performance.now();
  const { exit } = await run(chain!, project, machinePorts(project, transport, { variables: {} }), {
    id: 'bench',
    inputs: {},
    signal: new AbortController().signal,
    emit: () => undefined,
  });
  const time = performance.now() - began;
  clearInterval(timer);
  await transport.close();
  if (exit !== 0) throw new Error('the stream was not read whole');
  return { time, memory };
}

async function theirs(url: string, events: number): Promise<number> {
  const began = performance.now();
  let last: string | undefined;
  let received = 0;
  const parser = createParser({
    onEvent: ({ id }) => {
      received++;
      last = id;
    },
  });
  const { body } = await request(`${url}/events?n=${events}`);
  const decoder = new TextDecoder();
  for await (const chunk of body) parser.feed(decoder.decode(chunk as Uint8Array, { stream: true }));
  if (received !== events || last !== String(events)) throw new Error('the stream was not read whole');
  return performance.now() - began;
}
