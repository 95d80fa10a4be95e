import { setTimeout as pause } from 'node:timers/promises';
import { type Problem, ProblemError, problemOf } from '../../core/problems.ts';
import { lostWork, nobodyTook } from './lost-work.ts';
import type { Queue, Redis } from './team-queue.ts';
import type { TeamRedis } from './team-redis.ts';
import {
  type DeskReply,
  type DeskRequest,
  FORGOTTEN,
  isPassing,
  type WorkJob,
  type Offer,
  queueOf,
  type Told,
  WorkNames,
  type JobTaker,
  type Workforce,
} from './team-work.ts';

/** How often is looked who takes the work, in milliseconds. */
const LOOK = 500;
/** For so long is waited for what workers tell before it is looked again of which jobs, in milliseconds. */
const LISTEN = 100;
/** Work that no worker takes is given up after so long, in milliseconds. */
const NOBODY = 120_000;

/** What is said of an offer is known for so long, in milliseconds: those that carry its work out look at it every now and then. */
const CONTROL = 3_600_000;

interface Given {
  readonly id: string;
  readonly taker: JobTaker;
  /** What has been asked, so that it is done once however often it is asked. */
  readonly answers: Map<string, Promise<DeskReply>>;
  readonly resolve: (result: string | undefined) => void;
  readonly reject: (reason: Error) => void;
  last: string;
  bytes: number;
  /** How often it was not found in Redis, one look after the other. */
  missing: number;
}

/** Gives the work of one offer to workers and takes what they tell, as the one machine that has the run. */
export class WorkGiver {
  readonly offer: Offer;
  readonly #team: TeamRedis;
  readonly #names: WorkNames;
  readonly #queue: Queue;
  /** A connection of its own: it waits for what is told. */
  readonly #listening: Redis;
  readonly #given = new Map<string, Given>();
  readonly #whenChanged = new Set<() => void>();
  #workforce: Workforce = { workers: 0, lanes: 0, refusals: [] };
  #nth = 0;
  #isOpen = true;
  #isListening = false;
  #isStopping = false;
  /** Some job was given up while a worker may be at it. */
  #isLeft = false;
  #looking: NodeJS.Timeout | undefined;
  #nobodySince = performance.now();

  private constructor(team: TeamRedis, offer: Offer) {
    this.#team = team;
    this.#names = new WorkNames(team);
    this.offer = offer;
    this.#queue = queueOf(team, team.redis, offer.id);
    this.#listening = team.connect();
  }

  /** Offers work; `texts` are those of its files, by their digests. Throws `team-away`. */
  static async open(team: TeamRedis, offer: Offer, texts: ReadonlyMap<string, string>): Promise<WorkGiver> {
    const giver = new WorkGiver(team, offer);
    const names = giver.#names;
    await giver.#stayAlive();
    for (const [digest, text] of texts) {
      const sealed = team.seal.sealed(Buffer.from(text), `file ${digest}`);
      await team.do((redis) => redis.set(names.file(digest), sealed, 'PX', FORGOTTEN));
    }
    const sealed = team.seal.sealed(Buffer.from(JSON.stringify(offer)), `offer ${offer.id}`);
    await team.do((redis) =>
      redis
        .multi()
        .hset(names.offers, offer.id, sealed)
        .sadd(names.ofRun(offer.run), offer.id)
        .pexpire(names.ofRun(offer.run), FORGOTTEN)
        .publish(names.offers, '')
        .exec(),
    );
    await giver.#look();
    giver.#looking = setInterval(() => void giver.#look().catch(() => undefined), LOOK);
    return giver;
  }

  get workforce(): Workforce {
    return this.#workforce;
  }

  /** How many jobs are given and have not ended. */
  get underWay(): number {
    return this.#given.size;
  }

  /** Calls back whenever workers come or go. */
  whenChanged(callback: () => void): () => void {
    this.#whenChanged.add(callback);
    return () => this.#whenChanged.delete(callback);
  }

