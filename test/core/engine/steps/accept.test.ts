// Steps that may fail, and iterations with titles, on a virtual clock with scripted responses.
import { expect, test } from '@jest/globals';
import { KILN, type Reply, runChain } from '../support.ts';

const options = { project: KILN, allowUnexplained: true };
const ended = (events: readonly { readonly event: string }[]): string[] =>
  events.flatMap((event) =>
    event.event === 'step-ended'
      ? [
          `${(event as unknown as { step: string }).step} ${(event as unknown as { outcome: string }).outcome}`,
        ]
      : [],
  );

test('a step that may fail says how it did, and the run passes without what it would have kept', async () => {
  const { exit, events, results, sent } = await runChain(
    [
      'chain: A',
      'steps:',
      '  - call: POST kiln /a',
      '    name: a',
      '    on-fail: accept',
      '    keep: { id: $.id }',
      '  - call: GET kiln /${id}',
      '    name: needs',
      '  - call: GET kiln /b',
      '    name: b',
      "    when: a.failed && a.problem.code == 'connection-refused'",
      'results: { code: a.problem.code, said: a.problem.message, ok: a.ok }',
    ].join('\n'),
    ({ method }) => (method === 'POST' ? { fails: 'connection-refused' } : { json: '{}' }),
    options,
  );
  expect(ended(events)).toEqual(['a accepted', 'needs skipped', 'b passed']);
  expect([exit, sent.length]).toEqual([0, 2]);
  expect(Object.fromEntries(results)).toEqual({
    code: 'connection-refused',
    said: 'connection-refused',
    ok: false,
  });
});

test.each<[string, string]>([
  ['a group', 'steps:\n      - call: GET kiln /a\n        name: x'],
  ['a loop', 'each: i in [1, 2]\n    steps:\n      - call: GET kiln /a\n        name: x'],
  [
    'a tolerant loop',
    'each: i in [1]\n    when-one-fails: continue\n    steps:\n      - call: GET kiln /a\n        name: x',
  ],
  ['a repeat', 'repeat: { until: index == 3 }\n    steps:\n      - call: GET kiln /a\n        name: x'],
])('what fails inside of %s is accepted with it', async (_, body) => {
  const { exit, events } = await runChain(
    `chain: A\nsteps:\n  - ${body}\n    name: outer\n    on-fail: accept\n  - call: GET kiln /b\n    name: b\n`,
    ({ url }) => (url.endsWith('/a') ? { status: 500 } : { json: '{}' }),
    options,
  );
  expect(exit).toBe(0);
  expect(ended(events).filter((one) => /failed/.test(one))).toEqual([]);
  expect(ended(events).slice(-2)).toEqual(['outer accepted', 'b passed']);
});

test.each<[string, string]>([
  ['cleanup', 'cleanup: [ { call: DELETE kiln /x } ]\n'],
  ['undo', ''],
])('%s that fails is a failure, also of what may fail', async (kind, cleanup) => {
  const undo = kind === 'undo' ? '    undo: [ { call: DELETE kiln /x } ]\n' : '';
  const { exit } = await runChain(
    'chain: A\nsteps:\n  - follow: b.chain.yaml\n    name: b\n    on-fail: accept\n',
    ({ method }) => (method === 'DELETE' ? { status: 500 } : { json: '{}' }),
    {
      ...options,
      chains: {
        'b.chain.yaml': `chain: B\nsteps:\n  - call: POST kiln /x\n${undo}  - call: GET kiln /y\n    expect: $.no == 1\n${cleanup}`,
      },
    },
  );
  expect(exit).toBe(1);
});

test('what a guard refuses is not accepted', async () => {
  const { exit, events, sent } = await runChain(
    'chain: A\nsteps:\n  - call: POST kiln /a\n    name: a\n    on-fail: accept\n  - call: GET kiln /b\n    name: b\n',
    () => ({ json: '{}' }),
    { ...options, project: `${KILN}guard: reads-only\n` },
  );
  expect([exit, ended(events), sent.length]).toEqual([3, ['a failed'], 0]);
});

test('an interruption is not accepted', async () => {
  const { exit, events } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    name: a\n    on-fail: accept\n  - call: GET kiln /b\n    name: b\n    on-fail: accept\n',
    () => ({ after: 1000 }),
    { ...options, interruptAt: 1 },
  );
  expect([exit, ended(events)]).toEqual([130, ['a passed', 'b interrupted']]);
});

const TABLE = [
  'chain: A',
  'inputs:',
  '  cases:',
  '    kind: rows',
  '    columns: { status: number }',
  '    default:',
  '      - { name: no name, path: a, status: 422 }',
  "      - { name: 'too  hot', path: b, status: '422' }",
  '      - { name: good, path: c, status: 200 }',
  'steps:',
  '  - each: row in cases',
  '    name: check',
  '    title: ${row.name} ${index}',
  '    when-one-fails: continue',
  '    at-least: 2',
  '    steps:',
  '      - call: GET kiln /${row.path}/${index}',
  '        expect: status == row.status',
  '    gather: { all: row.name }',
  'results: { all: all }',
].join('\n');

const answer = ({ url }: { readonly url: string }): Reply => ({ status: url.includes('/c') ? 200 : 422 });

test('rows of the chain are a table, whose iterations have the titles of the chain', async () => {
  const { exit, events, results } = await runChain(TABLE, answer, options);
  expect([exit, results.get('all')]).toEqual([0, ['no name', 'too  hot', 'good']]);
  expect(events.flatMap((event) => (event.event === 'iteration-began' ? [event.title] : []))).toEqual([
    'no name 0',
    'too hot 1',
    'good 2',
  ]);
});

test('one case is carried out as it is among all, and one that there is not is refused', async () => {
  const one = await runChain(TABLE, answer, { ...options, cases: ['good 2'] });
  expect([one.exit, one.sent.map(({ url }) => url)]).toEqual([0, ['https://kiln.example/v1/c/2']]);
  expect(one.events[0]).toMatchObject({ part: true });
  const none = await runChain(TABLE, answer, { ...options, cases: ['god 2'] });
  expect([none.exit, none.sent.length]).toEqual([2, 0]);
  expect(none.events.at(-1)).toMatchObject({ problem: { code: 'no-such-case', hint: 'good 2' } });
});

test('a title holds no secret, neither a known one nor one by its name', async () => {
  const { events } = await runChain(
    "chain: A\ninputs: { token: { kind: secret, default: nothing } }\nsteps:\n  - each: x in ['password=qz7 of it']\n    title: ${x}\n    steps: [ { wait: 1s } ]\n".replace(
      ', default: nothing',
      '',
    ),
    answer,
    { ...options, inputs: { token: 'abcdefgh' } },
  );
  expect(JSON.stringify(events)).not.toContain('qz7');
});
