import { randomBytes } from 'node:crypto';
import type { Chain } from '../core/chain/model.ts';
import { needsOf } from '../core/engine/run/chain-needs.ts';
import type { Block, BlockGiver, BlockResult, RowOrder, RunSetup, Spread } from '../core/engine/spread.ts';
import { writeOrderedRow } from '../core/engine/steps/ordered-row.ts';
import { PASSING, type RunEvent } from '../core/events.ts';
import type { RunRecord } from '../core/ports.ts';
import { fail } from '../core/problems.ts';
import { AGENT } from '../io/http/agent.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import type { JobTaker, Workforce, WorkJob } from '../io/team/team-work.ts';
import { WorkGiver } from '../io/team/work-giver.ts';
import type { Loaded } from './load.ts';
import type { OpenWorld } from './open-world.ts';
import { filesOfWork } from './work-files.ts';
import { WorkDesk } from './work-desk.ts';
import { type ChainResult, readBlockResult, type WorkSetup, writeBlock, writeSetup } from './work-notes.ts';

/** What stands beside the work of a run, and what is told of it. */
export interface SpreadAbout {
  readonly loaded: Loaded;
  readonly chain: Chain;
  readonly run: string;
  readonly world: OpenWorld;
  readonly record: RunRecord;
  readonly given: Pick<WorkSetup, 'answers'> & Partial<Pick<WorkSetup, 'contract' | 'leave' | 'cases'>>;
  /** Is told how far the work is. */
  readonly progress?: ((progress: SpreadProgress) => void) | undefined;
}

/** How far spread work is. */
export interface SpreadProgress extends Workforce {
  /** Blocks that have ended, and those that are given. */
  readonly done: number;
  readonly underWay: number;
}

/** How often is told how far it is, in milliseconds. */
const TELL_EVERY = 1000;

/** Gives the blocks of a run to workers; nothing is offered before there is one. */
export class SpreadRun implements Spread {
  readonly #about: SpreadAbout;
  #setup: RunSetup | undefined;
  #giver: Promise<WorkGiver> | undefined;
  #open: WorkGiver | undefined;
  #done = 0;
  #telling: NodeJS.Timeout | undefined;

  constructor(about: SpreadAbout) {
    this.#about = about;
  }

  begin(setup: RunSetup): void {
    this.#setup = setup;
  }

  /** For each job that workers carry out at once, and one more for each so that none waits. */
  get width(): number {
    const { lanes = 0, workers = 0 } = this.#open?.workforce ?? {};
    return Math.max(1, lanes + workers);
  }

  whenWider(callback: () => void): () => void {
    return this.#open?.whenChanged(callback) ?? (() => undefined);
  }

  #ready(): Promise<WorkGiver> {
    return (this.#giver ??= offered(this.#about, this.#setup!).then((giver) => {
      giver.whenChanged(() => this.#tell());
      this.#telling = setInterval(() => this.#tell(), TELL_EVERY);
      return (this.#open = giver);
    }));
  }

  #tell(): void {
    const giver = this.#open;
    if (giver) this.#about.progress?.({ ...giver.workforce, done: this.#done, underWay: giver.underWay });
  }

  async carryOut(block: Block, to: BlockGiver): Promise<BlockResult> {
    const giver = await this.#ready();
    const { record, loaded } = this.#about;
    const desk = new WorkDesk(projectFolder(loaded.project), (order) => to.write(order));
    const taker = takerOf(record, desk, (event) => to.take(event));
    const carrying = giver.carryOut({ kind: 'block', block: writeBlock(block) }, taker);
    this.#tell();
    try {
      const result = await carrying;
      this.#done++;
      return result === undefined ? NOTHING : readBlockResult(result);
    } finally {
      await desk.close();
      this.#tell();
    }
  }

  halt(loop: string): void {
    void this.#open?.halt(loop).catch(() => undefined);
  }

  stop(): void {
    void this.#giver?.then((giver) => giver.stop()).catch(() => undefined);
  }

  async close(): Promise<void> {
    clearInterval(this.#telling);
    await (await this.#giver?.catch(() => undefined))?.close();
  }
}

/** Has a whole chain carried out by a worker; `emit` is told what happens, and the record has it. Throws `no-worker`, `team-away`. */
export async function carryOutElsewhere(
  about: SpreadAbout & { readonly emit: (event: RunEvent) => void; readonly signal: AbortSignal },
  setup: RunSetup,
): Promise<ChainResult | undefined> {
  const giver = await offered(about, setup);
  const { emit, loaded, record, signal, world } = about;
  const take = (event: RunEvent): void => emit(event);
  const write = (order: RowOrder) =>
    writeOrderedRow(order, {
      rows: world.ports.rows!,
      record,
      past: undefined,
      emit: (event) => take({ ...event, at: Date.now() }),
    });
  const desk = new WorkDesk(projectFolder(loaded.project), write);
  const stop = (): void => void giver.stop().catch(() => undefined);
  const tell = (): void => about.progress?.({ ...giver.workforce, done: 0, underWay: giver.underWay });
  giver.whenChanged(tell);
  const telling = setInterval(tell, TELL_EVERY);
  tell();
  if (signal.aborted) stop();
  signal.addEventListener('abort', stop, { once: true });
  try {
    const result = await giver.carryOut({ kind: 'chain' } satisfies WorkJob, takerOf(record, desk, take));
    return result === undefined ? undefined : (JSON.parse(result) as ChainResult);
  } finally {
    signal.removeEventListener('abort', stop);
    clearInterval(telling);
    await desk.close();
    await giver.close();
  }
}

function takerOf(record: RunRecord, desk: WorkDesk, take: (event: RunEvent) => void): JobTaker {
  return {
    take: (event) => {
      if (!PASSING.has(event.event)) take(event);
    },
    keep: (digest, body, atOnce) => record.keep(digest, body, atOnce),
    answer: (asked) => desk.answer(asked),
    durable: () => record.durable(),
  };
}

/** Offers the work of a chain. Throws `team-missing`, `team-away`. */
async function offered(
  { loaded, chain, run, world, given }: SpreadAbout,
  setup: RunSetup,
): Promise<WorkGiver> {
  const { team } = world;
  const { project } = loaded;
  if (!team)
    return fail('team-missing', 'work is spread over the machines of a team, and the project has none');
  const { chain: path, files, projectFile, texts } = filesOfWork(loaded, chain);
  const { digestOfFiles } = await import('../io/team/team-work.ts');
  const id = randomBytes(8).toString('hex');
  return WorkGiver.open(
    team.redis,
    {
      id,
      run,
      at: Math.floor(team.redis.now()),
      machine: team.redis.machine,
      version: versionOf(AGENT),
      digest: digestOfFiles(files),
      files,
      projectFile,
      chain: path,
      tags: chain.tags,
      ...(project.environment === undefined ? {} : { environment: project.environment }),
      secrets: [...needsOf(chain, project, loaded.signInChains).secrets],
      ...(world.practice === undefined ? {} : { practice: world.practice }),
      setup: writeSetup({ ...setup, ...given }),
    },
    texts,
  );
}

/** The version that a machine says it is of. */
export function versionOf(agent: string): string {
  return agent.slice(agent.indexOf('/') + 1);
}

/** What came of a block that nobody has begun with. */
const NOTHING: BlockResult = {
  done: { passed: 0, failed: 0, begun: 0, isEnough: false, gathered: [] },
  exit: 0,
};
