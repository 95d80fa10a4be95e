import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { Redis } from 'ioredis';
import { fail } from '../../core/problems.ts';
import { hasEndedHere } from './machine-name.ts';
import type { TeamRedis } from './team-redis.ts';

const KEEP = `if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('PEXPIRE', KEYS[1], ARGV[2]) end return 0`;
const LET_GO = `if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('DEL', KEYS[1]) end return 0`;

/** How often is looked whether another machine has let go, in milliseconds. */
const LOOK = 50;

type Scripted = Redis & {
  lockKeep(key: string, owner: string, lease: number): Promise<number>;
  lockLetGo(key: string, owner: string): Promise<number>;
};

/** Keeps what this process has taken under a lease; gives what lets it go. */
function keepLease(team: TeamRedis, key: string, owner: string): () => Promise<void> {
  const { redis, setting } = team;
  redis.defineCommand('lockKeep', { numberOfKeys: 1, lua: KEEP });
  redis.defineCommand('lockLetGo', { numberOfKeys: 1, lua: LET_GO });
  const scripted = redis as Scripted;
  const keeping = setInterval(() => {
    if (team.isThere) scripted.lockKeep(key, owner, setting.lease).catch(() => undefined);
  }, setting.lease / 3);
  keeping.unref();
  return async () => {
    clearInterval(keeping);
    if (team.isThere) await scripted.lockLetGo(key, owner).catch(() => undefined);
  };
}

/** Does something that no other machine of the team does at the same time, under a lease that ends with the machine. Throws `team-away`. */
export async function aloneInTeam<T>(team: TeamRedis, name: string, work: () => Promise<T>): Promise<T> {
  const { setting } = team;
  const key = team.name('lock', name);
  const owner = `${team.machine} ${randomBytes(6).toString('hex')}`;
  while ((await team.do((redis) => redis.set(key, owner, 'PX', setting.lease, 'NX'))) === null)
    await pause(LOOK);
  const letGo = keepLease(team, key, owner);
  try {
    return await work();
  } finally {
    await letGo();
  }
}

/**
 * Takes a run for this process, so that no other machine goes on with it meanwhile; gives what lets it go. A machine that was lost
 * is waited for until its lease has ended. Throws `cannot-resume` where the run goes on elsewhere, `team-away`.
 */
export async function takeRun(team: TeamRedis, run: string): Promise<() => Promise<void>> {
  const { machine, setting } = team;
  const key = team.name('running', run);
  const since = performance.now();
  for (;;) {
    const isTaken = await team.do((redis) => redis.set(key, machine, 'PX', setting.lease, 'NX'));
    if (isTaken !== null) return keepLease(team, key, machine);
    const holder = await team.do((redis) => redis.get(key));
    if (holder !== null && hasEndedHere(holder)) await keepLease(team, key, holder)();
    else if (performance.now() - since > setting.lease + 1000)
      fail('cannot-resume', `the run ${run} still goes on, on ${holder ?? 'another machine'}`, {
        hint: 'once it has ended there',
      });
    else await pause(LOOK);
  }
}