  #stayAlive(): Promise<unknown> {
    const { lease } = this.#team.setting;
    return this.#team.do((redis) =>
      redis.set(this.#names.giver(this.offer.id), this.#team.machine, 'PX', lease),
    );
  }

  /** Who takes the work now; and where nobody has for long, it is given up. */
  async #look(): Promise<void> {
    const names = this.#names;
    const { id } = this.offer;
    const now = this.#team.now();
    const [, takers, refusals, alive] = await Promise.all([
      this.#stayAlive(),
      this.#team.do((redis) => redis.hgetall(names.takers(id))),
      this.#team.do((redis) => redis.hgetall(names.refusals(id))),
      this.#team.do((redis) => redis.zrangebyscore(names.alive, now, '+inf')),
    ]);
    const live = new Set(alive);
    const lanes = Object.entries(takers).filter(([worker]) => live.has(worker));
    const before = this.#workforce;
    this.#workforce = {
      workers: lanes.length,
      lanes: lanes.reduce((sum, [, own]) => sum + Number(own), 0),
      refusals: Object.entries(refusals).flatMap(([worker, sealed]): [string, string][] => {
        const why = live.has(worker) ? this.#team.seal.open(sealed) : undefined;
        return why === undefined ? [] : [[worker, why]];
      }),
    };
    if (this.#isStopping && lanes.length === 0) await this.#endAll(({ resolve }) => resolve(undefined));
    if (lanes.length > 0 || this.#given.size === 0) this.#nobodySince = performance.now();
    else if (performance.now() - this.#nobodySince > NOBODY) {
      const problem = new ProblemError(nobodyTook(this.#workforce.refusals, NOBODY));
      await this.#endAll(({ reject }) => reject(problem));
    }
    await this.#lookForLost();
    if (before.lanes !== this.#workforce.lanes || before.workers !== this.#workforce.workers)
      for (const callback of [...this.#whenChanged]) callback();
  }

  /** Ends what nobody will ever carry out. */
  async #lookForLost(): Promise<void> {
    for (const [id, problem] of await lostWork(this.#team, this.offer.id, this.#given)) {
      const given = this.#given.get(id);
      this.#isLeft = true;
      if (this.#given.delete(id)) given?.reject(new ProblemError(problem));
    }
  }

  /** Ends all that is given, as nobody is there to end it. */
  async #endAll(end: (given: Given) => void): Promise<void> {
    this.#isLeft = true;
    for (const [id, given] of this.#given) {
      await this.#queue.remove(id).catch(() => 0);
      this.#given.delete(id);
      end(given);
    }
  }

  /**
   * Gives a job, and resolves with its result once it has ended; undefined where nobody had begun with it when all was to end. Throws
   * `no-worker`, `team-away`.
   */
  async carryOut(job: WorkJob, taker: JobTaker): Promise<string | undefined> {
    const id = `${++this.#nth}-${this.offer.id.slice(0, 6)}`;
    const ended = new Promise<string | undefined>((resolve, reject) => {
      this.#given.set(id, {
        id,
        taker,
        answers: new Map(),
        resolve,
        reject,
        last: '0',
        bytes: 0,
        missing: 0,
      });
    });
    // Where it fails before anybody waits for it, that is said below.
    ended.catch(() => undefined);
    const sealed = this.#team.seal.sealed(Buffer.from(JSON.stringify(job)), `job ${id}`).toString('base64');
    try {
      const { offer } = this;
      const jobs = this.#names.jobs(offer.id);
      await this.#team.do((redis) => redis.multi().sadd(jobs, id).pexpire(jobs, FORGOTTEN).exec());
      await this.#team.do(() => this.#queue.add('job', { sealed }, { jobId: id }));
      await this.#team.do((redis) => redis.publish(this.#names.news, this.offer.id));
    } catch (error) {
      // It may be there all the same.
      this.#isLeft = true;
      this.#given.delete(id);
      throw error;
    }
    void this.#listen();
    return ended;
  }

  /** Takes what is told of all jobs, as long as there are any. */
  async #listen(): Promise<void> {
    if (this.#isListening) return;
    this.#isListening = true;
    let awaySince: number | undefined;
    try {
      while (this.#given.size > 0 && !this.#isClosed()) {
        try {
          await this.#hear();
          awaySince = undefined;
        } catch (error) {
          if (this.#isClosed()) return;
          awaySince ??= performance.now();
          if (performance.now() - awaySince > this.#team.patience) return this.#lost(error);
          await pause(LISTEN);
        }
      }
    } finally {
      this.#isListening = false;
    }
  }

  /** Asked anew each time: it changes while something is waited for. */
  #isClosed(): boolean {
    return !this.#isOpen;
  }

  #lost(error: unknown): void {
    this.#isLeft = true;
    const problem = error instanceof ProblemError ? error : this.#team.away(this.#team.patience);
    for (const { reject } of this.#given.values()) reject(problem);
    this.#given.clear();
  }

  async #hear(): Promise<void> {
    const jobs = [...this.#given.values()];
    const keys = jobs.map(({ id }) => this.#names.told(this.offer.id, id));
    const heard = await this.#listening.xreadBuffer(
      'COUNT',
      64,
      'BLOCK',
      LISTEN,
      'STREAMS',
      ...keys,
      ...jobs.map(({ last }) => last),
    );
    const passed: [key: string, entry: string][] = [];
    for (const [key, entries] of (heard ?? []) as [Buffer, [Buffer, Buffer[]][]][]) {
      const job = jobs[keys.indexOf(key.toString())]!;
      for (const [at, [, data]] of entries) {
        if (!this.#given.has(job.id)) break;
        job.last = at.toString();
        job.bytes += data!.length;
        try {
          const isOver = await this.#takeAll(job, data!);
          if (isOver) passed.push([key.toString(), job.last]);
        } catch (error) {
          // What could not be taken is left for whoever goes on with the run.
          this.#isLeft = true;
          if (this.#given.delete(job.id)) job.reject(error as Error);
        }
      }
    }
    if (!heard) return;
    const told = jobs.flatMap(({ id, bytes }) => [id, bytes]);
    await this.#team.do((redis) =>
      Promise.all([
        redis.hset(this.#names.taken(this.offer.id), ...told),
        ...passed.map(([key, entry]) => redis.xdel(key, entry)),
      ]),
    );
  }

  /** Takes what was told at once; gives whether it is of no use any more. */
  async #takeAll(job: Given, sealed: Buffer): Promise<boolean> {
    const text = this.#team.seal.opened(sealed, `told ${job.id}`);
    // Who has not the key of the team has nothing to tell.
    if (!text) return true;
    const all = JSON.parse(text.toString('utf8')) as Told[];
    let result: string | undefined;
    let failed: Problem | undefined;
    for (const one of all) {
      if ('event' in one) job.taker.take(one.event);
      else if ('keep' in one) job.taker.keep(one.keep, Buffer.from(one.body, 'base64'), one.atOnce);
      else if ('ask' in one) void this.#answer(job, one.ask);
      else if ('failed' in one) ({ failed } = one);
      else ({ result } = one);
    }
    if (result === undefined && !failed) return all.every(isPassing);
    // What came of it is written down before it is forgotten there.
    await job.taker.durable();
    this.#given.delete(job.id);
    const names = this.#names;
    const { id } = this.offer;
    await this.#team
      .do((redis) =>
        redis
          .multi()
          .del(names.told(id, job.id), names.answers(id, job.id))
          .hdel(names.taken(id), job.id)
          .srem(names.jobs(id), job.id)
          .sadd(names.done(id), job.id)
          .pexpire(names.done(id), FORGOTTEN)
          .exec(),
      )
      // It is in the record, so that it has ended whatever Redis still says of it.
      .catch(() => (this.#isLeft = true));
    if (failed) job.reject(new ProblemError(failed));
    else job.resolve(result);
    return false;
  }

  async #answer(job: Given, asked: DeskRequest): Promise<void> {
    let answering = job.answers.get(asked.id);
    if (!answering) {
      answering = job.taker.answer(asked).then(
        (value): DeskReply => ({ value }),
        (error: unknown): DeskReply => ({ problem: { ...problemOf(error) } }),
      );
      job.answers.set(asked.id, answering);
    }
    const key = this.#names.answers(this.offer.id, job.id);
    const sealed = this.#team.seal.sealed(Buffer.from(JSON.stringify(await answering)), `answer ${asked.id}`);
    await this.#team
      .do((redis) =>
        redis.multi().hset(key, asked.id, sealed).pexpire(key, FORGOTTEN).publish(key, '').exec(),
      )
      .catch(() => undefined);
  }

  /** No further iteration of a loop begins; of work that nobody has begun with nothing does. */
  async halt(loop: string): Promise<void> {
    await this.#control(`halt ${this.#team.seal.digest(loop)}`);
  }

  /** All ends as when a person interrupts. */
  async stop(): Promise<void> {
    this.#isStopping = true;
    await this.#control('stop');
  }

  async #control(what: string): Promise<void> {
    const key = this.#names.control(this.offer.id);
    await this.#team.do((redis) =>
      redis.multi().hset(key, what, '1').pexpire(key, CONTROL).publish(key, '').exec(),
    );
    for (const [id, given] of [...this.#given]) {
      // One that somebody carries out is left to its end.
      const removed = await this.#queue.remove(id).catch(() => 0);
      if (removed !== 1 || !this.#given.has(id)) continue;
      // It may have been begun by one that was lost.
      await this.#drain(given);
      if (this.#given.delete(id)) given.resolve(undefined);
    }
  }

  /** Takes what has been told of a job and not been taken yet. */
  async #drain(job: Given): Promise<void> {
    const key = this.#names.told(this.offer.id, job.id);
    const entries = await this.#team.do((redis) => redis.xrangeBuffer(key, `(${job.last}`, '+'));
    for (const [at, [, data]] of entries) {
      job.last = at.toString();
      await this.#takeAll(job, data!);
    }
    await job.taker.durable();
  }

  /** Takes the offer away; where something of it may still be told, that is left for whoever goes on with the run. */
  async close(): Promise<void> {
    this.#isOpen = false;
    clearInterval(this.#looking);
    this.#listening.disconnect();
    const names = this.#names;
    const { id, run } = this.offer;
    if (this.#team.isThere)
      await this.#team
        .do(async (redis) => {
          if (this.#isLeft) {
            await redis.hdel(names.offers, id);
            return;
          }
          await redis
            .multi()
            .hdel(names.offers, id)
            .srem(names.ofRun(run), id)
            .del(names.giver(id), names.takers(id), names.refusals(id), names.taken(id), names.jobs(id))
            .exec();
          await this.#queue.obliterate({ force: true });
        })
        .catch(() => undefined);
    await this.#queue.close().catch(() => undefined);
  }
}
