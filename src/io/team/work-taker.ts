import { randomBytes } from 'node:crypto';
import { ProblemError, problemOf } from '../../core/problems.ts';
import { type QueueJob, QueueWorker } from './team-queue.ts';
import type { TeamRedis } from './team-redis.ts';
import { FORGOTTEN, type WorkJob, type Offer, type Told, WorkNames } from './team-work.ts';
import { toldOf, WorkSession } from './work-session.ts';

/** How often is looked for work where nothing is said of it, in milliseconds. */
const LOOK = 1000;
/** How often a worker says that it lives, in milliseconds: so often within its lease, within these bounds. */
const BEATS = 4;
const SHORTEST_BEAT = 500;
const LONGEST_BEAT = 5000;

/** Work with which so many workers were lost, one after the other, is given to no more. */
const MOST_LOST = 20;

/** One job while it is carried out. */
export interface WorkAtHand {
  readonly offer: Offer;
  readonly job: WorkJob;
  /** What had been told of it before. */
  readonly before: readonly Told[];
  readonly session: WorkSession;
  /** All is to end, as when a person interrupts. */
  readonly signal: AbortSignal;
  /** The machine that gave it is gone: nobody answers. */
  readonly gone: AbortSignal;
  /** No further iteration of these loops is wanted. */
  readonly halt: (loop: string) => AbortSignal;
}

/** What becomes of the offers of a team. */
export interface WorkTakerPorts {
  /** Undefined where the work can be taken; else why not. */
  accept(offer: Offer): Promise<string | undefined>;
  /** Carries a job out and gives its result. */
  carryOut(work: WorkAtHand): Promise<string>;
  /** The offer has ended. */
  forget(offer: Offer): Promise<void>;
  /** What the worker says of itself. */
  about(): Readonly<Record<string, unknown>>;
  say(message: string): void;
}

interface Taken {
  readonly offer: Offer;
  readonly worker: QueueWorker;
}

/** Takes work that machines of the team give, and carries it out. */
export class WorkTaker {
  readonly #team: TeamRedis;
  readonly #names: WorkNames;
  readonly #ports: WorkTakerPorts;
  readonly #lanes: number;
  readonly #taken = new Map<string, Taken>();
  /** Why others are not taken, by their ids. */
  readonly #refused = new Map<string, string>();
  readonly #stopping = new AbortController();
  readonly #ending = new AbortController();
  /** Lanes that wait for work. */
  readonly #waiting = new Set<() => void>();
  #underWay = 0;
  /** What is under way, by the offers. */
  readonly #atHand = new Map<string, Set<Promise<void>>>();
  #looking: Promise<void> | undefined;
  #next = 0;

  constructor(team: TeamRedis, lanes: number, ports: WorkTakerPorts) {
    this.#team = team;
    this.#names = new WorkNames(team);
    this.#lanes = lanes;
    this.#ports = ports;
  }

