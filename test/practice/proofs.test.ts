// What was sent, as the practice service's own ledger tells it: how fast, how often, and that nothing is done twice.
// `npm run prove` runs these at full count.
import { afterEach, describe, expect, test } from '@jest/globals';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { run } from '../../src/core/engine/run/run.ts';
import type { RunEvent } from '../../src/core/events.ts';
import { ProblemError } from '../../src/core/problems.ts';
import { HttpTransport } from '../../src/io/http/http.ts';
import { machinePorts } from '../../src/io/machine-ports.ts';
import { type PracticeService, startPractice } from '../../src/practice/service.ts';
import { KEYS, type PracticeOptions } from '../../src/practice/state.ts';

const PROVE = process.env.PROVE !== undefined;

interface Ledger {
  readonly firings: number;
  readonly loaded: readonly { readonly piece: string; readonly taken_back: boolean }[];
  readonly requests: readonly {
    readonly at: number;
    readonly path: string;
    readonly method: string;
    readonly status: number;
  }[];
}

let practice: PracticeService | undefined;
const transports: HttpTransport[] = [];
afterEach(async () => {
  for (const transport of transports.splice(0)) await transport.close();
  await practice?.close();
  practice = undefined;
});

async function start(options: PracticeOptions): Promise<PracticeService> {
  practice = await startPractice({ rate: 100_000, burst: 100_000, ...options });
  return practice;
}

async function carryOut(
  service: PracticeService,
  text: string,
  more = '',
  signal = new AbortController().signal,
  watch: (event: RunEvent) => void = () => undefined,
): Promise<{ exit: number; events: RunEvent[] }> {
  const { project, findings: wrong } = readProject(
    'batharon.yaml',
    `services:
  kiln:
    url: ${service.url}
    as: desk
${more}credentials:
  desk: { kind: oauth2, grant: client-credentials, token-url: "\${services.kiln.url}/token", client-id: ${KEYS.client}, client-secret: "\${secret.desk}" }
secrets: { desk: env DESK }
`,
    undefined,
    true,
  );
  const { chain, findings } = readChain('proof.chain.yaml', text, project);
  if (!chain) throw new Error([...wrong, ...findings].map(({ message }) => message).join('\n'));
  const transport = new HttpTransport();
  transports.push(transport);
  const events: RunEvent[] = [];
  const { exit } = await run(
    chain,
    project,
    machinePorts(project, transport, { variables: { DESK: KEYS.clientSecret } }),
    {
      id: 'proof',
      inputs: {},
      signal,
      emit: (event) => {
        events.push(event);
        watch(event);
      },
    },
  );
  return { exit, events };
}

async function ledgerOf(service: PracticeService): Promise<Ledger> {
  return (await (await fetch(new URL('/ledger', service.url))).json()) as Ledger;
}

const loop = (calls: number, atOnce: number, step: string): string =>
  `chain: Proof\nsteps:\n  - each: n in range(1, ${calls})\n    at-once: ${atOnce}\n    when-one-fails: continue\n    steps:\n      - ${step.replaceAll('\n', '\n        ')}\n`;

test('a pace of 50 per second is kept, to the call and to the second', async () => {
  const calls = PROVE ? 500 : 100;
  const service = await start({});
  const { exit, events } = await carryOut(
    service,
    loop(calls, 10, 'call: GET kiln /racks'),
    '    pace: 50 per second\n',
  );
  const came = (await ledgerOf(service)).requests.filter(({ path }) => path === '/v1/racks');
  expect([exit, came.length]).toEqual([0, calls]);
  // A machine with much to do lets requests come in later and closer together than they were sent.
  const times = PROVE
    ? came.map(({ at }) => at)
    : events.flatMap((event) => (event.event === 'request-sent' ? [event.at] : []));
  for (const from of times)
    expect(times.filter((at) => at >= from && at < from + 1000).length).toBeLessThanOrEqual(50 + 1 + 2);
  expect(times.at(-1)! - times[0]!).toBeLessThanOrEqual((calls / 50) * 1000 * (PROVE ? 1.12 : 4));
});

test('a service that allows so many a second gets all calls answered, and refuses few', async () => {
  const [calls, rate, atOnce] = PROVE ? [200, 10, 8] : [80, 40, 8];
  const service = await start({ rate, burst: 10 });
  const { exit } = await carryOut(service, loop(calls, atOnce, 'call: GET kiln /racks'));
  const { requests } = await ledgerOf(service);
  const racks = requests.filter(({ path }) => path === '/v1/racks');
  expect([exit, racks.filter(({ status }) => status === 200).length]).toEqual([0, calls]);
  expect(racks.filter(({ status }) => status === 429).length).toBeLessThanOrEqual(atOnce + 3);
});

test('a token that ends while many requests are under way is renewed once for all of them, as often as it ends', async () => {
  // It says that it lives for 300 s, and does so for 1.5 s here: a busy machine can lose half a second.
  const service = await start({ speed: 200, tokenLife: 300 });
  const { exit, events } = await carryOut(
    service,
    loop(400, 16, 'call: GET kiln /racks'),
    '    pace: { rate: 80 per second, burst: 16 }\n',
  );
  const signIns = events.filter(({ event }) => event === 'signed-in').length;
  const failures = events.flatMap((event) =>
    event.event === 'step-ended' && event.problem ? [event.problem.message] : [],
  );
  expect([exit, failures]).toEqual([0, []]);
  expect(signIns).toBeGreaterThan(2);
  expect(signIns).toBeLessThan(20);
});

