import { setTimeout as pause } from 'node:timers/promises';
import type { TeamRedis } from './team-redis.ts';
import { queueOf, type Told, WorkNames } from './team-work.ts';
import { toldOf } from './work-session.ts';

/** How often is looked whether workers have ended what they were at, in milliseconds. */
const LOOK = 200;

/**
 * What workers have told of a run whose machine was gone, in the order in which it was told. No further iteration begins; those under
 * way are waited for, as long as their workers live. `waiting` is told once how many parts that is.
 */
export async function leftWork(
  team: TeamRedis,
  run: string,
  waiting: (parts: number) => void,
): Promise<{ readonly told: readonly Told[]; forget(): Promise<void> }> {
  const names = new WorkNames(team);
  const offers = await team.do((redis) => redis.smembers(names.ofRun(run)));
  const told: Told[] = [];
  const done: (() => Promise<unknown>)[] = [];
  let isSaid = false;
  for (const offer of offers) {
    const control = names.control(offer);
    await team.do((redis) =>
      redis.multi().hset(control, 'halt *', '1').pexpire(control, 3_600_000).publish(control, '').exec(),
    );
    const queue = queueOf(team, team.redis, offer);
    const jobs = await team.do((redis) => redis.smembers(names.jobs(offer)));
    for (const job of jobs) await team.do(() => queue.remove(job));
    const isHeld = async (job: string): Promise<boolean> =>
      (await team.do((redis) => redis.exists(names.lock(offer, job)))) === 1;
    for (let left = jobs; ; await pause(LOOK)) {
      const held = await Promise.all(left.map(isHeld));
      left = left.filter((_, i) => held[i]);
      if (left.length === 0) break;
      if (!isSaid) waiting(left.length);
      isSaid = true;
    }
    for (const job of jobs) told.push(...(await toldOf(team, offer, job)).told);
    done.push(async () => {
      await team.do((redis) =>
        redis
          .multi()
          .del(
            ...jobs.flatMap((job) => [names.told(offer, job), names.answers(offer, job)]),
            names.jobs(offer),
          )
          .del(names.takers(offer), names.refusals(offer), names.taken(offer))
          .hdel(names.offers, offer)
          .srem(names.ofRun(run), offer)
          .exec(),
      );
      await queue.obliterate({ force: true }).catch(() => undefined);
      await queue.close();
    });
  }
  return {
    told,
    forget: async () => {
      for (const one of done) await one();
    },
  };
}
