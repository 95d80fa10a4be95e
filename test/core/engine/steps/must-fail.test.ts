// Calls that have to fail, and expectations that only warn, on a virtual clock with scripted responses.
import { expect, test } from '@jest/globals';
import { KILN, type Reply, runChain } from '../support.ts';

const project = KILN;
const paths = (sent: readonly { method: string; url: string }[]): string[] =>
  sent.map(({ method, url }) => `${method} ${url.replace('https://kiln.example/v1', '')}`);

test.each<[string, Reply, number, string[]]>([
  ['what is refused as it must be passes, and is not taken back', { status: 404 }, 0, ['POST /a', 'GET /b']],
  ['what passes fails, and is taken back', { json: '{}' }, 1, ['POST /a', 'DELETE /a']],
])('%s', async (_, reply, code, expected) => {
  const { exit, sent, events } = await runChain(
    'chain: A\nsteps:\n  - call: POST kiln /a\n    name: made\n    must-fail: [status-not-expected]\n    undo: [ { call: DELETE kiln /a } ]\n  - call: GET kiln /b\n',
    ({ method }) => (method === 'POST' ? reply : { json: '{}' }),
    { project, allowUnexplained: true },
  );
  expect([exit, paths(sent)]).toEqual([code, expected]);
  const end = events.find((event) => event.event === 'step-ended' && event.step === 'made');
  expect(end).toMatchObject(
    code === 0
      ? {
          outcome: 'passed',
          reason: expect.stringContaining('it failed as it must, with status-not-expected'),
        }
      : { outcome: 'failed', problem: { code: 'not-as-expected' } },
  );
});

test('another failure stays a failure, with its own code', async () => {
  const { exit, events } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    name: a\n    expect: $.a == 1\n    must-fail: time-limit\n',
    () => ({ json: '{"a":2}' }),
    { project, allowUnexplained: true },
  );
  expect(exit).toBe(1);
  expect(events).toContainEqual(
    expect.objectContaining({
      event: 'step-ended',
      outcome: 'failed',
      problem: expect.objectContaining({ code: 'not-as-expected' }) as unknown,
    }),
  );
});

test('an expectation that only warns says so once for all iterations, and lets names be kept', async () => {
  const { exit, events, results } = await runChain(
    'chain: A\nsteps:\n  - each: i in [1, 2, 3]\n    steps:\n      - call: GET kiln /a\n        expect: { holds: $.a == 1, else: warning }\n        keep: { a: $.a }\n    gather: { all: a }\n    name: loop\nresults: { all: all }\n',
    () => ({ json: '{"a":2}' }),
    { project, allowUnexplained: true },
  );
  expect([exit, results]).toEqual([0, new Map([['all', [2, 2, 2]]])]);
  expect(events.flatMap((event) => (event.event === 'warning' ? [event.code] : []))).toEqual([
    'expectation-not-met',
  ]);
});

test('why it has passed holds no secret by its name, as why it failed holds none', async () => {
  for (const mustFail of ['', '    must-fail: not-as-expected\n']) {
    const { events } = await runChain(
      `chain: A\nsteps:\n  - call: GET kiln /a\n    expect: text == 'x'\n${mustFail}`,
      () => ({ headers: [['content-type', 'text/plain']], json: 'the password=qz7 is old' }),
      { project, allowUnexplained: true },
    );
    const end = events.find((event) => event.event === 'step-ended');
    expect(JSON.stringify(end)).toContain('is old');
    expect(JSON.stringify(end)).not.toContain('qz7');
  }
});

test.each<[string, string]>([
  ['a group', 'steps: [ { call: GET kiln /a, name: x } ]'],
  ['a loop', 'each: i in [1, 2]\n    steps: [ { call: GET kiln /a, name: x } ]'],
  [
    'a tolerant loop',
    'each: i in [1]\n    when-one-fails: continue\n    steps: [ { call: GET kiln /a, name: x } ]',
  ],
])('%s has to fail by what is in it, with that code', async (_, body) => {
  for (const [code, exit] of [
    ['connection-refused', 0],
    ['time-limit', 3],
  ] as const) {
    const { exit: ended, events } = await runChain(
      `chain: A\nsteps:\n  - ${body}\n    name: outer\n    must-fail: ${code}\n  - call: GET kiln /b\n    name: b\n`,
      ({ url }) => (url.endsWith('/a') ? { fails: 'connection-refused' } : { json: '{}' }),
      { project, allowUnexplained: true },
    );
    expect([code, ended]).toEqual([code, exit]);
    expect(events.some((one) => one.event === 'step-ended' && one.step === 'b')).toBe(exit === 0);
  }
  const passes = await runChain(
    `chain: A\nsteps:\n  - ${body}\n    name: outer\n    must-fail: time-limit\n`,
    () => ({ json: '{}' }),
    { project, allowUnexplained: true },
  );
  expect(passes.exit).toBe(1);
});
