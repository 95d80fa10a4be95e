// Work that is given to workers comes to the same as without: results, files, what is taken back, and what is refused.
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { fileURLToPath } from 'node:url';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import {
  type Desk,
  dump,
  endAll,
  forget,
  hasRedis,
  keysOf,
  Machines,
  remove,
  startDesk,
  startRedis,
  teamProject,
  type TestRedis,
  until,
} from './machines.ts';

const ROWS = Array.from({ length: 57 }, (_, i) => `${i},piece-${i}`);

const CHAINS = {
  'gather.chain.yaml': `chain: Gather
inputs:
  rows: { kind: rows, default: rows.csv, columns: { id: number } }
  factor: { kind: number, default: "\${20 + 1}" }
steps:
  - name: first
    call: GET kiln /first
    keep: { token: $.token, big: $.big, day: time('2026-03-01T10:00:00Z') }
  - each: row in rows
    name: sweep
    spread: 10
    at-once: 3
    when-one-fails: continue
    gather: { ids: made.id, sums: row.id * factor, all: "{token: token, big: big, day: day}" }
    steps:
      - name: post
        call: POST kiln /jobs
        json: { piece: '\${row.name}', token: '\${token}' }
        expect: row.id != 13 && row.id != 31
        keep: { made: $ }
        undo:
          - call: DELETE kiln /jobs/\${made.id}
  - expect: length(sweep.iterations) == 57
    on-fail: continue
results:
  ids: ids
  sums: sums
  all: all[0]
  failed: sweep.iterations[?@.ok == false].item.id
`,
  'until.chain.yaml': `chain: Until
steps:
  - each: n in range(1, 200)
    spread: 5
    until: n == 12
    gather: { seen: n }
    steps:
      - call: GET kiln /look/\${n}
results:
  enough: any(seen, @ == 12)
`,
  'stop.chain.yaml': `chain: Stop
steps:
  - each: n in range(1, 400)
    spread: 5
    steps:
      - call: GET kiln /look/\${n}
        expect: n != 7
`,
  'files.chain.yaml': `chain: Files
inputs:
  rows: { kind: rows, default: rows.csv }
steps:
  - each: row in rows
    spread: 10
    steps:
      - call: GET kiln /picture/\${row.id}
        save: out/\${row.name}.txt
        write: { to: out/list.csv, row: { id: '\${row.id}', status: '\${status}' } }
`,
  'whole.chain.yaml': `chain: Whole
inputs:
  name: { default: bowl }
steps:
  - name: one
    call: POST kiln /jobs
    json: { piece: '\${name}', token: x }
    keep: { made: $.id }
    undo:
      - call: DELETE kiln /jobs/\${made}
  - call: GET kiln /picture/7
    save: out/whole.txt
results:
  made: made
`,
};

type Result = Awaited<ReturnType<Machines['start']>['done']>;

/** The results of a run as its last event has them. */
function resultsOf({ out }: Result): Record<string, unknown> {
  const last = JSON.parse(out.trim().split('\n').at(-1)!) as { results: Record<string, string> };
  return Object.fromEntries(
    Object.entries(last.results).map(([name, text]) => [name, JSON.parse(text) as unknown]),
  );
}

