// Loops, chains of chains, undo: on a virtual clock, with scripted responses.
import { describe, expect, test } from '@jest/globals';
import { NO_PROJECT } from '../../../../src/core/chain/read/read-project.ts';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { KILN, plain, type Reply, runChain } from '../support.ts';

const project = KILN;
const chain = (text: string): string => `chain: Test\n${text}`;
const paths = (sent: readonly { method: string; url: string }[]): string[] =>
  sent.map(({ method, url }) => `${method} ${url.replace('https://kiln.example/v1', '')}`);
const ok = (): Reply => ({ json: '{}' });

describe('each', () => {
  test('goes over a list, with a count, over an object, and nested; names end with their turn', async () => {
    const { exit, sent, results } = await runChain(
      chain(`steps:
  - keep: { racks: "{ A: ['a', 'b'], B: ['c'] }" }
  - each: rack, pieces in racks
    name: outer
    steps:
      - each: piece, i in pieces
        steps:
          - call: GET kiln /\${rack}/\${piece}/\${i}/\${index}
            name: look
            keep: { found: $.id }
        gather: { ids: found }
    gather: { all: ids, sizes: "{ rack: rack, size: length(ids) }" }
  - each: piece in racks.A
    steps:
      - keep: { found: piece }
    gather: { again: found }
results: { all: all, sizes: sizes, again: again, iterations: "outer.iterations[*].ok" }
`),
      ({ url }) => ({ json: `{"id": "${url.split('/').slice(4, 6).join('')}"}` }),
      { project },
    );
    expect(exit).toBe(0);
    expect(paths(sent)).toEqual(['GET /A/a/0/0', 'GET /A/b/1/1', 'GET /B/c/0/0']);
    expect(plain(results)).toEqual({
      all: [['Aa', 'Ab'], ['Bc']],
      sizes: [
        { rack: 'A', size: 2 },
        { rack: 'B', size: 1 },
      ],
      again: ['a', 'b'],
      iterations: [true, true],
    });
  });

  test('at once, gathered in the order of the items, however long each takes', async () => {
    let running = 0;
    let most = 0;
    const { results, of } = await runChain(
      chain(`steps:
  - each: n in range(1, 20)
    at-once: 4
    steps:
      - call: GET kiln /\${n}
        keep: { id: $.id }
    gather: { ids: id }
results: { ids: ids }
`),
      ({ url }) => {
        const n = Number(url.split('/').at(-1));
        most = Math.max(most, ++running);
        return { json: `{"id": ${n}}`, after: (n * 37) % 50 };
      },
      {
        project,
        ports: {},
      },
    ).then((ran) => {
      for (const event of ran.events) if (event.event === 'response-received') running--;
      return ran;
    });
    expect(plain(results)).toEqual({ ids: Array.from({ length: 20 }, (_, i) => i + 1) });
    const order = of('iteration-ended').map(({ iteration }) => iteration);
    expect(order.toSorted((a, b) => a - b)).toEqual(Array.from({ length: 20 }, (_, i) => i));
    expect(order).not.toEqual(order.toSorted((a, b) => a - b));
  });

  test('an iteration that fails stops the loop; with continue the others and the steps below go on', async () => {
    const text = (key: string): string =>
      chain(`steps:
  - each: n in range(0, 5)
    name: loop
    ${key}
    steps:
      - call: GET kiln /\${n}
        keep: { id: $.id }
    gather: { ids: id }
  - show: \${length(ids)} of 6
results: { iterations: loop.iterations, ids: ids }
`);
    const script = ({ url }: { url: string }): Reply =>
      url.endsWith('/2') ? { status: 500 } : { json: `{"id": ${url.at(-1)}}` };
    const stopped = await runChain(text('at-once: 1'), script, { project });
    expect([stopped.exit, stopped.sent.length]).toEqual([1, 3]);
    expect(stopped.of('step-ended').at(-1)).toMatchObject({
      outcome: 'failed',
      iterations: { passed: 2, failed: 1, notBegun: 3 },
    });
    const gone = await runChain(text('when-one-fails: continue'), script, { project });
    expect([gone.exit, gone.sent.length, gone.of('shown')[0]!.text]).toEqual([1, 6, '5 of 6']);
    expect(plain(gone.results)).toMatchObject({ ids: [0, 1, 3, 4, 5] });
    expect((plain(gone.results) as { iterations: unknown[] }).iterations[2]).toMatchObject({
      item: 2,
      ok: false,
    });
    const few = await runChain(text('when-one-fails: continue\n    at-least: 6'), script, { project });
    expect([few.exit, few.of('step-ended').at(-1)!.problem]).toEqual([
      1,
      expect.objectContaining({
        code: 'too-few-iterations',
        message: '5 of 6 iterations passed, but at least 6 must',
      }),
    ]);
  });

  test('until, and nothing to do', async () => {
    const { sent, results, of } = await runChain(
      chain(`steps:
  - each: n in range(1, 9)
    until: state == 'done'
    steps:
      - call: GET kiln /\${n}
        keep: { state: $.state }
    gather: { states: state }
  - each: n in []
    steps:
      - call: GET kiln /never
results: { states: states }
`),
      (_, nth) => ({ json: `{"state": "${nth === 2 ? 'done' : 'waiting'}"}` }),
      { project },
    );
    expect([sent.length, plain(results)]).toEqual([3, { states: ['waiting', 'waiting', 'done'] }]);
    expect(of('loop-began').map(({ of: all }) => all)).toEqual([9, 0]);
  });

  test.each<[string, string, string, RegExp]>([
    ['a text', "'abc'", 'not-a-list', /each needs a list, but x is text, 'abc'/],
    ['an object', '{ a: 1 }', 'not-a-list', /each needs a list, but x is an object/],
    ['too many', 'range(1, 100001)', 'bound-reached', /100001 iterations would be more than 100000/],
    ['nothing', 'x.missing', 'found-nothing', /missing/],
  ])('over %s', async (_, value, code, message) => {
    const { exit, of } = await runChain(
      chain(`inputs: { x: { kind: json } }
steps:
  - each: n in ${code === 'found-nothing' ? 'x.missing' : 'x'}
    steps:
      - show: \${n}
`),
      ok,
      {
        project,
        inputs: { x: code === 'found-nothing' ? {} : evaluated(value) },
      },
    );
    expect([exit, of('step-ended').at(-1)!.problem]).toEqual([
      expect.any(Number),
      expect.objectContaining({ code, message: expect.stringMatching(message) as unknown }),
    ]);
  });
});

