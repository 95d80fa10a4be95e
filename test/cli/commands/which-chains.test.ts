// Which chains `batharon run` carries out and how often, and expectations that only warn, with the built program.
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { batharon, type Finished, folderWith, PRACTICE } from '../support.ts';

const chain = (title: string, more = '', steps = '[{ wait: 1ms }]'): string =>
  `chain: ${title}\n${more}steps: ${steps}\nresults: { done: "'${title}'" }\n`;

const FILES = {
  'batharon.yaml': PRACTICE,
  'a.chain.yaml': chain(
    'A',
    'tags: [nightly, slow]\n',
    '[{ follow: parts/helper.chain.yaml, name: helped }]',
  ),
  'b.chain.yaml': chain('B', 'tags: [nightly]\n'),
  'c.chain.yaml': chain('C'),
  'careful.chain.yaml': chain('Careful', 'run: only-by-name\n'),
  'parts/helper.chain.yaml': chain('Helper'),
};

/** The titles of the chains that ran, in order. */
const ranIn = ({ stdout }: Finished): string[] =>
  [...stdout.matchAll(/"done":\s*"(\w+)"/g)].map(([, title]) => title!);

describe('which chains are run', () => {
  const folder = folderWith(FILES);
  const run = (...args: string[]): Promise<Finished> => batharon(folder, ['run', ...args]);

  test('of a folder all but those that others follow, or that say so; that is said', async () => {
    const all = await run();
    expect([all.code, ranIn(all)]).toEqual([0, ['A', 'B', 'C']]);
    expect(all.stderr).toContain(
      'not run by itself: careful.chain.yaml, run: only-by-name; parts/helper.chain.yaml, which others follow',
    );
    const checked = await batharon(folder, ['check']);
    expect(checked.stderr).toBe('6 files checked, no problems.\n');
  });

  test('named, each is run; so is one that stands alone in its folder', async () => {
    expect(ranIn(await run('careful.chain.yaml'))).toEqual(['Careful']);
    expect(ranIn(await run('.', 'careful.chain.yaml', 'parts/helper.chain.yaml'))).toEqual([
      'A',
      'B',
      'C',
      'Careful',
      'Helper',
    ]);
    const alone = await run('parts');
    expect([ranIn(alone), alone.stderr.includes('not run by itself')]).toEqual([['Helper'], false]);
  });

  test('by tags, and without some', async () => {
    expect(ranIn(await run('--tag', 'nightly'))).toEqual(['A', 'B']);
    expect(ranIn(await run('--tag', 'nightly', '--not-tag', 'slow'))).toEqual(['B']);
    expect(ranIn(await run('--not-tag', 'nightly'))).toEqual(['C']);
    const misspelt = await run('--not-tag', 'sloww');
    expect(misspelt.code).toBe(2);
    expect(misspelt.stderr).toContain('no chain has the tag sloww, so --not-tag leaves nothing out');
    expect(misspelt.stderr).toContain('hint: slow');
    const none = await run('--tag', 'slow', '--not-tag', 'nightly');
    expect(none.stderr).toContain('no chain has the tag slow and is without nightly');
  });
});

describe('an expectation that only warns', () => {
  const text = (condition: string): string =>
    `chain: W\nsteps:\n  - call: GET kiln /racks/A3/pieces\n    name: list\n    expect:\n      - { holds: "${condition}", because: the shelf is small, else: warning }\n      - status == 200\n  - show: went on\n`;

  test.each([
    ['length($.pieces) > 999', /expected length\(\$\.pieces\) > 999, got \d+ \(the shelf is small\)/],
    ['$.peices[0].id == 1', /expected \$\.peices\[0\]\.id == 1, got .*\(the shelf is small\)/],
    [
      'number($.pieces[0].id) > 1',
      /expected number\(\$\.pieces\[0\]\.id\) > 1, got .*\(the shelf is small\)/,
    ],
  ])('does not fail the run: %s', async (condition, said) => {
    const { code, stderr } = await batharon(
      folderWith({ 'batharon.yaml': PRACTICE, 'w.chain.yaml': text(condition) }),
      ['run', 'w.chain.yaml'],
    );
    expect([code, stderr]).toEqual([0, expect.stringMatching(said)]);
    expect(stderr).toContain('went on');
    expect(stderr).toMatch(/warning/);
  });

  test('says nothing where it holds', async () => {
    const folder = folderWith({ 'batharon.yaml': PRACTICE, 'w.chain.yaml': text('length($.pieces) > 0') });
    expect((await batharon(folder, ['run', 'w.chain.yaml'])).stderr).not.toContain('expected');
  });

  test('`else: failure` is what is meant without it', async () => {
    const folder = folderWith({
      'batharon.yaml': PRACTICE,
      'w.chain.yaml': text('length($.pieces) > 999').replace('else: warning', 'else: failure'),
    });
    expect((await batharon(folder, ['run', 'w.chain.yaml'])).code).toBe(1);
  });
});

