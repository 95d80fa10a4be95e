import type { Redis } from 'ioredis';
import type { PaceSetting } from '../../core/chain/project.ts';
import type { PaceAnswer, PaceGrant, PaceHeard, SharedPace, SharedPaces } from '../../core/team-ports.ts';
import { ASK, BEAT, LEFT, SENT, WAIT } from './team-pace-scripts.ts';
import type { TeamRedis } from './team-redis.ts';

/** A machine that says nothing for so long keeps no place at a service any more, in milliseconds. */
const LEASE = 3000;

type Arguments = readonly (string | number)[];
type Scripted = Redis &
  Record<
    'paceAsk' | 'paceSent' | 'paceLeft' | 'paceWait' | 'paceBeat',
    (...args: Arguments) => Promise<unknown>
  >;

/** The paces of a team, kept in Redis: each step is one script, which nothing comes between. */
export class TeamPaces implements SharedPaces {
  readonly #team: TeamRedis;
  readonly #open = new Set<TeamPace>();
  #beating: NodeJS.Timeout | undefined;

  constructor(team: TeamRedis) {
    this.#team = team;
    const define = (name: string, lua: string): void =>
      team.redis.defineCommand(name, { numberOfKeys: 6, lua });
    define('paceAsk', ASK);
    define('paceSent', SENT);
    define('paceLeft', LEFT);
    define('paceWait', WAIT);
    define('paceBeat', BEAT);
  }

  open(
    { name, origin }: { readonly name: string; readonly origin: string },
    changed: () => void,
  ): SharedPace {
    const pace = new TeamPace(this.#team, `pace:${name} ${origin}`, changed, () => this.#open.delete(pace));
    this.#open.add(pace);
    if (!this.#beating) {
      this.#beating = setInterval(() => this.#beat(), LEASE / 3);
      this.#beating.unref();
    }
    return pace;
  }

  #beat(): void {
    if (this.#team.isThere) for (const pace of this.#open) pace.beat();
  }

  close(): void {
    clearInterval(this.#beating);
    for (const pace of [...this.#open]) pace.close();
  }
}

class TeamPace implements SharedPace {
  readonly #team: TeamRedis;
  readonly #keys: readonly string[];
  readonly #closed: () => void;
  readonly #deaf: () => void;
  #lease: number;
  #isWaiting = false;
  /** That of the rate, in milliseconds. */
  #period = 0;

  constructor(team: TeamRedis, name: string, changed: () => void, closed: () => void) {
    this.#team = team;
    const key = team.name(name);
    this.#keys = [key, `${key}:recent`, `${key}:under`, `${key}:promised`, `${key}:machines`, `${key}:line`];
    this.#closed = closed;
    this.#lease = Math.min(LEASE, team.setting.lease);
    this.#deaf = team.listen(key, changed);
  }

  get #redis(): Scripted {
    return this.#team.redis as Scripted;
  }

  async ask({ rate, burst, atOnce }: PaceSetting, wanted: number): Promise<PaceAnswer> {
    this.#isWaiting = true;
    this.#period = rate?.period ?? 0;
    const [first, afters, wait, blocked, by, machines] = (await this.#team.do(() =>
      this.#redis.paceAsk(
        ...this.#keys,
        this.#team.machine,
        wanted,
        rate?.count ?? 0,
        rate?.period ?? 0,
        burst,
        atOnce ?? 0,
        this.#lease,
      ),
    )) as [number, number[], number, number, string, number];
    this.#isWaiting = afters.length < wanted;
    return {
      granted: afters.map((after, i) => ({ id: first + i, after })),
      ...(wait < 0 ? {} : { wait }),
      ...(blocked > 0 ? { blocked: { wait: blocked, ...(by === '' ? {} : { by }) } } : {}),
      machines,
    };
  }

  withdraw(): void {
    if (this.#isWaiting) this.#tell((redis) => redis.zrem(this.#keys[5]!, this.#team.machine));
    this.#isWaiting = false;
  }

  sent({ id }: PaceGrant): void {
    this.#tell(() => this.#redis.paceSent(...this.#keys, this.#team.machine, id, this.#period));
  }

  left({ id }: PaceGrant, { left }: PaceHeard): void {
    const [requests, resets] =
      left === undefined ? ['', ''] : left === 'unlimited' ? ['none', ''] : [left.requests, left.resets];
    this.#tell(() => this.#redis.paceLeft(...this.#keys, this.#team.machine, id, requests, resets));
  }

  wait(milliseconds: number, by: string | undefined): void {
    this.#tell(() =>
      this.#redis.paceWait(...this.#keys, this.#team.machine, Math.ceil(milliseconds), by ?? ''),
    );
  }

  beat(): void {
    this.#tell(() => this.#redis.paceBeat(...this.#keys, this.#team.machine, this.#lease));
  }

  /** Says something that nobody waits for; while Redis is away it is lost, and so is what this machine held there. */
  #tell(say: (redis: Redis) => Promise<unknown>): void {
    if (this.#team.isThere) say(this.#team.redis).catch(() => undefined);
  }

  close(): void {
    this.withdraw();
    this.#deaf();
    this.#closed();
  }
}