(hasRedis ? describe : describe.skip)('spread work', () => {
  let redis: TestRedis;
  let desk: Desk;
  let folder: string;
  let machines: Machines;
  const deleted: string[] = [];
  const asked: string[] = [];
  beforeAll(async () => {
    redis = await startRedis();
    desk = await startDesk();
    desk.delay = 1;
    desk.answer = ({ method, url = '' }, response) => {
      asked.push(url);
      if (method === 'DELETE') deleted.push(url);
      if (url === '/first')
        response
          .setHeader('content-type', 'application/json')
          .setHeader('set-cookie', 'hand=left9876543210; Path=/');
      if (url === '/first') response.end('{"token":"glaze-7Qx2mLw9-first","big":12345678901234567890.5}');
      else if (url.startsWith('/picture')) response.end(`picture of ${url} `.repeat(2000));
      else if (method === 'DELETE') response.end('{}');
      else return false;
      return true;
    };
    folder = teamProject(desk.url, { ...CHAINS, 'rows.csv': `id,name\n${ROWS.join('\n')}\n` });
    machines = new Machines(folder, redis);
    const checked = await machines.start('check', '.').done;
    expect(checked.out + checked.err).toContain('no problems');
  }, 60_000);
  afterEach(async () => {
    endAll();
    await forget(redis);
    deleted.length = asked.length = 0;
    desk.posted.clear();
  });
  afterAll(async () => {
    endAll();
    await desk.close();
    await redis.stop();
    remove(folder);
  });

  test('gathers, fails and takes back as without', async () => {
    const alone = await machines.start('run', 'gather.chain.yaml', '--json').done;
    const undone = [...deleted].sort();
    deleted.length = 0;
    await machines.workers(3);
    const spread = await machines.start('run', 'gather.chain.yaml', '--json', '--spread').done;
    expect(resultsOf(spread)).toEqual(resultsOf(alone));
    expect([spread.code, alone.code]).toEqual([1, 1]);
    expect([...deleted].sort()).toEqual(undone);
    expect(undone).toHaveLength(55);
    // What a worker has done is recorded where the run is, and the same way.
    const steps = ({ out }: Result): string[] =>
      out
        .trim()
        .split('\n')
        .map((line) => JSON.parse(line) as { event: string; step?: string; name?: string })
        .filter(({ event }) => !['waiting', 'work-spread', 'learned', 'cookies-set'].includes(event))
        .map(({ event, step = '', name = '' }) => `${event} ${step} ${name}`)
        .sort();
    expect(steps(spread)).toEqual(steps(alone));
    // The cookie of the first step went along.
    expect(spread.out).toContain('cookie');
    const id = /"run":"([0-9a-z]+)"/.exec(spread.out)![1]!;
    const view = await machines.start('view', `${id}:sweep[13].post`).done;
    expect(view.out + view.err).toContain('piece-13');
  });

  test('until and a failure end it everywhere', async () => {
    await machines.workers(3);
    const ended = await machines.start('run', 'until.chain.yaml', '--json', '--spread').done;
    expect([ended.code, resultsOf(ended)]).toEqual([0, { enough: true }]);
    expect(asked.length).toBeLessThan(120);
    asked.length = 0;
    const stopped = await machines.start('run', 'stop.chain.yaml', '--spread').done;
    expect([stopped.code, stopped.err]).toEqual([1, expect.stringContaining('0[6]')]);
    expect(asked.length).toBeLessThan(200);
  });

  test('files and rows come to where the run is', async () => {
    await machines.workers(2);
    const { code, err } = await machines.start('run', 'files.chain.yaml', '--spread').done;
    expect([code, err]).toEqual([0, expect.stringContaining('57 iterations')]);
    const rows = readFileSync(join(folder, 'out/list.csv'), 'utf8').trim().split('\n');
    expect([rows[0], rows.length]).toEqual(['id,status', 58]);
    expect([...new Set(rows)]).toHaveLength(58);
    expect(readFileSync(join(folder, 'out/piece-4.txt'), 'utf8')).toBe('picture of /picture/4 '.repeat(2000));
    expect(readdirSync(join(folder, 'out')).filter((name) => name.startsWith('piece-'))).toHaveLength(57);
  });

  test('chains go whole, one beside the other; what waits for a worker says so', async () => {
    const run = machines.start(
      'run',
      'whole.chain.yaml',
      'until.chain.yaml',
      '--spread',
      '--jobs',
      '2',
      '--json',
    );
    await until(async () => (await keysOf(redis)).some((key) => key.includes(':offers')));
    await machines.workers(2);
    const { code, out } = await run.done;
    expect([code, desk.posted, deleted]).toEqual([0, new Map([['bowl', 1]]), ['/jobs/job-bowl']]);
    expect(out).toContain('"made":"\\"job-bowl\\""');
    expect(existsSync(join(folder, 'out/whole.txt'))).toBe(true);
    const alone = machines.start('run', 'whole.chain.yaml', '--spread');
    await alone.done;
    expect(alone.err()).toMatch(/passed\./);
  });

  test('takes work of its own files only, unless it trusts; and none without the secrets', async () => {
    const other = teamProject(
      desk.url,
      { ...CHAINS, 'rows.csv': `id,name\n${ROWS.join('\n')}\n` },
      {
        more: '    as: desk\ncredentials:\n  desk: { kind: header, name: Desk-Key, value: "${secret.desk}" }\n',
      },
    );
    const poor = machines.in(other, { TEAM_DESK: '' });
    const rich = machines.in(other);
    const stranger = machines.start('work');
    const lacking = poor.start('work');
    const run = rich.start('run', 'until.chain.yaml', '--spread');
    await until(() => stranger.err().includes('takes no work'));
    await until(() => lacking.err().includes('takes no work'));
    expect(stranger.err()).toMatch(/its files are other ones than those in/);
    expect(lacking.err()).toMatch(/the secret desk is missing/);
    await until(() => run.err().includes('takes none of it'));
    const trusting = machines.start('work', '--trust');
    const { code } = await run.done;
    expect([code, trusting.err()]).toEqual([0, expect.stringContaining('takes work of until.chain.yaml')]);
    remove(other);
  });

  test('takes no work of another minor version', async () => {
    const root = fileURLToPath(new URL('../..', import.meta.url));
    const later = mkdtempSync(join(tmpdir(), 'batharon-later-'));
    for (const name of ['bin', 'dist', 'package.json'])
      cpSync(join(root, name), join(later, name), { recursive: true });
    const { version } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as { version: string };
    const next = version.replace(
      /^(\d+)\.(\d+)/,
      (_, major, minor) => `${String(major)}.${Number(minor) + 1}`,
    );
    for (const name of readdirSync(join(later, 'dist')).filter((one) => /\.(?:cjs|json)$/.test(one))) {
      const path = join(later, 'dist', name);
      writeFileSync(
        path,
        readFileSync(path, 'utf8')
          .replaceAll(`batharon/${version}`, `batharon/${next}`)
          .replace(/"build":"/, '"build":"later'),
      );
    }
    const worker = machines.program(join(later, 'bin/batharon.cjs'), 'work');
    await until(() => worker.err().includes('waits for work'));
    const run = machines.start('run', 'until.chain.yaml', '--spread');
    await until(() => worker.err().includes('takes no work'));
    expect(worker.err()).toContain(`it comes from version ${version}, and this worker is ${next}`);
    await until(() => run.err().includes(`it comes from version ${version}`));
    remove(later);
  });

  test('a guarded environment asks where the work is given, before any of it is', async () => {
    const other = teamProject(
      desk.url,
      { ...CHAINS, 'rows.csv': `id,name\n${ROWS.join('\n')}\n` },
      { team: 'guard: ask\n' },
    );
    const guarded = machines.in(other);
    await guarded.workers(1);
    const ended = await Promise.all(
      ['gather.chain.yaml', 'whole.chain.yaml'].map((file) => guarded.start('run', file, '--spread').done),
    );
    expect(ended.map(({ code, err }) => [code, /code +(\w+)/.exec(err)?.[1]])).toEqual([
      [3, 'guarded'],
      [3, 'guarded'],
    ]);
    expect([desk.posted.size, deleted]).toEqual([0, []]);
    const meant = await guarded.start('run', 'whole.chain.yaml', '--spread', '--yes').done;
    expect([meant.code, desk.posted.size]).toEqual([0, 1]);
    remove(other);
  });

  test('is given by one machine, and ends after its block when it is told to', async () => {
    const [worker] = await machines.workers(1);
    const status = await machines.start('work', '--status').done;
    expect([status.code, status.out]).toEqual([
      0,
      '1 worker on this machine, 1 in the team; 0 of 1 part under way\n',
    ]);
    desk.delay = 80;
    const run = machines.start('run', 'stop.chain.yaml', '--spread', '--json');
    await until(() => run.out().includes('"iteration-began"'));
    worker!.child.kill('SIGTERM');
    desk.delay = 1;
    const { code, err } = await worker!.done;
    expect([code, err]).toEqual([0, expect.stringContaining('ends after what it is at (1 part)')]);
    const none = await machines.start('work', '--status').done;
    expect([none.code, none.out]).toEqual([1, expect.stringContaining('0 workers')]);
    run.child.kill('SIGINT');
    expect((await run.done).code).not.toBe(4);
  });

  test('what work is given of is on disk before anybody can begin with it', async () => {
    // What is recorded gets to the disk where that is waited for, not after a while.
    const path = join(mkdtempSync(join(tmpdir(), 'batharon-lazy-')), 'lazy.cjs');
    writeFileSync(
      path,
      'const set = setTimeout;\nglobalThis.setTimeout = (work, after, ...of) => set(work, after === 30 ? 3_600_000 : after, ...of);\n',
    );
    await machines.workers(1);
    const run = machines
      .with({ NODE_OPTIONS: `--require ${path}` })
      .start('run', 'until.chain.yaml', '--spread', '--json');
    await until(() => asked.length > 0);
    run.child.kill('SIGKILL');
    await run.done;
    const id = /"run":"([0-9a-z]+)"/.exec(run.out())![1]!;
    const gone = await machines.start('resume', id, '--json').done;
    expect([gone.code, gone.err, gone.code === 0 && resultsOf(gone)]).toEqual([
      0,
      expect.stringContaining('came from the other machines'),
      { enough: true },
    ]);
  });

  test('where Redis has lost what was stored, the run ends, and goes on by its record', async () => {
    await machines.workers(1);
    desk.delay = 60;
    const run = machines.start('run', 'gather.chain.yaml', '--spread', '--json', '--leave');
    await until(() => desk.posted.size > 15);
    await forget(redis);
    const { code, out } = await run.done;
    expect([code, out]).toEqual([3, expect.stringContaining('has lost the work that was given')]);
    desk.delay = 1;
    const id = /"run":"([0-9a-z]+)"/.exec(out)![1]!;
    const gone = await machines.start('resume', id, '--json', '--leave', '--not-sent').done;
    expect([gone.code, resultsOf(gone).ids]).toEqual([1, expect.arrayContaining(['job-piece-56'])]);
  });

  test('nothing that is secret, and nothing of what is sent, stands readable in Redis', async () => {
    const [worker] = await machines.workers(1);
    const run = machines.start('run', 'gather.chain.yaml', '--spread', '--json');
    await until(() => run.out().includes('"iteration-began"'));
    worker!.child.kill('SIGSTOP');
    run.child.kill('SIGSTOP');
    const all = await dump(redis);
    worker!.child.kill('SIGCONT');
    run.child.kill('SIGCONT');
    await run.done;
    expect(all.length).toBeGreaterThan(1000);
    for (const secret of [
      'glaze-7Qx2mLw9',
      'left9876543210',
      'piece-1',
      'a key for the tests',
      'Gather',
      'job-piece',
      'sweep',
    ])
      expect(all.includes(secret)).toBe(false);
  });
});
