// Masking: what it costs to know secrets, to add one, and to look through a text; and services that set a new cookie in each response.
import { randomBytes } from 'node:crypto';
import { Masker } from '../src/core/engine/masking/masker.ts';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import type { WireResponse } from '../src/core/ports.ts';
import { RunCookies } from '../src/io/http/cookies.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { median, print } from './measure.ts';

export async function benchMasking(): Promise<void> {
  process.stdout.write('\nmasking\n');
  for (const [known, adding, searching] of [
    [10, undefined, 8],
    [100, undefined, undefined],
    [1000, undefined, undefined],
    [10_000, 50, 60],
  ] as const)
    knowing(known, adding, searching);
  await rotatingCookies();
}

/** Tokens as they are met: JSON Web Tokens of one issuer, base64, marked hexadecimal digits. */
function secretOf(i: number): string {
  if (i % 3 === 0) return `eyJhbGciOiJIUzI1NiIsInR5cCI6IkpXVCJ9.${randomBytes(24).toString('base64url')}`;
  return i % 3 === 1 ? randomBytes(24).toString('base64') : `live_${randomBytes(16).toString('hex')}`;
}

/** A megabyte of JSON as services send it. */
function megabyte(): string {
  const items: string[] = [];
  for (let i = 0, size = 0; size < 1_000_000; i++) {
    const item = JSON.stringify({
      id: `p${1000 + i}`,
      name: `moon jar ${i}`,
      url: `https://kiln.example/v1/pieces/${i}`,
      rack: 'A3',
      cone: 6,
      glazed: i % 2 === 0,
      price: '53.00',
      made: '2026-03-01T08:00:00Z',
      note:
        i % 10 === 0 ? 'fired "twice",\nand once more' : 'fired once, and left to cool overnight in the kiln',
    });
    items.push(item);
    size += item.length;
  }
  return Buffer.from(`[${items.join(',')}]`).toString();
}

function knowing(known: number, adding: number | undefined, searching: number | undefined): void {
  const masker = new Masker();
  const secrets = Array.from({ length: known }, (_, i) => secretOf(i));
  // The code that adds is warm, as it is in a run of any length.
  const warm = new Masker();
  for (let i = 0; i < 2000; i++) warm.add(secretOf(i), 'secret x');
  const began = performance.now();
  for (const secret of secrets) masker.add(secret, 'secret x');
  const each = ((performance.now() - began) * 1000) / known;
  const text = megabyte();
  const times = Array.from({ length: 15 }, () => {
    const since = performance.now();
    masker.text(text);
    return performance.now() - since;
  });
  print(`${known} secrets known: adding one`, `${each.toFixed(1)} us`, adding ? `at most ${adding}` : '');
  print(
    `${known} secrets known: masking 1 MB`,
    `${median(times).toFixed(1)} ms`,
    searching ? `at most ${searching}` : '',
  );
}

/** 400 calls of a service that sets two new cookies in each response, against the same without. */
async function rotatingCookies(): Promise<void> {
  const { project } = readProject(
    'batharon.yaml',
    'services:\n  kiln:\n    url: https://kiln.example\n',
    undefined,
    true,
  );
  const time = async (calls: number, cookies: boolean): Promise<number> => {
    const { chain } = readChain(
      'a.chain.yaml',
      `chain: A\nsteps:\n  - each: n in range(1, ${calls})\n    steps:\n      - call: GET kiln /\${n}\n        expect: $.ok == true\n`,
      project,
    );
    const body = Buffer.from(JSON.stringify({ ok: true, text: 'x'.repeat(400) }));
    const answering = {
      send: async (): Promise<WireResponse> => {
        // As long as a service on the same machine takes with its network: 400 calls in 0.8 s.
        await new Promise((resolve) => setTimeout(resolve, 2));
        return {
          status: 200,
          headers: [
            ['content-type', 'application/json'],
            ...(cookies
              ? ([
                  ['set-cookie', `lb=${randomBytes(48).toString('base64url')}; Path=/`],
                  ['set-cookie', `session=${randomBytes(120).toString('base64url')}; Path=/; HttpOnly`],
                ] as const)
              : []),
          ],
          body,
          phases: {},
        };
      },
    };
    const ports = machinePorts(project, answering, { variables: {} });
    const began = performance.now();
    const { exit } = await run(
      chain!,
      project,
      { ...ports, cookies: new RunCookies() },
      { id: 'a', inputs: {}, signal: new AbortController().signal, emit: () => undefined },
    );
    if (exit !== 0) throw new Error(`the loop ended with ${exit}`);
    return performance.now() - began;
  };
  for (const calls of [400, 4000]) {
    const ratios: number[] = [];
    for (let i = -1; i < (calls === 400 ? 7 : 3); i++) {
      const [without, withCookies] = [await time(calls, false), await time(calls, true)];
      if (i >= 0) ratios.push(withCookies / without);
    }
    print(
      `${calls} calls with two new cookies in each response`,
      `${median(ratios).toFixed(2)}x`,
      calls === 400 ? 'at most 1.2, against none' : '',
    );
  }
}
