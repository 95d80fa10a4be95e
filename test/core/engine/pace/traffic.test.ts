// Retries, waits that a service asks for, pace, polls, pages and callbacks: on a virtual clock.
import { describe, expect, test } from '@jest/globals';
import { rateLeft, retryAfterIn } from '../../../../src/core/engine/pace/retry-after.ts';
import type { RunEvent } from '../../../../src/core/events.ts';
import type { ArrivedRequest, Callbacks, HeaderList, Ledger, Transport } from '../../../../src/core/ports.ts';
import { ProblemError } from '../../../../src/core/problems.ts';
import { bodyText, KILN, plain, type Reply, runChain, type RunSetting, VirtualClock } from '../support.ts';

const project = KILN;
const one = (keys: string): string => `chain: Test\nsteps:\n  - call: ${keys.replaceAll('\n', '\n    ')}\n`;
const waits = (events: RunEvent[]): (string | number)[][] =>
  events.flatMap((event) => (event.event === 'waiting' ? [[event.why, event.for]] : []));
const problems = (events: RunEvent[]): unknown[] =>
  events.flatMap((event) => (event.event === 'step-ended' && event.problem ? [event.problem.code] : []));

describe('retry', () => {
  test.each<[string, string, Reply[], number, number]>([
    ['a 503 twice', 'GET kiln /a\nretry: { wait: 1s }', [{ status: 503 }, { status: 502 }, {}], 0, 3],
    [
      'no longer than it says',
      'GET kiln /a\nretry: { attempts: 2 }',
      [{ status: 500 }, { status: 500 }],
      1,
      2,
    ],
    ['nothing without retry', 'GET kiln /a', [{ status: 500 }], 1, 1],
    ['no response', 'GET kiln /a\nretry: {}', [{ fails: 'connection-reset' }, {}], 0, 2],
    ['an unknown host stays one', 'GET kiln /a\nretry: {}', [{ fails: 'unknown-host' }], 3, 1],
    ['only what on names', 'GET kiln /a\nretry: { on: [503] }', [{ status: 500 }], 1, 1],
    [
      'what when says',
      "GET kiln /a\nretry: { when: $.state == 'busy' }",
      [{ json: '{"state": "busy"}' }, {}],
      0,
      2,
    ],
    ['a POST not after 500', 'POST kiln /a\nretry: {}', [{ status: 500 }], 1, 1],
    ['a POST not after a reset', 'POST kiln /a\nretry: {}', [{ fails: 'connection-reset' }], 3, 1],
    ['a POST that was refused', 'POST kiln /a\nretry: {}', [{ fails: 'connection-refused' }, {}], 0, 2],
    ['a POST after 429', 'POST kiln /a', [{ status: 429, headers: [['retry-after', '2']] }, {}], 0, 2],
    ['a POST not after 503', 'POST kiln /a', [{ status: 503, headers: [['retry-after', '2']] }], 1, 1],
    ['a POST that is repeatable', 'POST kiln /a\nretry: {}\nrepeatable: yes', [{ status: 500 }, {}], 0, 2],
  ])('%s', async (_, keys, replies, exit, sent) => {
    const ran = await runChain(
      one(keys),
      (_request, nth) => ({ json: '{"state": "done"}', ...replies[nth] }),
      {
        project,
      },
    );
    expect([ran.exit, ran.sent.length]).toEqual([exit, sent]);
  });

  test('waits longer each time, and a little more by chance; one key goes with each attempt', async () => {
    const { events, sent, exit } = await runChain(
      one(
        'POST kiln /jobs\njson: { a: 1 }\nidempotency: yes\nretry: { attempts: 5, wait: 1s..3s }\nexpect: attempts == 5',
      ),
      (_, nth) => (nth < 4 ? { status: 500 } : { json: '{}' }),
      { project },
    );
    expect(exit).toBe(0);
    // Chance gives 0.5 here, so an eighth is added.
    expect(waits(events)).toEqual([
      ['retry', 1125],
      ['retry', 2250],
      ['retry', 3375],
      ['retry', 3375],
    ]);
    const keys = new Set(
      sent.map(({ headers }) => headers.find(([name]) => name === 'Idempotency-Key')?.[1]),
    );
    expect([...keys]).toEqual([expect.stringMatching(/^"[0-9a-f]{8}-[0-9a-f]{4}-4/)]);
  });

  test('says why a POST was not sent again', async () => {
    const { of } = await runChain(one('POST kiln /a\nretry: {}'), () => ({ status: 502 }), { project });
    expect(of('warning')).toEqual([
      expect.objectContaining({
        code: 'not-sent-again',
        message: expect.stringContaining('idempotency: yes') as unknown,
      }),
    ]);
  });
});

describe('what a service says', () => {
  const at = Date.UTC(2026, 2, 1);
  const fields = (text: string): HeaderList =>
    text.split('\n').map((line) => line.split(': ') as [string, string]);
  test.each<[string, number | undefined]>([
    ['retry-after: 12', 12_000],
    ['retry-after: Sun, 01 Mar 2026 00:00:30 GMT', 30_000],
    // The service's clock is an hour ahead of ours.
    ['retry-after: Sun, 01 Mar 2026 01:00:30 GMT\ndate: Sun, 01 Mar 2026 01:00:00 GMT', 30_000],
    ['retry-after: Sun, 01 Mar 2020 00:00:00 GMT', 0],
    ['retry-after: soon', undefined],
  ])('%s', (text, wait) => {
    expect(retryAfterIn(fields(text), at)).toBe(wait);
  });
  test.each<[string, number, number]>([
    ['ratelimit: "burst";r=3;t=5, "day";r=900;t=4000', 3, 5000],
    ['ratelimit: limit=10, remaining=4, reset=7\nratelimit-remaining: 4\nratelimit-reset: 7', 4, 7000],
    ['x-ratelimit-remaining: 0\nx-ratelimit-reset: 30', 0, 30_000],
    [`x-ratelimit-remaining: 2\nx-ratelimit-reset: ${at / 1000 + 9}`, 2, 9000],
    [`x-rate-limit-remaining: 2\nx-rate-limit-reset: ${at + 9000}`, 2, 9000],
  ])('%s', (text, requests, resets) => {
    expect(rateLeft(fields(text), at)).toEqual({ requests, resets });
  });

  test('429 and 503 are waited for as told, up to a bound in all', async () => {
    const busy: Reply = { status: 503, headers: [['retry-after', '20']] };
    const { exit, events, of } = await runChain(
      one('GET kiln /a'),
      (_, nth) => (nth < 2 ? busy : { json: '{}' }),
      {
        project,
      },
    );
    expect([exit, waits(events).filter(([why]) => why === 'retry-after')]).toEqual([
      0,
      [
        ['retry-after', 20_000],
        ['retry-after', 20_000],
      ],
    ]);
    expect(of('run-ended')[0]!.elapsed).toBe(40_000);
    const never = await runChain(one('GET kiln /a'), () => busy, { project });
    expect([never.exit, never.sent.length, problems(never.events)]).toEqual([3, 4, ['retry-after-too-long']]);
    const hour = await runChain(
      one('GET kiln /a'),
      () => ({ status: 429, headers: [['retry-after', '3600']] }),
      {
        project,
      },
    );
    expect([hour.exit, hour.sent.length]).toEqual([3, 1]);
    expect(hour.of('step-ended')[0]!.problem!.message).toContain(
      'asked to retry after 1h (Retry-After: 3600)',
    );
    const wanted = await runChain(one('GET kiln /a\nexpect: status == 429'), () => ({ status: 429 }), {
      project,
    });
    expect([wanted.exit, wanted.sent.length]).toEqual([0, 1]);
  });

  test('naming retry-after alone changes nothing else, and 0s takes the response as it is', async () => {
    const asked = async (method: string, retry: string, reply: Reply) => {
      const { exit, sent, events, of } = await runChain(
        `chain: Test\nsteps:\n  - call: ${method} kiln /a\n    retry: ${retry}\n`,
        (_, nth) => (nth < 6 ? reply : { json: '{}' }),
        { project },
      );
      return [
        exit,
        sent.length,
        waits(events).map(([, wait]) => wait),
        of('warning').map(({ code }) => code),
      ];
    };
    const broken: Reply = { status: 500 };
    expect(await asked('GET', '{ retry-after: 10m }', broken)).toEqual([1, 1, [], []]);
    expect(await asked('GET', '{ retry-after: 10m }', { fails: 'connection-reset' })).toEqual([3, 1, [], []]);
    const busy: Reply = { status: 429, headers: [['retry-after', '30']] };
    expect(await asked('POST', '{ retry-after: 10m }', busy)).toEqual([0, 7, Array(6).fill(30_000), []]);
    expect(await asked('POST', '{ retry-after: 0s }', busy)).toEqual([1, 1, [], []]);
    expect(await asked('GET', '{ retry-after: 0s, attempts: 4 }', busy)).toEqual([1, 1, [], []]);
    // A service that does not say when is asked ever more rarely.
    expect(await asked('POST', '{ retry-after: 10m }', { status: 429 })).toEqual([
      0,
      7,
      [1000, 2000, 4000, 8000, 16_000, 32_000],
      [],
    ]);
    // It may have been processed, and that it is not sent again is said.
    const away: Reply = { status: 503, headers: [['retry-after', '1']] };
    expect(await asked('POST', '{ retry-after: 10m }', away)).toEqual([1, 1, [], ['not-sent-again']]);
  });

  test('waits for rate-limit fields are said, and one that is long in coming is not waited for', async () => {
    const asked = async (reset: number) => {
      const { events, of } = await runChain(
        'chain: Test\nsteps:\n  - call: GET kiln /a\n  - call: GET kiln /b\n',
        () => ({ json: '{}', headers: [['ratelimit', `"all";r=0;t=${reset}`]] }),
        { project },
      );
      const said = events.flatMap((event) => (event.event === 'waiting' ? [[event.why, event.note]] : []));
      return [said, of('run-ended')[0]!.elapsed, of('request-sent').map(({ delayed }) => delayed)];
    };
    expect(await asked(2)).toEqual([
      [['retry-after', 'its rate-limit fields']],
      2000,
      [undefined, undefined],
    ]);
    expect(await asked(75)).toEqual([[], 0, [undefined, undefined]]);
  });

  test('the whole service is left alone, and one request goes first afterwards', async () => {
    const times: number[] = [];
    const clock = new VirtualClock();
    const { exit } = await runChain(
      `chain: Test\nsteps:\n  - each: n in range(1, 12)\n    at-once: 4\n    steps:\n      - call: GET kiln /\${n}\n`,
      (_, nth) => {
        times.push(clock.elapsed());
        return nth === 0
          ? { status: 429, headers: [['retry-after', '5']], after: 10 }
          : { json: '{}', after: 10 };
      },
      { project, ports: { clock } },
    );
    expect(exit).toBe(0);
    expect(times.slice(0, 4)).toEqual([0, 0, 0, 0]);
    expect(times.slice(4).every((time) => time >= 5010)).toBe(true);
    expect(times.filter((time) => time === times[4])).toHaveLength(1);
  });
});

/** A service with a token bucket, as many have: so many a second, and so many at the same moment. */
function bucketed(
  clock: VirtualClock,
  rate: number,
  burst: number,
  tells: boolean,
): { script: () => Reply; refused: () => number } {
  let tokens = burst;
  let at = 0;
  let refused = 0;
  return {
    refused: () => refused,
    script: () => {
      const now = clock.elapsed();
      tokens = Math.min(burst, tokens + ((now - at) * rate) / 1000);
      at = now;
      if (tokens < 1) {
        refused++;
        return { status: 429, headers: [['retry-after', '1']], after: 20 };
      }
      tokens--;
      const left = Math.floor(tokens);
      return {
        json: '{}',
        after: 20,
        headers: tells ? [['ratelimit', `"burst";r=${left};t=${left > 0 ? 0 : 1}`]] : [],
      };
    },
  };
}

describe('pace', () => {
  const loop = (calls: number, atOnce: number): string =>
    `chain: Test\nsteps:\n  - each: n in range(1, ${calls})\n    at-once: ${atOnce}\n    steps:\n      - call: GET kiln /\${n}\n`;

  test.each([1, 5])(
    '50 per second with a burst of %i: never more in any second, and as fast as that',
    async (burst) => {
      const clock = new VirtualClock();
      const times: number[] = [];
      const { exit } = await runChain(
        loop(500, 20),
        (_, nth) => {
          times.push(clock.elapsed());
          return { json: '{}', after: nth % 40 };
        },
        { project: `${KILN}    pace: { rate: 50 per second, burst: ${burst} }\n`, ports: { clock } },
      );
      expect([exit, times.length]).toEqual([0, 500]);
      // So many may go at the same moment; from then on one at a time.
      for (const from of times)
        expect(times.filter((time) => time >= from && time < from + 1000).length).toBeLessThanOrEqual(
          50 + burst - 1,
        );
      if (burst === 1)
        for (const [i, time] of times.slice(1).entries()) expect(time - times[i]!).toBeGreaterThanOrEqual(20);
      expect(times.at(-1)! - times[0]!).toBeLessThanOrEqual((500 / 50) * 1000 * 1.04);
    },
  );

  /** A transport over connections that take some time to come about, and a service that refuses what comes early. */
  function strictly(clock: VirtualClock, gap: number, chance: () => number) {
    let last = -Infinity;
    const got: number[] = [];
    let refused = 0;
    const transport: Transport = {
      send: async (_, watch) => {
        watch.phase('connect');
        await new Promise<void>((resolve) => clock.timer(chance() < 0.3 ? chance() * 1500 : 0, resolve));
        watch.phase('firstByte');
        const now = clock.elapsed();
        const early = now - last < gap;
        if (early) refused++;
        else last = now;
        got.push(now);
        await new Promise<void>((resolve) => clock.timer(chance() * 100, resolve));
        return { status: early ? 429 : 200, headers: [], body: new Uint8Array(), phases: {} };
      },
    };
    return { transport, got, refused: () => refused };
  }

  /** Its timers come late, as on a machine with much to do. */
  class LateClock extends VirtualClock {
    override timer(delay: number, callback: () => void): () => void {
      return super.timer(delay + ((delay * 7919) % 13), callback);
    }
  }

  test.each([
    ['timers that come in time', () => new VirtualClock()],
    ['timers that come late', () => new LateClock()],
  ])('nothing comes early at the service, however long connecting takes: %s', async (_, make) => {
    const clock = make();
    let seed = 1;
    const service = strictly(clock, 500, () => (seed = (seed * 16807) % 2147483647) / 2147483647);
    const { exit } = await runChain(loop(300, 8), () => ({}), {
      project: `${KILN}    pace: 2 per second\n`,
      ports: { clock, transport: service.transport },
    });
    expect([exit, service.got.length, service.refused()]).toEqual([0, 300, 0]);
    expect(service.got.at(-1)! - service.got[0]!).toBeLessThan(299 * 515 + 100 * 1500);
  });

  test('of a burst that goes out late, the next second gets only what is left', async () => {
    const clock = new VirtualClock();
    const got: number[] = [];
    const transport: Transport = {
      send: async (_, watch) => {
        watch.phase('connect');
        // The first five connections come about together, after most of a second.
        await new Promise<void>((resolve) => clock.timer(got.length === 0 ? 900 : 0, resolve));
        watch.phase('firstByte');
        got.push(clock.elapsed());
        return { status: 200, headers: [], body: new Uint8Array(), phases: {} };
      },
    };
    const { exit } = await runChain(loop(60, 30), () => ({}), {
      project: `${KILN}    pace: { rate: 10 per second, burst: 5 }\n`,
      ports: { clock, transport },
    });
    const most = Math.max(
      ...got.map((from) => got.filter((time) => time >= from && time < from + 1000).length),
    );
    expect([exit, got.length, most]).toEqual([0, 60, 14]);
  });

  test('a request that fails before it went out holds nobody up', async () => {
    const clock = new VirtualClock();
    const { of } = await runChain(
      loop(6, 3).replace('    steps:', '    when-one-fails: continue\n    steps:'),
      (_, nth) => (nth % 2 === 0 ? { fails: 'connection-refused' } : { json: '{}' }),
      { project: `${KILN}    pace: 2 per second\n`, ports: { clock } },
    );
    expect(of('step-ended').at(-1)!.iterations).toEqual({ passed: 3, failed: 3 });
  });

  test.each([
    ['that tells what is left', true],
    ['that tells nothing', false],
  ])('a service %s: all calls succeed, few are refused', async (_, tells) => {
    const clock = new VirtualClock();
    const service = bucketed(clock, 10, 10, tells);
    const atOnce = 8;
    const { exit, of } = await runChain(loop(200, atOnce), service.script, { project, ports: { clock } });
    expect(exit).toBe(0);
    expect(of('step-ended').at(-1)!.iterations).toEqual({ passed: 200, failed: 0 });
    if (tells) expect(service.refused()).toBeLessThanOrEqual(atOnce + 3);
    expect(clock.elapsed()).toBeLessThan(60_000);
  });

  test('at once, for all steps together; who came first goes first', async () => {
    const clock = new VirtualClock();
    let [running, most] = [0, 0];
    const order: string[] = [];
    const { exit } = await runChain(
      loop(30, 10),
      ({ url }) => {
        order.push(url.split('/').at(-1)!);
        most = Math.max(most, ++running);
        clock.timer(15, () => running--);
        return { json: '{}', after: 15 };
      },
      { project: `${KILN}    pace: { at-once: 3 }\n`, ports: { clock } },
    );
    expect([exit, most]).toEqual([0, 3]);
    expect(order).toEqual(Array.from({ length: 30 }, (_, i) => String(i + 1)));
  });

  test("a file that can't be written holds nobody up", async () => {
    const { exit, of } = await runChain(
      `chain: Test\nsteps:\n  - each: n in range(1, 5)\n    at-once: 5\n    when-one-fails: continue\n    steps:\n      - call: GET kiln /\${n}\n        save: out/\${n}.json\n`,
      () => ({ json: '{}' }),
      {
        project: `${KILN}    pace: { at-once: 1 }\n`,
        files: {
          open: () => Promise.reject(new Error('none')),
          create: () =>
            Promise.reject(new ProblemError({ code: 'file-not-written', message: 'the disk is full' })),
        },
      },
    );
    expect([exit, of('step-ended').at(-1)!.iterations]).toEqual([3, { passed: 0, failed: 5 }]);
  });

  test('a budget is refused before anything is sent where the calls are known, and later where not', async () => {
    const used = new Map<string, number>();
    const ledger: Ledger = {
      take: async (budget, _, limit, calls) => {
        const before = used.get(budget) ?? 0;
        const taken = Math.max(0, Math.min(calls, limit - before));
        used.set(budget, before + taken);
        return taken;
      },
      giveBack: async (budget, _, calls) => void used.set(budget, used.get(budget)! - calls),
      used: async (budget) => used.get(budget) ?? 0,
    };
    const setting: RunSetting = { project: `${KILN}    pace: { budget: 10 per hour }\n`, ports: { ledger } };
    const known = await runChain(loop(11, 2), () => ({ json: '{}' }), setting);
    expect([known.exit, known.sent.length, known.of('run-ended')[0]!.problem!.message]).toEqual([
      3,
      0,
      'the budget of kiln: 11 calls are to be sent, and 10 of 10 an hour are left; it begins again at 2026-03-01T09:00Z'.replace(
        'an hour',
        'a hour',
      ),
    ]);
    const text = `chain: Test\nsteps:\n  - call: GET kiln /list\n    keep: { n: $.n }\n  - repeat: { until: n == 0 }\n    steps: [{ call: GET kiln /one }]\n`;
    const later = await runChain(text, () => ({ json: '{"n": 1}' }), setting);
    expect([later.exit, later.sent.length, problems(later.events)]).toEqual([3, 10, ['budget-used-up']]);
    expect(later.of('step-ended').at(-1)!.outcome).toBe('failed');
  });
});

describe('poll', () => {
  const poll = (keys: string): string =>
    one(`GET kiln /firings/1\nname: cooled\npoll:\n  until: $.state == 'done'\n${keys}`);
  const states =
    (list: string[]): ((_: unknown, nth: number) => Reply) =>
    (_, nth) => ({ json: `{"state": "${list[Math.min(nth, list.length - 1)]!}"}` });

  test('asks until it holds, waits longer each time, and tells the states', async () => {
    const { exit, events, of } = await runChain(
      poll('').replace('\n\n', '\n    keep: { state: $.state }\n'),
      states(['waiting', 'waiting', 'heating', 'heating', 'heating', 'heating', 'done']),
      { project },
    );
    expect(exit).toBe(0);
    expect(waits(events).map(([, wait]) => wait)).toEqual([1000, 2000, 4000, 8000, 10_000, 10_000]);
    expect(of('step-ended')[0]!.states).toBe('waiting ×2 → heating ×4 → done');
  });

  test('Retry-After comes first; an hour of it takes a moment', async () => {
    const { exit, of } = await runChain(
      poll('  within: 2h\n'),
      (_, nth) => ({ json: `{"state": "${nth === 60 ? 'done' : 'x'}"}`, headers: [['retry-after', '60']] }),
      { project },
    );
    expect([exit, of('run-ended')[0]!.elapsed]).toEqual([0, 3_600_000]);
  });

  test.each<[string, string, string[], string, RegExp]>([
    [
      'give-up-when',
      "  give-up-when: $.state == 'cracked'\n",
      ['x', 'cracked'],
      'poll-given-up',
      /the state is cracked; states seen: x → cracked/,
    ],
    [
      'an unforeseen state',
      "  while: $.state in ['waiting']\n",
      ['waiting', 'stolen'],
      'poll-unforeseen',
      /the state is stolen, for which neither/,
    ],
    ['out of time', '  within: 5s\n', ['waiting'], 'poll-out-of-time', /within 5s; states seen: waiting ×4/],
  ])('%s', async (_, keys, list, code, message) => {
    const { exit, of, events } = await runChain(poll(keys), states(list), { project });
    expect([exit, problems(events)]).toEqual([1, [code]]);
    expect(of('step-ended')[0]!.problem!.message).toMatch(message);
  });

  test('a status of 400 or more fails, unless a condition speaks of it', async () => {
    const script = (_: unknown, nth: number): Reply =>
      nth < 2 ? { status: 404, json: '{}' } : { json: '{"state": "done"}' };
    const plainly = await runChain(poll(''), script, { project });
    expect([plainly.exit, plainly.sent.length]).toEqual([1, 1]);
    const spoken = await runChain(
      one('GET kiln /a\npoll: { until: status == 200, while: status == 404 }'),
      script,
      { project },
    );
    expect([spoken.exit, spoken.of('step-ended')[0]!.states]).toEqual([0, '404 ×2 → 200']);
  });

  test('at: the job is sent once, and its address asked; to no other origin', async () => {
    const text = one(
      "POST kiln /firings\njson: { piece: p1 }\npoll:\n  at: headers.location\n  until: $.state == 'done'",
    );
    const { exit, sent } = await runChain(
      text,
      (_, nth) =>
        nth === 0
          ? { status: 202, headers: [['location', '/v1/firings/7']] }
          : { json: `{"state": "${nth === 2 ? 'done' : 'x'}"}` },
      { project },
    );
    expect([exit, sent.map(({ method, url }) => `${method} ${url}`)]).toEqual([
      0,
      [
        'POST https://kiln.example/v1/firings',
        'GET https://kiln.example/v1/firings/7',
        'GET https://kiln.example/v1/firings/7',
      ],
    ]);
    expect(sent[1]!.body).toBeUndefined();
    const away = await runChain(
      text,
      () => ({ status: 202, headers: [['location', 'https://elsewhere.example/7']] }),
      {
        project: `services: { kiln: { url: "https://kiln.example/v1", as: key } }\ncredentials: { key: { kind: header, name: Kiln-Key, value: "\${secret.key}" } }\nsecrets: { key: env K }\n`,
        secrets: { key: 'a-long-secret-key' },
      },
    );
    expect([away.exit, away.sent.length, problems(away.events)]).toEqual([1, 1, ['other-origin']]);
  });
});

test('only the last response of a poll is saved, and nothing of one that fails', async () => {
  for (const [last, kept] of [
    ['done', 1],
    ['cracked', 0],
  ] as const) {
    const ended: string[] = [];
    const { exit } = await runChain(
      one(
        "GET kiln /a\nsave: out/a.json\npoll: { until: $.state == 'done', give-up-when: $.state == 'cracked' }",
      ),
      (_, nth) => ({ json: `{"state": "${nth === 2 ? last : 'x'}"}` }),
      {
        project,
        files: {
          open: () => Promise.reject(new Error('none')),
          create: async () => ({
            write: async () => undefined,
            commit: async () => void ended.push('kept'),
            discard: async () => void ended.push('discarded'),
          }),
        },
      },
    );
    expect([exit, ended]).toEqual([
      kept === 1 ? 0 : 1,
      ['discarded', 'discarded', kept === 1 ? 'kept' : 'discarded'],
    ]);
  }
});

describe('pages', () => {
  const list = Array.from({ length: 12 }, (_, i) => i + 1);
  const page = (n: number, size: number): number[] => list.slice((n - 1) * size, n * size);
  const after = 'keep: { all: gathered }';
  const read = (pages: string, more = after): string =>
    `${one(`GET kiln /pieces\nquery: { size: 5, state: a }\npages: ${pages}\n${more}`)}results: { all: all }\n`;

  test.each<[string, string, (url: URL, nth: number) => Reply]>([
    [
      'Link',
      "{ next: link('next'), items: $.pieces }",
      (url, nth) => ({
        json: JSON.stringify({ pieces: page(nth + 1, 5) }),
        headers: nth < 2 ? [['link', `<${url.pathname}?size=5&page=${nth + 2}>; rel="next"`]] : [],
      }),
    ],
    [
      'a cursor',
      '{ next-query: { cursor: "${$.next}" }, items: $.pieces }',
      (url) => {
        const from = Number(url.searchParams.get('cursor') ?? 0);
        expect(url.searchParams.get('state')).toBe('a');
        return {
          json: JSON.stringify({
            pieces: list.slice(from, from + 5),
            next: from + 5 < 12 ? String(from + 5) : null,
          }),
        };
      },
    ],
    [
      'a number',
      '{ next-query: { page: "${page + 1}" }, items: $.pieces }',
      (url) => ({
        json: JSON.stringify({ pieces: page(Number(url.searchParams.get('page') ?? 1), 4) }),
      }),
    ],
    [
      'an empty page on the way',
      '{ next-query: { cursor: "${$.next}" }, items: $.pieces }',
      (_, nth) => ({
        json: JSON.stringify({
          pieces: nth === 1 ? [] : nth === 0 ? list.slice(0, 6) : list.slice(6),
          next: nth < 2 ? `c${nth}` : '',
        }),
      }),
    ],
  ])('by %s', async (_, pages, script) => {
    const { exit, results } = await runChain(read(pages), ({ url }, nth) => script(new URL(url), nth), {
      project,
    });
    expect([exit, plain(results)]).toEqual([0, { all: list }]);
  });

  test('in a JSON body', async () => {
    const text = `${one('POST kiln /search\njson: { state: a, from: 0 }\npages: { next-json: { from: "${$.next}" }, items: $.pieces }\nkeep: { all: gathered }')}results: { all: all }\n`;
    const { sent, results } = await runChain(
      text,
      (request) => {
        const { from } = JSON.parse(bodyText(request)) as { from: number };
        return {
          json: JSON.stringify({ pieces: list.slice(from, from + 5), next: from + 5 < 12 ? from + 5 : null }),
        };
      },
      { project },
    );
    expect(plain(results)).toEqual({ all: list });
    expect(bodyText(sent[2]!)).toBe('{"state":"a","from":10}');
  });

  test('bounds, and pages that go in a circle', async () => {
    const endless = (): Reply => ({ json: '{"pieces": [1], "next": "x"}' });
    const circle = await runChain(read('{ next-query: { cursor: "${$.next}" }, items: $.pieces }'), endless, {
      project,
    });
    expect([circle.exit, circle.sent.length, circle.of('warning')[0]!.code]).toEqual([0, 2, 'page-repeats']);
    const counted = '{ next-query: { page: "${page + 1}" }, items: $.pieces, up-to: 3 }';
    const most = await runChain(read(counted), endless, { project });
    expect([most.exit, most.sent.length, problems(most.events)]).toEqual([3, 3, ['bound-reached']]);
    const enough = await runChain(
      read(counted.replace(' }', ' }').replace('up-to: 3', 'up-to: 3, enough: yes')),
      endless,
      { project },
    );
    expect([enough.exit, plain(enough.results)]).toEqual([0, { all: [1, 1, 1] }]);
    const until = await runChain(
      read('{ next-query: { page: "${page + 1}" }, items: $.pieces, until: length(gathered) >= 2 }'),
      endless,
      { project },
    );
    expect(until.sent).toHaveLength(2);
  });

  test('each page meets what is expected of the status', async () => {
    const { exit, of } = await runChain(
      read(
        '{ next-query: { page: "${page + 1}" }, items: $.pieces }',
        'expect: status == 200\nkeep: { all: gathered }',
      ),
      (_, nth) =>
        nth === 1 ? { status: 203, json: '{"title": "No such page"}' } : { json: '{"pieces": [1]}' },
      { project },
    );
    expect([exit, of('step-ended')[0]!.problem!.message]).toEqual([
      1,
      'page 2 was answered with 203, "No such page"',
    ]);
  });

  test('the next page is one of the service; no credential goes elsewhere', async () => {
    const { exit, sent, events } = await runChain(
      one('GET kiln /a\npages: { next: $.next, items: $.pieces }'),
      () => ({ json: '{"pieces": [1], "next": "https://elsewhere.example/2"}' }),
      {
        project: `services: { kiln: { url: "https://kiln.example/v1", as: key } }\ncredentials: { key: { kind: header, name: Kiln-Key, value: "\${secret.key}" } }\nsecrets: { key: env K }\n`,
        secrets: { key: 'a-long-secret-key' },
      },
    );
    expect([exit, sent.length, problems(events)]).toEqual([1, 1, ['other-origin']]);
  });

  test('a step without pages says that there are more', async () => {
    const script = (): Reply => ({ json: '{"pieces": [1]}', headers: [['link', '<?page=2>; rel="next"']] });
    const { of } = await runChain(one('GET kiln /a\nkeep: { all: $.pieces }'), script, { project });
    expect(of('warning').map(({ code }) => code)).toEqual(['next-page']);
    const first = await runChain(one('GET kiln /a\nkeep: { one: "$.pieces[0]" }'), script, { project });
    expect(first.of('warning')).toEqual([]);
  });
});

describe('callbacks', () => {
  const text = (keys: string): string =>
    one(
      `POST kiln /jobs\nname: job\njson: { notify: "\${callback}" }\ncallback: { ${keys} }\nkeep: { state: arrived.body.state, path: arrived.query.a }`,
    );
  /** Sends requests to the address that a job is given, at these times. */
  function calling(
    clock: VirtualClock,
    requests: readonly (readonly [at: number, body: string, status?: number])[],
  ): {
    callbacks: Callbacks;
    answered: number[];
    begin: () => void;
  } {
    const takers: ((arrived: ArrivedRequest) => Promise<number>)[] = [];
    const answered: number[] = [];
    return {
      answered,
      callbacks: {
        open: async (take) => {
          takers.push(take);
          return { url: `http://127.0.0.1:9/${takers.length}`, close: () => undefined };
        },
      },
      begin: () => {
        for (const [at, body] of requests)
          clock.timer(at, () => {
            const taken = takers[0]!({
              method: 'POST',
              url: 'http://127.0.0.1:9/1?a=b',
              headers: [['content-type', 'application/json']],
              body: new TextEncoder().encode(body),
            });
            void taken.then((status) => answered.push(status));
          });
      },
    };
  }
  const carryOut = async (keys: string, requests: readonly (readonly [number, string])[], after = 10) => {
    const clock = new VirtualClock();
    const { callbacks, answered, begin } = calling(clock, requests);
    const ran = await runChain(
      `${text(keys)}  - wait: 10s\nresults: { state: state, path: path }\n`,
      () => {
        begin();
        return { status: 202, json: '{}', after };
      },
      { project, ports: { clock, callbacks } },
    );
    return { ...ran, answered };
  };

  test('the request that matches is taken, also one that comes before the response', async () => {
    for (const [at, after] of [
      [500, 10],
      [1, 500],
    ] as const) {
      const ran = await carryOut(
        "within: 2s, when: arrived.body.state == 'done'",
        [
          [at, '{"state": "heating"}'],
          [at + 1, '{"state": "done"}'],
        ],
        after,
      );
      expect([ran.exit, plain(ran.results), ran.answered]).toEqual([
        0,
        { state: 'done', path: 'b' },
        [204, 204],
      ]);
    }
  });

  test.each<[string, (readonly [number, string])[], number, RegExp]>([
    ['that never comes', [], 3, /no request arrived at http:\/\/127\.0\.0\.1:9\/1 within 2s/],
    [
      'that is another',
      [[5, '{"state": "x"}']],
      3,
      /1 request came in, but arrived\.body\.state == 'done' held for none of them/,
    ],
    ['that is no JSON', [[5, '{"state": done']], 3, /1 request came in/],
  ])('one %s', async (_, requests, exit, message) => {
    const ran = await carryOut("within: 2s, when: arrived.body.state == 'done'", requests);
    expect([ran.exit, ran.of('step-ended')[0]!.problem!.message]).toEqual([
      exit,
      expect.stringMatching(message),
    ]);
  });

  test('one that comes twice is answered with 410, and said', async () => {
    const ran = await carryOut('within: 2s', [
      [5, '{"state": "done"}'],
      [500, '{"state": "done"}'],
    ]);
    expect([ran.exit, ran.answered, ran.of('warning').map(({ code }) => code)]).toEqual([
      0,
      [204, 410],
      ['callback-ignored'],
    ]);
  });
});