describe('whatever breaks: before, in and after the response, late, 500, 503', () => {
  /** Each run loads one piece; a service is used for so many runs as it has pieces that were not loaded. */
  async function runs(key: string): Promise<{ counts: number[]; passed: number; all: number }> {
    const all = PROVE ? 2000 : 200;
    const counts: number[] = [];
    let passed = 0;
    for (let block = 0; block * 100 < all; block++) {
      const service = await start({ moody: 0.5, speed: 300, seed: 4717 + block, tokenLife: 1e9 });
      const text = `chain: Proof
steps:
  - each: n in range(1001, 1100)
    at-once: 10
    when-one-fails: continue
    steps:
      - call: POST kiln /firings
        json: { piece: "p\${n}" }
        timeout: 200ms
        retry: { attempts: 25, wait: 1ms..5ms, retry-after: 0s, on: [no-response, 5xx] }
        ${key}
        expect: status == 202
`;
      const { events } = await carryOut(service, text);
      passed += events.filter(
        (event) => event.event === 'iteration-ended' && event.outcome === 'passed',
      ).length;
      // Late ones are carried out after the client has given up.
      await new Promise((resolve) => setTimeout(resolve, 400));
      const { loaded } = await ledgerOf(service);
      const pieces = new Map<string, number>();
      for (const { piece } of loaded) pieces.set(piece, (pieces.get(piece) ?? 0) + 1);
      for (let n = 1001; n <= 1100; n++) counts.push(pieces.get(`p${n}`) ?? 0);
      await service.close();
    }
    practice = undefined;
    return { counts, passed, all };
  }

  test('no POST is carried out twice', async () => {
    const { counts, passed, all } = await runs('');
    expect(counts).toHaveLength(all);
    expect(Math.max(...counts)).toBe(1);
    // Some met no fault, or none that could have been carried out.
    expect(passed).toBeGreaterThan(all * 0.1);
  });

  test('with a key each is carried out exactly once', async () => {
    const { counts, passed, all } = await runs('idempotency: yes');
    expect([passed, counts.filter((count) => count === 1).length]).toEqual([all, all]);
  });

  test('what the step calls repeatable may be carried out more than once', async () => {
    const { counts, passed, all } = await runs('repeatable: yes');
    expect(passed).toBe(all);
    expect(Math.max(...counts)).toBeGreaterThan(1);
  });
});

test('after an interrupted run the service holds what it passed before', async () => {
  const service = await start({});
  for (const after of PROVE ? [1, 2, 7, 20, 41, 60, 99, 130] : [7, 60]) {
    const controller = new AbortController();
    let sent = 0;
    const { exit, events } = await carryOut(
      service,
      `chain: Proof
steps:
  - each: n in range(1001, 1100)
    at-once: 5
    steps:
      - call: POST kiln /firings
        json: { piece: "p\${n}" }
        keep: { firing: $.id }
        undo:
          - call: DELETE kiln /firings/\${firing}
      - call: GET kiln /firings/\${firing}
`,
      '',
      controller.signal,
      (event) => {
        if (event.event === 'request-sent' && ++sent === after)
          controller.abort(new ProblemError({ code: 'interrupted', message: 'interrupted' }));
      },
    );
    expect(exit).toBe(130);
    const { firings, loaded } = await ledgerOf(service);
    expect([firings, loaded.length > 0]).toEqual([0, true]);
    expect(events.filter((event) => event.event === 'undo-booked').length).toBeLessThan(100);
  }
});

describe('notices', () => {
  const text = (mishap: string, when = ''): string => `chain: Proof
steps:
  - call: POST kiln /firings
    name: load
    headers: { Emberfold-Mishap: "${mishap}" }
    json: { piece: p1001, notify: "\${callback}" }
    callback: { within: 3s, signed-by: notices${when} }
    keep: { state: arrived.body.state }
  - wait: 200ms
`;
  const signed = `credentials:
  notices: { kind: message-signature, key-id: ${KEYS.noticeKeyId}, algorithm: hmac-sha256, key: "\${secret.notices}" }
`;
  const ran = async (mishap: string, key: string = KEYS.noticeKey) => {
    const service = await start({ speed: 50 });
    const { project } = readProject(
      'batharon.yaml',
      `services: { kiln: { url: "${service.url}", as: desk } }
${signed}  desk: { kind: oauth2, grant: client-credentials, token-url: "\${services.kiln.url}/token", client-id: ${KEYS.client}, client-secret: "\${secret.desk}" }
secrets: { desk: env DESK, notices: env NOTICES }
`,
      undefined,
      true,
    );
    const { chain } = readChain('proof.chain.yaml', text(mishap), project);
    const transport = new HttpTransport();
    transports.push(transport);
    const ports = machinePorts(project, transport, { variables: { DESK: KEYS.clientSecret, NOTICES: key } });
    const events: RunEvent[] = [];
    const { exit } = await run(chain!, project, ports, {
      id: 'proof',
      inputs: {},
      signal: new AbortController().signal,
      emit: (event) => events.push(event),
    });
    await ports.callbacks.close();
    return {
      exit,
      kept: events.flatMap((event) => (event.event === 'kept' ? [event.value] : [])),
      warnings: events.flatMap((event) => (event.event === 'warning' ? [event.code] : [])),
    };
  };

  test.each<[string, number, string[], string[]]>([
    ['none', 0, ['"done"'], []],
    ['early-notice', 0, ['"done"'], []],
    ['double-notice', 0, ['"done"'], ['callback-ignored']],
    ['garbled-notice', 1, [], ['callback-ignored']],
  ])('mishap %s', async (mishap, exit, kept, warnings) => {
    expect(await ran(mishap)).toEqual({ exit, kept, warnings });
  });

  test('one that is not signed with the key is refused', async () => {
    expect(await ran('none', Buffer.from('another key').toString('base64'))).toEqual({
      exit: 3,
      kept: [],
      warnings: ['not-signed'],
    });
  });
});