describe('a run that is compared with an earlier one', () => {
  let other = false;
  const server = createServer((_, response) => {
    response.writeHead(200, { 'content-type': 'application/json' });
    response.end(other ? '{"price":"12.50","new":1}' : '{"price":12.50,"cone":6}');
  });
  afterAll(() => {
    server.close();
  });

  test('fails where a member is gone or of another kind; without an earlier run it says so', async () => {
    server.listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    const folder = folderWith({
      'batharon.yaml': `services: { far: { url: 'http://127.0.0.1:${(server.address() as AddressInfo).port}' } }\nenvironments: { a: {}, b: {} }\n`,
      'p.chain.yaml': 'chain: P\nsteps:\n  - call: GET far /\n    name: piece\n',
      'q.chain.yaml': 'chain: Q\nsteps:\n  - call: GET far /\n    name: piece\n',
    });
    const run = (env: string, ...more: string[]): Promise<Finished> =>
      batharon(folder, ['run', '--env', env, '--against', ...more]);
    const first = await run('a', 'passed');
    expect([first.code, first.stderr]).toEqual([0, expect.stringContaining('no earlier run of this chain')]);
    const same = await run('a', 'passed');
    expect([same.code, same.stderr.match(/have the shape that they had in run/g)?.length]).toEqual([0, 2]);
    const elsewhere = await run('b', 'passed');
    expect(elsewhere.stderr).toContain('no earlier run of this chain');
    other = true;
    const drifted = await run('a', 'passed', '--jobs', '2');
    expect(drifted.code).toBe(1);
    for (const part of [
      'removed    $.cone  number',
      'kind       $.price  number, then text',
      'added      $.new  number',
      ': 2 differences',
    ])
      expect(drifted.stderr.split(part).length - 1).toBe(2);
    const { stdout } = await batharon(folder, ['history', 'p.chain.yaml', '--env', 'a', '--json']);
    const oldest = (JSON.parse(stdout) as { run: string }[]).at(-1)!.run;
    expect((await run('a', oldest, 'p.chain.yaml')).code).toBe(1);
    const wrong = await run('a', oldest, 'q.chain.yaml');
    expect([wrong.code, wrong.stderr]).toEqual([2, expect.stringContaining('is one of p.chain.yaml')]);
    expect((await run('a', 'zzzz', 'p.chain.yaml')).code).toBe(2);
  });
});

