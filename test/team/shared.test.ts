// What machines share: how fast a service is asked, budgets, tokens, what a run meant to send; and what happens while Redis is away.
import { cpSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import {
  type Desk,
  dump,
  endAll,
  hasRedis,
  Machines,
  mostWithin,
  remove,
  startDesk,
  startRedis,
  type Started,
  teamProject,
  type TestRedis,
  until,
} from './machines.ts';

const PROVE = process.env.PROVE !== undefined;

/** A program that is told another time: its clock is off by so many minutes. */
function skewed(minutes: number): string {
  const path = join(mkdtempSync(join(tmpdir(), 'batharon-skew-')), 'skew.cjs');
  writeFileSync(
    path,
    `const now = Date.now; Date.now = () => now() + ${minutes * 60_000};\nconst Real = Date;\nglobalThis.Date = class extends Real { constructor(...of) { of.length === 0 ? super(Real.now()) : super(...of); } };\n`,
  );
  return `--require ${path}`;
}

const SWEEP = `chain: Sweep
inputs:
  rows: { kind: rows, default: rows.csv }
steps:
  - each: row in rows
    spread: 25
    at-once: 16
    when-one-fails: continue
    steps:
      - call: GET kiln /look/\${row.id}
`;
const many = (of: number): string => `chain: Many
steps:
  - each: n in range(1, ${of})
    at-once: 8
    steps:
      - call: GET kiln /look/\${n}
`;

(hasRedis ? describe : describe.skip)('a team', () => {
  let redis: TestRedis;
  let desk: Desk;
  const folders: string[] = [];
  beforeAll(async () => {
    redis = await startRedis();
    desk = await startDesk();
  }, 60_000);
  afterEach(() => {
    endAll();
    desk.times.length = desk.refused = 0;
    desk.posted.clear();
    desk.rate = desk.answer = undefined;
    desk.delay = 4;
  });
  afterAll(async () => {
    endAll();
    await desk.close();
    await redis.stop();
    folders.forEach(remove);
  });
  const team = (files: Record<string, string>, of: Parameters<typeof teamProject>[2] = {}): Machines => {
    const folder = teamProject(desk.url, files, of);
    folders.push(folder);
    return new Machines(folder, redis);
  };

  const CALLS = PROVE ? 3000 : 200;
  test.each<[string, boolean]>([
    ...(PROVE ? [['workers keep to 50 a second', false] as [string, boolean]] : []),
    ['workers keep to 50 a second while one of them is lost every second', true],
  ])(
    '%s',
    async (_, dying) => {
      const rows = Array.from({ length: CALLS }, (_row, i) => String(i));
      const machines = team(
        { 'sweep.chain.yaml': SWEEP, 'rows.csv': `id\n${rows.join('\n')}\n` },
        { pace: '50 per second' },
      );
      const workers = await machines.workers(PROVE ? 8 : 4);
      desk.rate = 50;
      const run = machines.start('run', 'sweep.chain.yaml', '--spread');
      await until(() => desk.times.length > 0);
      const losing = dying
        ? setInterval(() => {
            workers.shift()!.child.kill('SIGKILL');
            workers.push(machines.start('work'));
          }, 1000)
        : undefined;
      const { code, err } = await run.done;
      clearInterval(losing);
      const calls = desk.times.length;
      const ideal = ((calls - 1) / 50) * 1000;
      const took = desk.times.at(-1)! - desk.times[0]!;
      expect([code, dying ? '' : /(\d+) calls, [\d.]+/.exec(err)?.[1]?.replace(',', '')]).toEqual([
        0,
        dying ? '' : String(CALLS),
      ]);
      expect([mostWithin(desk.times, 1000) <= 50, desk.refused]).toEqual([true, 0]);
      // What is short has a beginning and an end, and a lost worker's block waits for its lease.
      if (PROVE) expect(took / ideal).toBeLessThanOrEqual(1.05);
      if (PROVE)
        process.stderr.write(
          `${calls} calls in ${Math.round(took)} ms, ideal ${Math.round(ideal)}: ${(took / ideal).toFixed(3)}\n`,
        );
    },
    PROVE ? 300_000 : 60_000,
  );

  test('what the service says to one holds for all', async () => {
    const machines = team({ 'many.chain.yaml': many(30) }, { pace: '{ at-once: 3 }' });
    let under = 0;
    let most = 0;
    let until_ = 0;
    let early = 0;
    desk.delay = 15;
    desk.answer = (_request, response) => {
      under--;
      const now = performance.now();
      // Once, the service wants to be left alone for a second.
      if (desk.times.length === 20) {
        until_ = now + 1000;
        response.writeHead(429, { 'retry-after': '1' }).end();
        return true;
      }
      if (now < until_ - 1000 + 60) return false;
      if (now < until_) early++;
      return false;
    };
    const { push } = desk.times;
    desk.times.push = function (time: number) {
      most = Math.max(most, ++under);
      return push.call(this, time);
    };
    const runs = Array.from({ length: 4 }, () => machines.start('run', 'many.chain.yaml'));
    const ended = await Promise.all(runs.map(({ done }) => done));
    delete (desk.times as { push?: unknown }).push;
    expect(ended.map(({ code }) => code)).toEqual([0, 0, 0, 0]);
    expect([most <= 3, early]).toEqual([true, 0]);
  }, 60_000);

  test('a budget is exact, whatever the clocks of the machines say', async () => {
    const machines = team({ 'many.chain.yaml': many(40) }, { pace: '{ budget: 100 per day }' });
    // None is so far that another one would not begin: a run that could not end does not.
    const held: (() => void)[] = [];
    desk.answer = (_request, response) => {
      response.setHeader('content-type', 'application/json');
      if (held.length === 32) response.end('{"ok":true}');
      else if (held.push(() => response.end('{"ok":true}')) === 32) for (const go of held) go();
      return true;
    };
    const all = [0, 7, -9, 3].map((minutes) =>
      machines.with({ NODE_OPTIONS: minutes === 0 ? '' : skewed(minutes) }).start('run', 'many.chain.yaml'),
    );
    const ended = await Promise.all(all.map(({ done }) => done));
    expect([
      desk.times.length,
      ended.filter(({ code, err }) => code !== 0 && !err.includes('budget-used-up')),
    ]).toEqual([100, []]);
    const codes = new Set(ended.map(({ code }) => code));
    expect([codes.has(3), codes.has(1), codes.has(4)]).toEqual([true, false, false]);
    expect(ended.map(({ err }) => err).join('')).toContain('budget-used-up');
  }, 60_000);

  test('12 machines use a refresh token that rotates once each', async () => {
    const used = new Map<string, number>();
    let nth = 0;
    const good = new Set(['refresh-first-1']);
    desk.answer = ({ url }, response, body) => {
      if (url !== '/token') return false;
      const token = new URLSearchParams(body).get('refresh_token')!;
      used.set(token, (used.get(token) ?? 0) + 1);
      response.setHeader('content-type', 'application/json');
      if (!good.delete(token)) {
        response.writeHead(400).end('{"error":"invalid_grant"}');
        return true;
      }
      const next = `refresh-next-${++nth}`;
      good.add(next);
      response.end(
        JSON.stringify({
          access_token: `access-${nth}`,
          token_type: 'bearer',
          expires_in: 31,
          refresh_token: next,
        }),
      );
      return true;
    };
    const machines = team(
      { 'many.chain.yaml': many(6).replace('at-once: 8', 'at-once: 1') },
      {
        more: `    as: person\n    insecure: yes\ncredentials:\n  person:\n    kind: oauth2\n    grant: refresh-token\n    token-url: ${desk.url}/token\n    client-id: studio\n    refresh-token: \${secret.desk}\n`,
      },
    );
    desk.delay = 250;
    const rounds = PROVE ? 10 : 1;
    for (let round = 0; round < rounds; round++) {
      const all: Started[] = Array.from({ length: 12 }, (_, i) =>
        machines
          .with({ TEAM_DESK: 'refresh-first-1', NODE_OPTIONS: i % 3 === 0 ? skewed(i - 5) : '' })
          .start('run', 'many.chain.yaml'),
      );
      const ended = await Promise.all(all.map(({ done }) => done));
      expect(ended.map(({ code, err }) => (code === 0 ? 0 : err))).toEqual(
        Array.from({ length: 12 }, () => 0),
      );
    }
    expect([...used.values()].every((times) => times === 1)).toBe(true);
    expect(used.size).toBeGreaterThanOrEqual(rounds);
    const stored = (await dump(redis)).toString('latin1');
    expect(/refresh-next|refresh-first|access-\d/.exec(stored)?.[0]).toBeUndefined();
    // One machine renews; the others take what it got.
    expect(used.size).toBeLessThan(rounds * 12);
  }, 120_000);

  test('another machine goes on by what was meant to be sent', async () => {
    const chain = `chain: Post
steps:
  - name: first
    call: POST kiln /jobs
    json: { piece: bowl }
    keep: { id: $.id }
  - name: second
    call: POST kiln /slow
    json: { piece: vase }
  - call: GET kiln /look
results:
  id: id
`;
    const here = team({ 'post.chain.yaml': chain });
    let stuck = true;
    desk.answer = ({ url }) => url === '/slow' && stuck;
    const run = here.start('run', 'post.chain.yaml', '--json');
    await until(() => desk.times.length === 2);
    const id = /"run":"([0-9a-z]+)"/.exec(run.out())![1]!;
    // While it goes on, nobody else goes on with it.
    const early = await here.start('resume', id).done;
    expect([early.code, early.err]).toEqual([2, expect.stringContaining('still goes on')]);
    run.child.kill('SIGKILL');
    await run.done;
    stuck = false;
    // The machine that takes over has the project, and no record of the run.
    const folder = mkdtempSync(join(tmpdir(), 'batharon-other-'));
    folders.push(folder);
    cpSync(here.folder, folder, { recursive: true, filter: (path) => !path.includes('.batharon') });
    const there = here.in(folder);
    const asked = await there.start('resume', id).done;
    expect([asked.code, asked.err]).toEqual([2, expect.stringMatching(/unknown +second/)]);
    const gone = await there.start('resume', id, '--not-sent', 'second').done;
    expect([gone.code, gone.out.trim(), [...desk.posted]]).toEqual([
      0,
      '{\n  "id": "job-bowl"\n}',
      [
        ['bowl', 1],
        ['vase', 1],
      ],
    ]);
  }, 60_000);

  /** A team of its own, at a Redis that is stopped while it works. */
  const alone = async (
    work: (at: { redis: TestRedis; desk: Desk; team: typeof team }) => Promise<void>,
  ): Promise<void> => {
    const own = await startRedis();
    const service = await startDesk();
    const made = (...[files, of]: Parameters<typeof team>): Machines => {
      const folder = teamProject(service.url, files, of);
      folders.push(folder);
      return new Machines(folder, own);
    };
    try {
      await work({ redis: own, desk: service, team: made });
    } finally {
      await service.close();
      await own.stop();
    }
  };

  const away = (without: 'stop' | 'go-on', exit: number): Promise<void> =>
    alone(async (at) => {
      const machines = at.team(
        { 'many.chain.yaml': many(120) },
        { pace: '{ rate: 40 per second, at-once: 6 }', team: `  without: ${without}\n` },
      );
      at.desk.rate = 45;
      const [one, two] = [machines.start('run', 'many.chain.yaml'), machines.start('run', 'many.chain.yaml')];
      // Both have begun: what has not does not begin without Redis.
      await until(
        () => at.desk.times.length > 20 && [one, two].every((each) => each.out() + each.err() !== ''),
      );
      await at.redis.stop();
      const ended = await Promise.all([one.done, two.done]);
      await at.redis.start();
      expect(ended.map(({ code }) => code)).toEqual([exit, exit]);
      expect(mostWithin(at.desk.times, 1000)).toBeLessThanOrEqual(45);
      if (without === 'go-on') return;
      expect(ended[0].err).toContain("can't be reached for 7s");
      const id = /run ([0-9a-z]{6,})/.exec(ended[0].err)![1]!;
      const before = at.desk.times.length;
      const gone = await machines.start('resume', id).done;
      expect([gone.code, at.desk.times.length - before < 120]).toEqual([0, true]);
    });

  const restarted = (): Promise<void> =>
    alone(async (at) => {
      const machines = at.team({ 'many.chain.yaml': many(150) }, { pace: '{ rate: 50 per second }' });
      const run = machines.start('run', 'many.chain.yaml');
      await until(() => at.desk.times.length > 20);
      await at.redis.stop();
      await new Promise((resolve) => setTimeout(resolve, 700));
      await at.redis.start();
      const { code } = await run.done;
      expect([code, at.desk.times.length]).toEqual([0, 150]);
    });

  const unreachable = async (): Promise<void> => {
    const machines = team({ 'many.chain.yaml': many(2) });
    const [lost, short, wrong] = await Promise.all(
      [
        { TEAM_REDIS: 'redis://:ember-7Qx2@127.0.0.1:9' },
        { TEAM_KEY: 'short' },
        { TEAM_REDIS: 'http://127.0.0.1' },
      ].map((env) => machines.with(env).start('run', 'many.chain.yaml').done),
    );
    expect([lost!.code, lost!.err]).toEqual([
      2,
      expect.stringMatching(/Redis at 127\.0\.0\.1:9, where .*ECONNREFUSED/),
    ]);
    expect(lost!.err + lost!.out).not.toContain('ember-7Qx2');
    expect([short!.code, short!.err]).toEqual([
      2,
      expect.stringContaining('the key of the team has 5 characters'),
    ]);
    expect([wrong!.code, wrong!.err]).toEqual([2, expect.stringContaining('is no URL of Redis')]);
    expect(desk.times).toHaveLength(0);
  };

  test('Redis away: a run stops, or goes on by its part; a restart is waited for; none begins', async () => {
    await Promise.all([away('stop', 3), away('go-on', 0), restarted(), unreachable()]);
  }, 90_000);
});