function evaluated(value: string): never {
  if (value.startsWith('range')) return Array.from({ length: 100_001 }, (_, i) => i) as never;
  return (value.startsWith('{') ? { a: 1 } : 'abc') as never;
}

test('repeat keeps names anew, waits in between, and has a bound', async () => {
  const text = (settings: string): string =>
    chain(`steps:
  - repeat: { until: cursor == '', ${settings} }
    start: { cursor: "'first'", seen: "[]" }
    steps:
      - call: GET kiln /pieces
        query: { cursor: "\${cursor}" }
        keep: { cursor: $.next, seen: "flat([seen, [index]])" }
  - show: \${join(seen, ',')}
`);
  const script = (_: unknown, nth: number): Reply => ({ json: `{"next": "${nth === 3 ? '' : `c${nth}`}"}` });
  const { exit, sent, of } = await runChain(text('every: 2s'), script, { project });
  expect([exit, of('shown')[0]!.text, of('run-ended')[0]!.elapsed]).toEqual([0, '0,1,2,3', 6000]);
  expect(paths(sent).at(-1)).toBe('GET /pieces?cursor=c2');
  const bound = await runChain(text('up-to: 3'), script, { project });
  expect([bound.exit, bound.of('step-ended').at(-1)!.problem!.code]).toEqual([3, 'bound-reached']);
  const late = await runChain(text('every: 2s, within: 5s'), script, { project });
  expect([late.exit, late.sent.length]).toEqual([3, 3]);
});