describe('a part of a chain', () => {
  const folder = folderWith({
    'batharon.yaml': `${PRACTICE}environments: { one: {}, two: {} }\ndefault-environment: one\n`,
    'p.chain.yaml': [
      'chain: P',
      'inputs: { rack: { default: A3 } }',
      'steps:',
      '  - call: GET kiln /racks/${rack}/pieces',
      '    name: list',
      '    keep: { id: "$.pieces[0].id" }',
      '  - call: GET kiln /pieces/${id}',
      '    name: read',
      '    expect: list.status == 200',
      '  - call: GET kiln /glazes',
      '    name: glazes',
      'results: { id: id }',
    ].join('\n'),
    't.chain.yaml': [
      'chain: T',
      'steps:',
      "  - each: row in ['a', 'b c']",
      '    name: rows',
      '    title: ${row}',
      '    steps: [{ show: "${row}" }]',
    ].join('\n'),
  });
  const run = (...args: string[]): Promise<Finished> => batharon(folder, ['run', ...args]);

  test('has what earlier runs kept in this environment, and is refused where none did', async () => {
    const early = await run('p.chain.yaml', '--from', 'read');
    expect([early.code, early.stderr]).toEqual([2, expect.stringContaining('no run in one has recorded')]);
    const { stdout } = await run('p.chain.yaml');
    const from = await run('p.chain.yaml', '--from', 'read', '--give', 'rack=B1');
    expect([from.code, from.stdout]).toEqual([0, stdout]);
    expect(from.stderr).toMatch(/uses (?:id, list|list, id) from run/);
    expect(from.stderr).toContain('had rack = "A3", and this one has "B1"');
    expect(from.stderr).toContain('2 of 2 steps passed, 2 calls');
    const only = await run('p.chain.yaml', '--only', 'glazes', '--only', 'read');
    expect([only.code, only.stdout]).toEqual([0, '']);
    expect(only.stderr).toContain('2 of 2 steps passed, 2 calls');
    const elsewhere = await run('p.chain.yaml', '--from', 'read', '--env', 'two');
    expect([elsewhere.code, elsewhere.stderr]).toEqual([
      2,
      expect.stringContaining('no run in two has recorded'),
    ]);
    const misspelt = await run('p.chain.yaml', '--from', 'raed');
    expect([misspelt.code, misspelt.stderr]).toEqual([2, expect.stringContaining('hint: read')]);
    expect((await run('--from', 'read')).code).toBe(2);
  });

  test('is one case of a table, which reports name', async () => {
    const one = await run('t.chain.yaml', '--case', 'b c', '--junit', 'j.xml');
    expect([one.code, one.stderr.match(/^shows .*/gm)]).toEqual([0, ['shows   b c']]);
    expect(readFileSync(join(folder, 'j.xml'), 'utf8')).toContain('<testcase name="rows: b c"');
    expect((await run('t.chain.yaml', '--case', 'b')).code).toBe(2);
    const none = await run('p.chain.yaml', '--case', 'b');
    expect([none.code, none.stderr]).toEqual([
      2,
      expect.stringContaining('no loop of these chains has a title'),
    ]);
  });
});

describe('rounds', () => {
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'good.chain.yaml': chain('Good', '', '[{ call: GET kiln /glazes, name: glazes, expect: status == 200 }]'),
    'bad.chain.yaml': chain('Bad', '', '[{ call: GET kiln /glazes, name: glazes, expect: status == 201 }]'),
  });
  const run = (...args: string[]): Promise<Finished> => batharon(folder, ['run', ...args]);

  test('a line for each, then what came of each step; the results are not printed', async () => {
    const { code, stdout, stderr } = await run('good.chain.yaml', '--again', '3');
    expect([code, stdout]).toEqual([0, '']);
    expect(stderr.match(/^passed {2}round {4}\d +1 call/gm)).toHaveLength(3);
    expect(stderr).toMatch(/glazes +0 of 3 +\d+ ms +\d+ ms/);
    expect(stderr).toContain('passed. 3 of 3 rounds passed.');
    const { stdout: listed } = await batharon(folder, ['history', '--json']);
    expect((JSON.parse(listed) as unknown[]).length).toBe(3);
  });

  test('a round that fails says where and why, and the exit code is that of a failure', async () => {
    const { code, stderr } = await run('bad.chain.yaml', 'good.chain.yaml', '--again', '2');
    expect(code).toBe(1);
    expect(
      stderr.match(/^failed {2}round .* at glazes: expected status == 201, got 200 .*\(run \w+\)$/gm),
    ).toHaveLength(2);
    expect(stderr).toMatch(/^always +bad\.chain\.yaml +glazes +2 of 2/m);
    expect(stderr).toMatch(/2x expected status == 201/);
    expect(stderr).toContain('failed. 0 of 2 rounds passed.');
  });

  test('until one fails: not once more', async () => {
    const { code, stderr } = await run('bad.chain.yaml', '--until-failed', '--again', '5');
    expect([code, stderr.match(/^failed {2}round/gm)?.length]).toEqual([1, 1]);
    expect((await run('good.chain.yaml', '--until-failed', '--again', '2')).code).toBe(0);
  });

  test('recorded runs are summed up in the same way, for people and for programs', async () => {
    const { code, stdout } = await batharon(folder, [
      'history',
      '--steps',
      'good.chain.yaml',
      'bad.chain.yaml',
    ]);
    expect(code).toBe(0);
    expect(stdout).toMatch(/^always +bad\.chain\.yaml +glazes +\d+ of \d+/m);
    expect(stdout).toMatch(/^ +first in run \w+$/m);
    expect(stdout).toMatch(/^ +good\.chain\.yaml +glazes +0 of \d+/m);
    expect(stdout).toMatch(/^over \d+ runs$/m);
    const json = JSON.parse(
      (await batharon(folder, ['history', '--steps', '--json', 'bad.chain.yaml'])).stdout,
    ) as unknown;
    expect(json).toEqual([
      expect.objectContaining({
        file: 'bad.chain.yaml',
        address: 'glazes',
        title: expect.any(String) as unknown,
      }),
    ]);
    const none = await batharon(folder, ['history', '--steps', '--env', 'nowhere']);
    expect([none.code, none.stdout]).toEqual([0, '']);
  });

  test('many of them leave nothing behind: Node has nothing to warn of', async () => {
    const { code, stderr } = await run('good.chain.yaml', '--again', '14');
    expect([code, stderr.includes('Warning')]).toEqual([0, false]);
  });

  test('an interruption ends it, with what came until then', async () => {
    let isKilled = false;
    // A second signal would end it at once.
    const once = (kill: () => void): void => {
      if (!isKilled) kill();
      isKilled = true;
    };
    const { code, stderr } = await batharon(folder, ['run', 'good.chain.yaml', '--until-failed'], {
      during: (shown, kill) => {
        if (shown.includes('round    2') && !shown.includes('interrupted')) once(kill);
      },
    });
    expect(code).toBe(130);
    expect(stderr).toMatch(/rounds? passed\./);
  });

  test.each([
    [['--again', '0'], 'is no number of rounds'],
    [['--again', 'many'], 'is no number of rounds'],
    [['--again', '2', '--junit', 'x.xml'], 'cannot be used'],
    [['--until-failed', '--dry'], 'cannot be used'],
    [['--again', '2', '--stop-early'], 'cannot be used'],
  ])('%j is refused before anything is sent', async (args, said) => {
    const { code, stderr } = await run('good.chain.yaml', ...args);
    expect([code, stderr]).toEqual([2, expect.stringContaining(said)]);
  });

  test('--json prints the events of all rounds, and nothing else', async () => {
    const { stdout, stderr } = await run('good.chain.yaml', '--again', '2', '--json');
    const events = stdout
      .trim()
      .split('\n')
      .map((one) => (JSON.parse(one) as { event: string }).event);
    expect(events.filter((one) => one === 'run-ended')).toHaveLength(2);
    expect(stderr).toBe('');
  });
});

