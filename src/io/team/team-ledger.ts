import type { Redis } from 'ioredis';
import type { Ledger } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import type { TeamRedis } from './team-redis.ts';

/** A count is kept for so long after its period has begun, in milliseconds: two days, so that the longest has ended. */
const KEPT = 172_800_000;

/** Takes as many calls as are left, up to a number; gives how many that is, how many are used then, and how many machines there are. */
const TAKE = `
local used = tonumber(redis.call('GET', KEYS[1]) or '0')
local taken = math.max(0, math.min(tonumber(ARGV[2]), tonumber(ARGV[1]) - used))
if taken > 0 then
  redis.call('INCRBY', KEYS[1], taken)
  redis.call('PEXPIRE', KEYS[1], ARGV[3])
end
redis.call('ZREMRANGEBYSCORE', KEYS[2], '-inf', ARGV[4])
redis.call('ZADD', KEYS[2], ARGV[5], ARGV[6])
return { taken, used + taken, redis.call('ZCARD', KEYS[2]) }
`;

const GIVE_BACK = `
local used = tonumber(redis.call('GET', KEYS[1]) or '0')
redis.call('SET', KEYS[1], math.max(0, used - tonumber(ARGV[1])), 'KEEPTTL')
`;

/** How long a machine counts as one that takes from a budget, in milliseconds. */
const PRESENT = 60_000;

interface Known {
  used: number;
  machines: number;
  /** What this machine has taken while Redis was away, and has not told yet. */
  alone: number;
}

type Scripted = Redis & {
  budgetTake(...args: (string | number)[]): Promise<[number, number, number]>;
  budgetGiveBack(...args: (string | number)[]): Promise<unknown>;
};

/** Counts the calls of all machines of a team in Redis, by its clock. */
export class TeamLedger implements Ledger {
  readonly isExact = true;
  readonly #team: TeamRedis;
  readonly #known = new Map<string, Known>();

  constructor(team: TeamRedis) {
    this.#team = team;
    team.redis.defineCommand('budgetTake', { numberOfKeys: 2, lua: TAKE });
    team.redis.defineCommand('budgetGiveBack', { numberOfKeys: 1, lua: GIVE_BACK });
  }

  now(): number {
    return this.#team.now();
  }

  #key(budget: string, period: number): string {
    return this.#team.name('budget', `${budget} ${period}`);
  }

  /** Throws `team-away`. */
  async take(budget: string, period: number, limit: number, calls: number): Promise<number> {
    const key = this.#key(budget, period);
    const known = this.#known.get(key) ?? { used: 0, machines: 1, alone: 0 };
    this.#known.set(key, known);
    try {
      // What was taken alone counts first.
      const owed = known.alone;
      const now = Math.floor(this.#team.now());
      const [taken, used, machines] = await this.#team.do((redis) =>
        (redis as Scripted).budgetTake(
          key,
          `${key}:machines`,
          limit,
          calls + owed,
          KEPT,
          now,
          now + PRESENT,
          this.#team.machine,
        ),
      );
      known.alone -= Math.min(owed, taken);
      known.used = used;
      known.machines = machines;
      return Math.max(0, taken - owed);
    } catch (error) {
      if (!isAway(error) || this.#team.setting.without === 'stop') throw error;
      const share = Math.floor((limit - known.used) / known.machines);
      const taken = Math.max(0, Math.min(calls, share - known.alone));
      known.alone += taken;
      return taken;
    }
  }

  async giveBack(budget: string, period: number, calls: number): Promise<void> {
    const key = this.#key(budget, period);
    await this.#team.do((redis) => (redis as Scripted).budgetGiveBack(key, calls));
  }

  async used(budget: string, period: number): Promise<number> {
    const key = this.#key(budget, period);
    return Number((await this.#team.do((redis) => redis.get(key))) ?? 0);
  }
}

export function isAway(error: unknown): boolean {
  return error instanceof ProblemError && error.problem.code === 'team-away';
}
