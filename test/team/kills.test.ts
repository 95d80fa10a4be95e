// Workers, the machine that gives the work and Redis are lost at random moments: nothing is sent twice, nothing is missing.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import {
  type Desk,
  endAll,
  hasRedis,
  Machines,
  remove,
  startDesk,
  startRedis,
  type Started,
  teamProject,
  type TestRedis,
} from './machines.ts';

const PROVE = process.env.PROVE !== undefined;
const RUNS = PROVE ? Number(process.env.RUNS ?? 100) : 2;
const POSTS = PROVE ? 400 : 160;
/** Seeds of the moments. */
let seed = Number(process.env.SEED ?? 20_261_130);
const chance = (): number => {
  seed = (Math.imul(seed, 1_103_515_245) + 12_345) & 0x7fffffff;
  return seed / 0x7fffffff;
};

const CHAIN = `chain: Post
inputs:
  rows: { kind: rows, default: rows.csv }
steps:
  - each: row in rows
    spread: 20
    at-once: 4
    when-one-fails: continue
    gather: { ids: made.id }
    steps:
      - name: post
        call: POST kiln /jobs
        json: { piece: '\${row.name}' }
        idempotency: yes
        keep: { made: $ }
results:
  ids: ids
`;
/** The same without keys: whether a request was processed is said by whoever looks at the service. */
const UNKEYED = CHAIN.replace('        idempotency: yes\n', '');

/** What a run ended with, of its events. */
function lastOf(events: string): { readonly results: { readonly ids: string } } {
  return JSON.parse(events.trim().split('\n').at(-1)!) as { results: { ids: string } };
}

/** Says of each request of unknown outcome whether the service has processed it. */
function decisions(asked: string, desk: Desk): string[] {
  return [...asked.matchAll(/^unknown\s+(0\[(\d+)\]\.post)/gm)].flatMap(([, step, at]) =>
    desk.posted.has(`piece-${at!}`)
      ? ['--sent', step!, '--give', `${step!}.made={"id":"job-piece-${at!}"}`]
      : ['--not-sent', step!],
  );
}

(hasRedis ? describe : describe.skip)('losses', () => {
  let redis: TestRedis;
  let desk: Desk;
  let folder: string;
  let machines: Machines;
  beforeAll(async () => {
    redis = await startRedis();
    desk = await startDesk();
    const rows = Array.from({ length: POSTS }, (_, i) => `piece-${i}`);
    folder = teamProject(desk.url, {
      'post.chain.yaml': CHAIN,
      'unkeyed.chain.yaml': UNKEYED,
      'rows.csv': `name\n${rows.join('\n')}\n`,
    });
    machines = new Machines(folder, redis);
  }, 60_000);
  afterEach(() => endAll());
  afterAll(async () => {
    endAll();
    await desk.close();
    await redis.stop();
    remove(folder);
  });

  test(
    `${RUNS} runs of ${POSTS} requests over 4 workers`,
    async () => {
      const wanted = Array.from({ length: POSTS }, (_, i) => `job-piece-${i}`);
      for (let nth = 0; nth < RUNS; nth++) {
        desk.posted.clear();
        desk.times.length = 0;
        const run = `run ${nth} of seed ${seed}`;
        let workers = await machines.workers(4);
        const chain = nth % 2 === 0 ? 'post.chain.yaml' : 'unkeyed.chain.yaml';
        const begin = (): Started => machines.start('run', chain, '--spread', '--json');
        let giver = begin();
        let result: { readonly results: { readonly ids: string } } | undefined;
        let id = '';
        let kills = 0;
        const said: string[] = [];
        for (let rounds = 0; rounds < 200 && !result; rounds++) {
          const ended = await Promise.race([
            giver.done,
            new Promise<undefined>((resolve) => setTimeout(() => resolve(undefined), 150 + chance() * 900)),
          ]);
          id ||= /"run":"([0-9a-z]+)"/.exec(giver.out())?.[1] ?? '';
          if (ended) {
            said.push(`${ended.code}: ${ended.err}`);
            if (ended.code === 0) result = lastOf(ended.out);
            // It was lost after the last line of its record, and before it could say so.
            else if (ended.err.includes(`the run ${id} passed`))
              result = lastOf(readFileSync(join(folder, '.batharon/runs', id, 'events.jsonl'), 'utf8'));
            // It was lost before its beginning was on disk: then nothing of it has begun anywhere.
            else if (/no run \w+ is recorded|no beginning that can be read/.test(ended.err)) {
              expect([run, ended.err, desk.posted.size]).toEqual([run, ended.err, 0]);
              id = '';
              giver = begin();
            }
            // It had been lost for good, or some request with it: it is gone on with.
            else {
              // What was on its way has come by then.
              await new Promise((resolve) => setTimeout(resolve, 100));
              giver = machines.start('resume', id, '--json', ...decisions(ended.err, desk));
            }
            continue;
          }
          if (kills++ > 5) continue;
          const what = chance();
          if (what < 0.5) {
            workers[0]!.child.kill('SIGKILL');
            workers = [...workers.slice(1), machines.start('work')];
          } else if (what < 0.8 && id !== '') giver.child.kill('SIGKILL');
          else if (what < 0.9) {
            await redis.stop();
            await redis.start();
          }
        }
        if (!result) throw new Error([`${run}: it never passed`, ...said, giver.err()].join('\n---\n'));
        const twice = [...desk.posted].filter(([, times]) => times > 1);
        const missing = wanted.filter((one) => !desk.posted.has(one.slice(4)));
        expect({
          run,
          twice,
          said: twice.length > 0 ? said : [],
          missing,
          ids: JSON.parse(result.results.ids) as unknown,
        }).toEqual({
          run,
          twice: [],
          said: [],
          missing: [],
          ids: wanted,
        });
        endAll();
      }
    },
    PROVE ? 3_600_000 : 90_000,
  );
});
