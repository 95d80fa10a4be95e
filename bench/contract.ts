// Descriptions: how long large ones take to read, the first time and from what is stored; what holding responses to one costs.
import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { stringify } from 'yaml';
import type { Description } from '../src/core/contract/description.ts';
import { findOperation } from '../src/core/contract/find-operation.ts';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import { openDescription } from '../src/io/description/open-description.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { median, print } from './measure.ts';
import { startServer } from './start.ts';

const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));

export async function benchContract(): Promise<void> {
  try {
    reading();
    await holding();
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** A description of so many kinds of things, each with a list, a way to make one, and 18 members. */
function descriptionOf(things: number): object {
  const paths: Record<string, object> = {};
  const schemas: Record<string, object> = {};
  const types = ['string', 'integer', 'number', 'boolean'];
  for (let i = 0; i < things; i++) {
    const ref = { $ref: `#/components/schemas/Thing${i}` };
    const json = (schema: object): object => ({
      description: 'It',
      content: { 'application/json': { schema } },
    });
    schemas[`Thing${i}`] = {
      type: 'object',
      description: `A thing of kind ${i}, which stands on some shelf of the studio.`,
      required: ['member_0', 'member_1'],
      properties: Object.fromEntries([
        ...Array.from({ length: 18 }, (_, k) => [
          `member_${k}`,
          {
            type: types[k % 4],
            description: `What member ${k} of it says, in a sentence that is as long as such sentences are.`,
            ...(k % 5 === 0 ? { nullable: true } : {}),
          },
        ]),
        ['parent', { $ref: `#/components/schemas/Thing${(i + 1) % things}` }],
      ]) as object,
    };
    paths[`/things${i}`] = {
      get: {
        operationId: `listThings${i}`,
        tags: [`tag${i % 40}`],
        parameters: [{ name: 'limit', in: 'query', schema: { type: 'integer', minimum: 1 } }],
        responses: { '200': json({ type: 'array', items: ref }), '404': { description: 'None' } },
      },
      post: {
        operationId: `makeThing${i}`,
        requestBody: { required: true, content: { 'application/json': { schema: ref } } },
        responses: { '201': json(ref) },
      },
    };
  }
  return { openapi: '3.0.3', info: { title: 'Things', version: '1' }, paths, components: { schemas } };
}

function reading(): void {
  process.stdout.write('\na description, read the first time and from what is stored\n');
  const of = (description: Description): void => {
    const found = findOperation(description, 'GET', ['things7']);
    if (!('head' in found)) throw new Error('things7 is not described');
    description.operation(found.head);
  };
  for (const [name, things, write] of [
    ['json', 20, (data: object) => JSON.stringify(data, undefined, 2)],
    ['json', 200, (data: object) => JSON.stringify(data, undefined, 2)],
    ['json', 2000, (data: object) => JSON.stringify(data, undefined, 2)],
    ['yaml', 2600, (data: object) => stringify(data, { lineWidth: 0, aliasDuplicateObjects: false })],
  ] as const) {
    const path = join(folder, `${things}.${name}`);
    writeFileSync(path, write(descriptionOf(things)));
    const took = (): number => {
      const began = performance.now();
      of(openDescription(path, 'big', folder));
      return performance.now() - began;
    };
    const first = took();
    const again = median(Array.from({ length: 9 }, took));
    const size = `${(statSync(path).size / 1e6).toFixed(1)} MB of ${name.toUpperCase()}`;
    const isLarge = statSync(path).size > 9e6;
    print(`${size}, the first time`, `${first.toFixed(0)} ms`, isLarge ? '(at most 2000 ms)' : '');
    print(`${size}, from then on`, `${again.toFixed(1)} ms`, isLarge ? '(at most 100 ms)' : '');
  }
}

const CALLS = 5000;
const PAIRS = 11;

/** A loop whose responses are held to a schema of 30 members, against the same without. */
async function holding(): Promise<void> {
  process.stdout.write(
    `\na loop of ${CALLS} calls whose responses have 30 members, median of ${PAIRS} pairs\n`,
  );
  const { url, stop } = await startServer();
  const types = ['string', 'integer', 'boolean'];
  const names = Array.from({ length: 30 }, (_, i) => `member_${i}`);
  const schema = {
    type: 'object',
    required: names,
    additionalProperties: false,
    properties: Object.fromEntries(names.map((name, i) => [name, { type: types[i % 3] }])),
  };
  writeFileSync(
    join(folder, 'wide.json'),
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Wide', version: '1' },
      paths: {
        '/wide/{id}': {
          get: {
            parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
            responses: { '200': { description: 'It', content: { 'application/json': { schema } } } },
          },
        },
      },
    }),
  );
  const description = openDescription(join(folder, 'wide.json'), 'wide.json', folder);
  const read = readProject(
    'batharon.yaml',
    `services:\n  kiln: { url: "${url}", description: wide.json }\n`,
    undefined,
    true,
  );
  const project = { ...read.project, descriptions: { of: () => description } };
  const { chain } = readChain(
    'loop.chain.yaml',
    `chain: Loop
steps:
  - each: n in range(1, ${CALLS})
    at-once: 32
    steps:
      - call: GET kiln /wide/\${n}
        expect: status == 200 && $.member_1 == 1
`,
    project,
  );
  const transport = new HttpTransport();
  const ports = machinePorts(project, transport, { variables: {} });
  const took = async (contract: 'strict' | 'off'): Promise<number> => {
    const began = performance.now();
    const { exit } = await run(chain!, project, ports, {
      id: 'bench',
      inputs: {},
      signal: new AbortController().signal,
      emit: () => undefined,
      contract,
    });
    if (exit !== 0) throw new Error(`the loop ended with ${exit}`);
    return performance.now() - began;
  };
  const ratios: number[] = [];
  for (let i = -3; i < PAIRS; i++) {
    const [held, free] = [await took('strict'), await took('off')];
    if (i >= 0) ratios.push(free / held);
  }
  print(
    'calls per second, against the same without a contract',
    `${median(ratios).toFixed(2)}×`,
    '(at least 0.80×)',
  );
  await transport.close();
  stop();
}