  /** There may be work. */
  #news(): void {
    for (const go of [...this.#waiting]) go();
  }

  /** How many jobs are carried out now. */
  get underWay(): number {
    return this.#underWay;
  }

  /** Ends once what is under way has ended. */
  stop(): void {
    this.#stopping.abort();
    this.#news();
  }

  /** Ends what is under way as well. */
  end(reason: Error): void {
    this.stop();
    this.#ending.abort(reason);
  }

  /** Takes work until it is told to stop. */
  async run(): Promise<void> {
    const deaf = this.#team.listen(this.#names.news, () => this.#news());
    const unaware = this.#team.listen(this.#names.offers, () => void this.#lookOnce().catch(() => undefined));
    const { lease } = this.#team.setting;
    const between = Math.max(SHORTEST_BEAT, Math.min(LONGEST_BEAT, lease / BEATS));
    const beating = setInterval(() => void this.#beat().catch(() => undefined), between);
    try {
      await this.#beat();
      await Promise.all(Array.from({ length: this.#lanes }, () => this.#lane()));
    } finally {
      clearInterval(beating);
      deaf();
      unaware();
      await this.#leave();
    }
  }

  /** Says that it lives, and looks which offers there are. */
  async #beat(): Promise<void> {
    const { machine, setting } = this.#team;
    const names = this.#names;
    const until = Math.floor(this.#team.now() + setting.lease);
    const about = JSON.stringify({ ...this.#ports.about(), underWay: this.#underWay });
    const sealed = this.#team.seal.sealed(Buffer.from(about), 'worker');
    await this.#team.do((redis) =>
      redis.multi().zadd(names.alive, until, machine).hset(names.workers, machine, sealed).exec(),
    );
    await this.#lookOnce();
  }

  /** Looks which offers there are; one look at a time. */
  #lookOnce(): Promise<void> {
    if (this.#stopping.signal.aborted) return Promise.resolve();
    return (this.#looking ??= this.#lookForOffers().finally(() => (this.#looking = undefined)));
  }

  async #lookForOffers(): Promise<void> {
    const offered = await this.#team.do((redis) => redis.hgetallBuffer(this.#names.offers));
    for (const [id, { worker, offer }] of this.#taken)
      if (!(id in offered)) {
        this.#taken.delete(id);
        void Promise.allSettled([...(this.#atHand.get(id) ?? [])]).then(() => {
          this.#atHand.delete(id);
          void worker.close(true).catch(() => undefined);
          void this.#ports.forget(offer);
        });
      }
    for (const id of this.#refused.keys()) if (!(id in offered)) this.#refused.delete(id);
    for (const [id, sealed] of Object.entries(offered)) {
      if (this.#taken.has(id) || this.#refused.has(id)) continue;
      const text = this.#team.seal.opened(sealed, `offer ${id}`)?.toString('utf8');
      if (text !== undefined) await this.#consider(JSON.parse(text) as Offer);
    }
  }

  async #consider(offer: Offer): Promise<void> {
    const { id, chain, run } = offer;
    const names = this.#names;
    const { machine, redis: connection, setting } = this.#team;
    // One whose machine is gone has nobody to tell.
    if ((await this.#team.do((redis) => redis.exists(names.giver(id)))) === 0) {
      if (this.#team.now() - offer.at > FORGOTTEN)
        await this.#team.do((redis) => redis.hdel(names.offers, id));
      return;
    }
    const why = await this.#ports.accept(offer);
    if (why !== undefined) {
      this.#refused.set(id, why);
      await this.#team.do((redis) => redis.hset(names.refusals(id), machine, this.#team.seal.seal(why)));
      this.#ports.say(`takes no work of ${chain} (run ${run}): ${why}`);
      return;
    }
    const worker = new QueueWorker(id, undefined, {
      connection: connection,
      prefix: names.queuePrefix,
      autorun: false,
      lockDuration: setting.lease,
      stalledInterval: Math.max(500, Math.floor(setting.lease / 3)),
      maxStalledCount: MOST_LOST,
    });
    worker.on('error', () => undefined);
    // Another worker was lost, and what it had is there to be taken.
    worker.on('stalled', () => this.#news());
    await worker.startStalledCheckTimer();
    this.#taken.set(id, { offer, worker });
    await this.#team.do((redis) => redis.hset(names.takers(id), machine, this.#lanes));
    this.#ports.say(`takes work of ${chain} (run ${run})`);
    this.#news();
  }

  /** Carries out one job after the other. */
  async #lane(): Promise<void> {
    while (!this.#stopping.signal.aborted) {
      const found = await this.#find().catch(() => undefined);
      if (found)
        await this.#atOffer(found.taken.offer.id, this.#carryOut(found.taken, found.job, found.token));
      else await this.#wait();
    }
  }

  /** Remembers what is under way of an offer. */
  async #atOffer(offer: string, work: Promise<void>): Promise<void> {
    const all = this.#atHand.get(offer) ?? new Set<Promise<void>>();
    this.#atHand.set(offer, all.add(work));
    try {
      await work;
    } finally {
      all.delete(work);
    }
  }

  #wait(): Promise<void> {
    return new Promise((resolve) => {
      const go = (): void => {
        clearTimeout(timer);
        this.#waiting.delete(go);
        resolve();
      };
      const timer = setTimeout(go, LOOK / 2);
      this.#waiting.add(go);
      if (this.#stopping.signal.aborted) go();
    });
  }

  /** The next job of some offer; each has its turn. */
  async #find(): Promise<{ taken: Taken; job: QueueJob; token: string } | undefined> {
    const all = [...this.#taken.values()];
    for (let i = 0; i < all.length; i++) {
      const taken = all[(this.#next + i) % all.length]!;
      const token = `${this.#team.machine} ${randomBytes(6).toString('hex')}`;
      const job = (await taken.worker.getNextJob(token, { block: false })) as QueueJob | undefined;
      if (!job) continue;
      this.#next = (this.#next + i + 1) % all.length;
      return { taken, job, token };
    }
    return undefined;
  }

  async #carryOut({ offer }: Taken, job: QueueJob, token: string): Promise<void> {
    const names = this.#names;
    const id = job.id!;
    const { lease } = this.#team.setting;
    const lost = new AbortController();
    const over = new AbortController();
    const gone = new AbortController();
    const loops = new Map<string, AbortController>();
    let isHalted = false;
    const loopOf = (loop: string): AbortController => {
      let one = loops.get(loop);
      if (!one) loops.set(loop, (one = new AbortController()));
      if (isHalted) one.abort();
      return one;
    };
    const haltAll = (): void => {
      isHalted = true;
      for (const one of loops.values()) one.abort();
    };
    const signal = AbortSignal.any([lost.signal, over.signal, this.#ending.signal]);
    const obey = async (): Promise<void> => {
      const said = await this.#team.do((redis) => redis.hkeys(names.control(offer.id)));
      for (const what of said)
        if (what === 'stop') over.abort(interruptedBy('the run was interrupted'));
        else if (what === 'halt *') haltAll();
        else if (what.startsWith('halt ')) loopOf(what.slice(5)).abort();
    };
    let keptAt = performance.now();
    let giverGone = 0;
    const keep = async (): Promise<void> => {
      try {
        if ((await this.#team.do(() => job.extendLock(token, lease))) !== 1)
          throw new Error('the lease has ended');
        keptAt = performance.now();
        // Where the machine is gone that gave the work, what is under way goes on to its end, and no more begins.
        giverGone = (await this.#team.redis.exists(names.giver(offer.id))) === 1 ? 0 : giverGone + 1;
        if (giverGone > 1) {
          haltAll();
          gone.abort(interruptedBy('the machine that gave the work is gone'));
        }
      } catch {
        // Another may have begun with it.
        if (performance.now() - keptAt > lease * 0.8)
          lost.abort(interruptedBy('the lease of this worker has ended'));
      }
    };
    this.#underWay++;
    const keeping = setInterval(() => void keep(), lease / 4);
    const deaf = this.#team.listen(names.control(offer.id), () => void obey().catch(() => undefined));
    try {
      await obey();
      const { told, size } = await toldOf(this.#team, offer.id, id);
      // Looked for only now: what ended a moment ago is in one of both.
      const isDone = (await this.#team.do((redis) => redis.sismember(names.done(offer.id), id))) === 1;
      if (!isDone && !told.some((one) => 'result' in one || 'failed' in one)) {
        const session = new WorkSession(this.#team, { offer: offer.id, job: id, token, size }, (reason) =>
          lost.abort(reason),
        );
        const body = this.#team.seal.opened(
          Buffer.from((job.data as { sealed: string }).sealed, 'base64'),
          `job ${id}`,
        );
        if (body) {
          const result = await this.#tried(session, signal, {
            offer,
            job: JSON.parse(body.toString('utf8')) as WorkJob,
            before: told,
            session,
            signal,
            gone: gone.signal,
            halt: (loop) => loopOf(this.#team.seal.digest(loop)).signal,
          });
          // What this worker breaks off by itself another one goes on with.
          if (this.#ending.signal.aborted && !over.signal.aborted) {
            await session.durable();
            await job.moveToWait(token);
            return;
          }
          if (result !== undefined) await session.end(result);
        }
      }
      await this.#team.do(() => job.moveToCompleted('', token, false) as Promise<unknown>);
    } catch (error) {
      // The lease ends, and another worker goes on.
      this.#ports.say(`left a part of ${offer.chain} (run ${offer.run}): ${problemOf(error).message}`);
    } finally {
      clearInterval(keeping);
      deaf();
      this.#underWay--;
    }
  }

  /** Carries it out; what goes wrong with any worker is told as its end, and undefined returned. Throws what another worker may mend. */
  async #tried(session: WorkSession, signal: AbortSignal, work: WorkAtHand): Promise<string | undefined> {
    try {
      return await this.#ports.carryOut(work);
    } catch (error) {
      const problem = problemOf(error);
      if (signal.aborted || problem.code === 'interrupted' || problem.code === 'team-away') throw error;
      await session.fail(problem);
      return undefined;
    }
  }

  async #leave(): Promise<void> {
    const { machine } = this.#team;
    const names = this.#names;
    const taken = [...this.#taken.values()];
    if (this.#team.isThere)
      await this.#team
        .do((redis) => {
          const all = redis.multi().zrem(names.alive, machine).hdel(names.workers, machine);
          for (const { offer } of taken) all.hdel(names.takers(offer.id), machine);
          return all.exec();
        })
        .catch(() => undefined);
    await Promise.all(taken.map(({ worker }) => worker.close(true).catch(() => undefined)));
    await Promise.all(taken.map(({ offer }) => this.#ports.forget(offer)));
  }
}

function interruptedBy(message: string): Error {
  return new ProblemError({ code: 'interrupted', message });
}