describe('a call that has to fail', () => {
  const text = (call: string, codes: string): string =>
    `chain: M\nsteps:\n  - call: ${call}\n    name: refused\n    must-fail: ${codes}\n    keep: { id: status }\n    undo: [ { call: DELETE kiln /pieces/x } ]\n  - show: went on, \${refused.ok}\n`;
  const run = (call: string, codes: string): Promise<Finished> =>
    batharon(folderWith({ 'batharon.yaml': PRACTICE, 'm.chain.yaml': text(call, codes) }), [
      'run',
      'm.chain.yaml',
    ]);

  test('passes where it fails so, says why, takes nothing back, and keeps nothing', async () => {
    const { code, stderr } = await run('GET kiln /none', 'status-not-expected');
    expect([code, stderr]).toEqual([0, expect.stringMatching(/went on, true/)]);
    expect(stderr).toMatch(/it failed as it must, with status-not-expected: expected status/);
    expect(stderr).not.toContain('DELETE');
  });

  test('fails where it passes, or fails otherwise', async () => {
    const passed = await run('GET kiln /glazes', 'not-as-expected');
    expect(passed.code).toBe(1);
    expect(passed.stderr).toMatch(/it had to fail with not-as-expected, but\s+it passed/);
    const other = await run('GET http://127.0.0.1:9/', 'not-as-expected');
    expect(other.code).toBe(3);
    expect(other.stderr).toContain('connection-refused');
    const refused = await run('GET http://127.0.0.1:9/', '[time-limit, connection-refused]');
    expect(refused.stderr).toContain('it failed as it must, with connection-refused');
  });

  test('a code that there is not is said, with the nearest', async () => {
    const { code, stderr } = await run('GET kiln /none', '[time-limt]');
    expect([code, stderr]).toEqual([2, expect.stringContaining('there is no error code time-limt')]);
    expect(stderr).toContain('instead: must-fail: [time-limit]');
  });
});
