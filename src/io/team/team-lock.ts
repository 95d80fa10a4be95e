import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { Redis } from 'ioredis';
import type { TeamRedis } from './team-redis.ts';

const KEEP = `if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('PEXPIRE', KEYS[1], ARGV[2]) end return 0`;
const LET_GO = `if redis.call('GET', KEYS[1]) == ARGV[1] then return redis.call('DEL', KEYS[1]) end return 0`;

/** How often is looked whether another machine has let go, in milliseconds. */
const LOOK = 50;

type Scripted = Redis & {
  lockKeep(key: string, owner: string, lease: number): Promise<number>;
  lockLetGo(key: string, owner: string): Promise<number>;
};

/** Does something that no other machine of the team does at the same time, under a lease that ends with the machine. Throws `team-away`. */
export async function aloneInTeam<T>(team: TeamRedis, name: string, work: () => Promise<T>): Promise<T> {
  const { redis, setting } = team;
  redis.defineCommand('lockKeep', { numberOfKeys: 1, lua: KEEP });
  redis.defineCommand('lockLetGo', { numberOfKeys: 1, lua: LET_GO });
  const scripted = redis as Scripted;
  const key = team.name('lock', name);
  const owner = `${team.machine} ${randomBytes(6).toString('hex')}`;
  while ((await team.do(() => redis.set(key, owner, 'PX', setting.lease, 'NX'))) === null) await pause(LOOK);
  const keeping = setInterval(() => {
    if (team.isThere) scripted.lockKeep(key, owner, setting.lease).catch(() => undefined);
  }, setting.lease / 3);
  try {
    return await work();
  } finally {
    clearInterval(keeping);
    if (team.isThere) await scripted.lockLetGo(key, owner).catch(() => undefined);
  }
}
