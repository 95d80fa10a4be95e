import { createHash } from 'node:crypto';
import { Queue, type Redis } from './team-queue.ts';
import type { RunEvent } from '../../core/events.ts';
import type { Problem } from '../../core/problems.ts';
import type { TeamRedis } from './team-redis.ts';

/** What is given away is forgotten if nobody comes for it, in milliseconds. */
export const FORGOTTEN = 7 * 86_400_000;

/** A file of a project, by the digest of its text. */
export interface OfferedFile {
  /** From the folder of the project file, with / between its parts. */
  readonly path: string;
  readonly digest: string;
}

/** Work of one chain of a run, which workers may take. */
export interface Offer {
  readonly id: string;
  readonly run: string;
  /** When it was made, by the clock of Redis. */
  readonly at: number;
  readonly machine: string;
  readonly version: string;
  /** What the files come to: a worker with the same ones has the same project. */
  readonly digest: string;
  readonly files: readonly OfferedFile[];
  readonly projectFile: string;
  readonly chain: string;
  readonly tags: readonly string[];
  readonly environment?: string;
  /** Names of the secrets that it needs. */
  readonly secrets: readonly string[];
  /** Where the practice service of the run is. */
  readonly practice?: string;
  /** What the run is given, for whoever carries a part of it out. */
  readonly setup: string;
}

/** A part of the work: the whole chain, or a block of iterations. */
export type WorkJob = { readonly kind: 'chain' } | { readonly kind: 'block'; readonly block: string };

/** What a worker tells of a job, in order. */
export type Told =
  | { readonly event: RunEvent }
  /** A body that an event names. */
  | { readonly keep: string; readonly body: string; readonly atOnce: boolean }
  | { readonly ask: DeskRequest }
  /** It has ended, with this result. */
  | { readonly result: string }
  /** It can't be carried out by any worker. */
  | { readonly failed: Problem };

/** Whether it is of no use any more once it has been taken. */
export function isPassing(told: Told): boolean {
  return 'ask' in told || ('keep' in told && !told.atOnce);
}

/** What only the machine can do that gave the work. */
export interface DeskRequest {
  readonly id: string;
  readonly what: 'row' | 'create' | 'chunk' | 'commit' | 'discard' | 'read';
  readonly with: Readonly<Record<string, unknown>>;
}

export interface DeskReply {
  readonly value?: unknown;
  readonly problem?: Readonly<Record<string, unknown>>;
}

/** Who carries the work of an offer out. */
export interface Workforce {
  /** Live workers, and how many jobs they carry out at once. */
  readonly workers: number;
  readonly lanes: number;
  /** Why other workers take none, by their names. */
  readonly refusals: readonly (readonly [worker: string, why: string])[];
}

/** Takes what is told of one job. */
export interface JobTaker {
  take(event: RunEvent): void;
  keep(digest: string, body: Uint8Array, atOnce: boolean): void;
  /** Does what only this machine can; what it throws is told to the worker. */
  answer(asked: DeskRequest): Promise<unknown>;
  /** What has been taken outlasts this process. */
  durable(): Promise<void>;
}

/** Digest of the files of a project: by it two machines know that they have the same ones. */
export function digestOfFiles(files: readonly OfferedFile[]): string {
  const sum = createHash('sha256');
  for (const { path, digest } of [...files].sort((a, b) => (a.path < b.path ? -1 : 1)))
    sum.update(`${path}\0${digest}\n`);
  return sum.digest('hex');
}

export function digestOfText(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}

/** The names under which the work of a team lies in Redis. */
export class WorkNames {
  readonly #team: TeamRedis;

  constructor(team: TeamRedis) {
    this.#team = team;
  }

  /** All offers, by their ids. */
  get offers(): string {
    return this.#team.name('offers');
  }

  /** Said whenever there may be work. */
  get news(): string {
    return this.#team.name('news');
  }

  /** All workers, by their ids: until when each is believed to live, and what it says of itself. */
  get alive(): string {
    return this.#team.name('workers');
  }

  get workers(): string {
    return this.#team.name('workers', 'about');
  }

  file(digest: string): string {
    return this.#team.name('file', digest);
  }

  /** Offers of a run that may not have ended. */
  ofRun(run: string): string {
    return this.#team.name('given', run);
  }

  /** Said and stored: whether the work of an offer, or one loop of it, is to end. */
  control(offer: string): string {
    return this.#team.name('control', offer);
  }

  /** There as long as the machine lives that gave the work. */
  giver(offer: string): string {
    return this.#team.name('giver', offer);
  }

  /** The jobs of an offer that have not ended. */
  jobs(offer: string): string {
    return this.#team.name('jobs', offer);
  }

  /** The jobs of an offer that have ended, and of which nothing is told any more: whoever still finds one has nothing to do. */
  done(offer: string): string {
    return this.#team.name('done', offer);
  }

  /** Which workers take the work of an offer, how many jobs each at once; and why others don't. */
  takers(offer: string): string {
    return this.#team.name('takers', offer);
  }

  refusals(offer: string): string {
    return this.#team.name('refusals', offer);
  }

  told(offer: string, job: string): string {
    return this.#team.name('told', offer, job);
  }

  /** How much of what is told of a job has been taken, in bytes. */
  taken(offer: string): string {
    return this.#team.name('taken', offer);
  }

  answers(offer: string, job: string): string {
    return this.#team.name('answers', offer, job);
  }

  get queuePrefix(): string {
    return this.#team.name('queue').replace(/:$/, '');
  }

  /** A job, as the queue keeps it. */
  job(offer: string, job: string): string {
    return `${this.queuePrefix}:${offer}:${job}`;
  }

  /** Who carries a job out, as the queue knows it. */
  lock(offer: string, job: string): string {
    return `${this.queuePrefix}:${offer}:${job}:lock`;
  }
}

/** The queue of the jobs of an offer. */
export function queueOf(team: TeamRedis, redis: Redis, offer: string): Queue {
  const queue = new Queue(offer, {
    connection: redis,
    prefix: new WorkNames(team).queuePrefix,
    defaultJobOptions: { removeOnComplete: true, removeOnFail: true },
  });
  queue.on('error', () => undefined);
  return queue;
}