describe('follow', () => {
  const other = chain(`inputs: { rack: { about: which }, cone: { kind: number, default: 6, must: cone < 10 } }
steps:
  - call: GET kiln /racks/\${rack}
    name: look
    keep: { id: $.id }
    undo:
      - call: DELETE kiln /undo/\${id}
results: { id: id, cone: cone }
cleanup:
  - call: DELETE kiln /racks/\${rack}
`);
  const text = chain(`steps:
  - each: rack in ['A', 'B']
    steps:
      - follow: other.chain.yaml
        name: one
        inputs: { rack: "\${rack}" }
    gather: { ids: one.id }
  - call: GET kiln /between
results: { ids: ids }
`);

  test('its results are members of its name; undo and cleanup wait for the end of the run', async () => {
    const { exit, sent, results, events } = await runChain(
      text,
      ({ url }) => ({ json: `{"id": "${url.at(-1)}1"}` }),
      {
        project,
        chains: { 'other.chain.yaml': other },
      },
    );
    expect([exit, plain(results)]).toEqual([0, { ids: ['A1', 'B1'] }]);
    expect(paths(sent)).toEqual([
      'GET /racks/A',
      'GET /racks/B',
      'GET /between',
      'DELETE /undo/B1',
      'DELETE /undo/A1',
      'DELETE /racks/B',
      'DELETE /racks/A',
    ]);
    expect(events.some((event) => event.event === 'step-began' && event.step === '0[1].one.look')).toBe(true);
  });

  test.each<[string, Record<string, string>, string, RegExp]>([
    ['a missing file', {}, text, /there is no chain other\.chain\.yaml/],
    [
      'a circle',
      { 'other.chain.yaml': chain('steps:\n  - follow: test.chain.yaml\n'), 'test.chain.yaml': text },
      chain('steps:\n  - follow: other.chain.yaml\n'),
      /other\.chain\.yaml has problems of its own/,
    ],
    [
      'an unknown input',
      { 'other.chain.yaml': other },
      chain('steps:\n  - follow: other.chain.yaml\n    inputs: { rock: A }\n'),
      /has no input rock/,
    ],
    [
      'an unknown result',
      { 'other.chain.yaml': other },
      chain(
        'steps:\n  - follow: other.chain.yaml\n    name: one\n    inputs: { rack: A }\n  - show: ${one.ids}\n',
      ),
      /has no member ids/,
    ],
  ])('%s is found by check', (_, chains, wrong, message) => {
    const { findings } = readChain(
      'test.chain.yaml',
      wrong,
      { ...NO_PROJECT, services: kiln() },
      {
        files: (path) => {
          const found = chains[path];
          return found === undefined ? undefined : { path, text: found };
        },
      },
    );
    expect(findings.map((one) => one.message).join('\n')).toMatch(message);
  });
});

function kiln(): typeof NO_PROJECT.services {
  return new Map([
    [
      'kiln',
      {
        name: 'kiln',
        url: 'practice',
        headers: [],
        query: [],
        timeouts: {},
        expect: [],
        insecure: false,
        secrets: new Set<string>(),
        urlSecrets: new Set<string>(),
        at: { file: '', line: 1, column: 1 },
      },
    ],
  ]);
}

describe('undo', () => {
  const text = chain(`steps:
  - each: n in range(1, 100)
    at-once: 5
    steps:
      - call: POST kiln /jobs/\${n}
        keep: { job: $.id }
        undo:
          - call: DELETE kiln /jobs/\${job}
            expect: status == 204
cleanup:
  - call: DELETE kiln /last
`);

  test('after an interruption everything that was made is taken back, the last first', async () => {
    const made = new Set<string>();
    const order: string[] = [];
    const { exit, of } = await runChain(
      text,
      ({ method, url }) => {
        const id = url.split('/').at(-1)!;
        if (method === 'POST') {
          made.add(id);
          return { json: `{"id": ${id}}`, after: 5 };
        }
        order.push(id);
        if (id === '3') return { status: 404 };
        return { status: made.delete(id) ? 204 : 500 };
      },
      { project, interruptAt: 40 },
    );
    expect(exit).toBe(130);
    // Those under way when it was interrupted got no response, so nobody knows their names.
    expect(made.size).toBeLessThanOrEqual(6);
    expect(order.at(-1)).toBe('last');
    const numbers = order.slice(0, -1).map(Number);
    expect(numbers.length).toBeGreaterThan(30);
    expect(numbers).toEqual(numbers.toSorted((a, b) => b - a));
    expect(of('undo-began')).toHaveLength(1);
  });

  test('what undo needs of a secret is sealed', async () => {
    const { of } = await runChain(
      chain(`steps:
  - call: POST kiln /sessions
    keep: { session: hidden($.session), id: $.id }
    undo:
      - call: DELETE kiln /sessions/\${id}
        headers: { Kiln-Session: "\${session}" }
`),
      ({ method }) =>
        method === 'POST' ? { json: '{"session": "very-secret-session", "id": 7}' } : { status: 204 },
      { project, ports: { sealer: { seal: (text) => `sealed ${text.length}` } } },
    );
    expect(of('undo-booked')[0]!.names).toEqual({
      id: { value: '7' },
      session: { value: '"‹secret session›"', sealed: 'sealed 21' },
    });
    expect(of('step-ended').map(({ outcome }) => outcome)).toEqual(['passed', 'passed']);
  });

  test('--leave does neither, and tells what it leaves', async () => {
    const { of, sent } = await runChain(text, ({ url }) => ({ json: `{"id": ${url.split('/').at(-1)!}}` }), {
      project,
      leave: true,
    });
    expect(sent.every(({ method }) => method === 'POST')).toBe(true);
    expect(of('undo-left')).toEqual([expect.objectContaining({ undo: 100, cleanup: 1 })]);
    expect(of('undo-booked')[7]).toMatchObject({ step: '0[7].0', names: { job: { value: '8' } } });
  });
});
