import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { RunEvent } from '../../core/events.ts';
import type { RunRecord } from '../../core/ports.ts';
import { fail, type Problem, ProblemError } from '../../core/problems.ts';
import type { Redis } from './team-queue.ts';
import type { TeamRedis } from './team-redis.ts';
import { type DeskReply, type DeskRequest, FORGOTTEN, isPassing, type Told, WorkNames } from './team-work.ts';

/** Events are gathered for so long before they are told, in milliseconds; or so many of them. */
const GATHERED_FOR = 30;
const GATHERED = 400;
/** What is told and has not been taken yet takes no more, in bytes. */
const MOST_AHEAD = 8 * 1024 * 1024;
/** How often is looked whether it has been, in milliseconds. */
const LOOK = 20;

/** Tells, as long as the job is still this worker's: what another one has begun anew is no business of this one any more. */
const TELL = `
if redis.call('GET', KEYS[2]) ~= ARGV[1] then return 0 end
redis.call('XADD', KEYS[1], '*', 'd', ARGV[2])
redis.call('PEXPIRE', KEYS[1], ARGV[3])
return 1
`;

type Scripted = Redis & {
  workTell(told: string, lock: string, token: string, data: Buffer, ttl: number): Promise<number>;
};

/** What one worker tells of one job, and asks of the machine that gave it. */
export class WorkSession implements RunRecord {
  readonly #team: TeamRedis;
  readonly #names: WorkNames;
  readonly #offer: string;
  readonly #job: string;
  readonly #token: string;
  readonly #lost: (reason: Error) => void;
  readonly #kept = new Set<string>();
  #gathered: Told[] = [];
  #timer: NodeJS.Timeout | undefined;
  /** All that was told so far is there. */
  #telling: Promise<void> = Promise.resolve();
  /** In bytes, of all that was ever told of the job. */
  #size: number;
  /** How much of it had been taken when that was last looked at. */
  #taken = 0;
  #isLost: Error | undefined;
  #isAlone = false;

  /** `size` is what had been told of the job before, in bytes; `lost` is called once where it is another worker's now. */
  constructor(
    team: TeamRedis,
    about: { readonly offer: string; readonly job: string; readonly token: string; readonly size: number },
    lost: (reason: Error) => void,
  ) {
    this.#team = team;
    this.#names = new WorkNames(team);
    this.#offer = about.offer;
    this.#job = about.job;
    this.#token = about.token;
    this.#size = about.size;
    this.#lost = lost;
    team.redis.defineCommand('workTell', { numberOfKeys: 2, lua: TELL });
  }

  take(event: RunEvent): void {
    this.#add({ event });
  }

  keep(digest: string, content: string | Uint8Array, atOnce = false): void {
    if (this.#kept.has(digest)) return;
    this.#kept.add(digest);
    this.#add({ keep: digest, body: Buffer.from(content as string).toString('base64'), atOnce });
  }

  #add(told: Told): void {
    this.#gathered.push(told);
    if (this.#gathered.length >= GATHERED) this.#flush();
    else this.#timer ??= setTimeout(() => this.#flush(), GATHERED_FOR);
  }

  #flush(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    const told = this.#gathered;
    this.#gathered = [];
    if (told.length === 0) return;
    // Who takes over needs the events, but neither bodies that can be had again nor what was asked: those go as soon as they are taken.
    for (const part of [told.filter(isPassing), told.filter((one) => !isPassing(one))])
      if (part.length > 0) this.#telling = this.#telling.then(() => this.#tell(part));
    // Who waits for it hears of it; nobody else has to.
    this.#telling.catch(() => undefined);
  }

  async #tell(told: Told[]): Promise<void> {
    if (this.#isLost) throw this.#isLost;
    const data = this.#team.seal.sealed(Buffer.from(JSON.stringify(told)), `told ${this.#job}`);
    try {
      const done = await this.#team.do((redis) =>
        (redis as Scripted).workTell(
          this.#names.told(this.#offer, this.#job),
          this.#names.lock(this.#offer, this.#job),
          this.#token,
          data,
          FORGOTTEN,
        ),
      );
      if (done !== 1)
        fail(
          'interrupted',
          "this worker was not heard of for longer than its lease, so the work is another one's now",
        );
    } catch (error) {
      this.#isLost = error as Error;
      this.#lost(this.#isLost);
      throw error;
    }
    this.#size += data.length;
  }

  /** Resolves once all that has happened is told, so that another worker could go on. Throws `team-away`, `interrupted`. */
  async durable(): Promise<void> {
    this.#flush();
    await this.#telling;
  }

  /** More has been told since it was last looked than may be ahead of what was taken. */
  get isAhead(): boolean {
    return this.#size - this.#taken >= MOST_AHEAD / 2;
  }

  /** Nobody takes what is told for now: it is not waited for. */
  goOnAlone(): void {
    this.#isAlone = true;
  }

  /** Waits while too much of what was told is not taken. */
  async keepPace(): Promise<void> {
    while (!this.#isLost && !this.#isAlone) {
      this.#taken = Number(
        (await this.#team.do((redis) => redis.hget(this.#names.taken(this.#offer), this.#job))) ?? 0,
      );
      if (this.#size - this.#taken < MOST_AHEAD) return;
      await pause(LOOK);
    }
  }

  /** Asks the machine that gave the work; what is asked `as` the same is done once. `signal` ends it. Throws what that says. */
  async ask(
    what: DeskRequest['what'],
    with_: DeskRequest['with'],
    { as = randomBytes(8).toString('hex'), signal }: { readonly as?: string; readonly signal: AbortSignal },
  ): Promise<unknown> {
    const id = this.#team.seal.digest(as);
    const key = this.#names.answers(this.#offer, this.#job);
    let look = (): void => undefined;
    const deaf = this.#team.listen(key, () => look());
    try {
      // All that has happened before is told before.
      await this.durable();
      this.#gathered.push({ ask: { id, what, with: with_ } });
      await this.durable();
      for (;;) {
        const sealed = await this.#team.do((redis) => redis.hgetBuffer(key, id));
        const text = sealed && this.#team.seal.opened(sealed, `answer ${id}`)?.toString('utf8');
        if (text) {
          const { problem, value } = JSON.parse(text) as DeskReply;
          if (problem) throw new ProblemError(problem as unknown as Problem);
          return value;
        }
        signal.throwIfAborted();
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, 250);
          look = () => {
            clearTimeout(timer);
            resolve();
          };
        });
      }
    } finally {
      deaf();
    }
  }

  /** It has ended. Throws `team-away`, `interrupted`. */
  async end(result: string): Promise<void> {
    this.#gathered.push({ result });
    await this.durable();
  }

  /** It can't be carried out, by this worker or another. Throws `team-away`, `interrupted`. */
  async fail(problem: Problem): Promise<void> {
    this.#gathered.push({ failed: problem });
    await this.durable();
  }
}

/** What had been told of a job, by whoever carried it out before. */
export async function toldOf(
  team: TeamRedis,
  offer: string,
  job: string,
): Promise<{ readonly told: readonly Told[]; readonly size: number }> {
  const entries = await team.do((redis) =>
    redis.xrangeBuffer(new WorkNames(team).told(offer, job), '-', '+'),
  );
  let size = 0;
  const told = entries.flatMap(([, [, data]]) => {
    size += data!.length;
    const text = team.seal.opened(data!, `told ${job}`)?.toString('utf8');
    return text === undefined ? [] : (JSON.parse(text) as Told[]);
  });
  return { told, size };
}
