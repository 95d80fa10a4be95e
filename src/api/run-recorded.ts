import type { Chain } from '../core/chain/model.ts';
import type { RunRecord } from '../core/ports.ts';
import type { Project } from '../core/chain/project.ts';
import type { RunOptions } from '../core/engine/scope/run-options.ts';
import { run, type RunResult } from '../core/engine/run/run.ts';
import { RunCookies } from '../io/http/cookies.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import { Records, DEFAULT_KEEPING } from '../io/record/records.ts';
import type { Paces } from '../core/engine/pace/pace.ts';
import { PASSING } from '../core/events.ts';
import type { Recording } from '../io/team/team-intents.ts';
import type { OpenWorld } from './open-world.ts';

export type { RunResult };

/** What services have said of their pace; shared by the runs of one command. */
export type { Paces };

/** What stands for the file of a chain that a command makes of itself. */
export const SENT_FILE = 'send';

/** A run whose work is given to workers. */
export interface RunToSpread {
  readonly chain: Chain;
  readonly world: OpenWorld;
  readonly record: RunRecord;
  readonly options: RunOptions;
}

/** Carries a chain out with the help of workers; `carryOut` does so here. */
export type Spreading = (
  run: RunToSpread,
  carryOut: (options: RunOptions) => Promise<RunResult>,
) => Promise<RunResult>;

/** The records of a project. */
export function recordsOf(project: Project): Records {
  return new Records(projectFolder(project), { ...DEFAULT_KEEPING, ...project.records });
}

/**
 * Carries a chain out and records it; with `resumed` it goes on with the record of that run. A record that can't be written
 * is said, and the run goes on.
 */
export async function runRecorded(
  chain: Chain,
  project: Project,
  world: OpenWorld,
  {
    options,
    resumed,
    spread,
  }: {
    readonly options: Omit<RunOptions, 'id'>;
    readonly resumed?: string | undefined;
    /** Its work is given to workers of the team. */
    readonly spread?: Spreading | undefined;
  },
): Promise<RunResult & { readonly id: string }> {
  const records = recordsOf(project);
  const warn = (why: string): void => world.warn(`this run is not recorded: ${why}`);
  const { id, writer } =
    resumed === undefined
      ? await begun(records, world, warn)
      : { id: resumed, writer: records.reopen(resumed, warn) };
  // What workers tell is in Redis until it is in the record.
  const record = world.team && !spread ? await sharedRecord(world, id, writer) : writer;
  if (world.team && spread)
    await (await import('../io/team/team-intents.ts')).onlyRecordedHere(world.team.redis, id);
  let letGo: (() => Promise<void>) | undefined;
  try {
    if (world.team) letGo = await (await import('../io/team/team-lock.ts')).takeRun(world.team.redis, id);
    // Cookies are those of one run.
    const ports = {
      ...world.ports,
      cookies: new RunCookies(),
      record,
      sealer: world.sealer,
      opener: world.sealer,
    };
    const all: RunOptions = {
      ...options,
      id,
      ...(world.onDefect ? { onDefect: world.onDefect } : {}),
      ...(world.practice === undefined ? {} : { practice: world.practice }),
      emit: (event) => {
        if (!PASSING.has(event.event)) record.take(event);
        options.emit(event);
      },
    };
    const carryOut = (more: RunOptions): Promise<RunResult> => run(chain, project, ports, more);
    const result = spread
      ? await spread({ chain, world, record, options: all }, carryOut)
      : await carryOut(all);
    return { ...result, id };
  } finally {
    await letGo?.();
    records.prune(await writer.close());
  }
}

/** A record of which the other machines know what was to be sent. */
async function sharedRecord({ team, warn }: OpenWorld, id: string, writer: Recording): Promise<Recording> {
  const { TeamIntents } = await import('../io/team/team-intents.ts');
  return new TeamIntents(team!.redis, id, writer, warn);
}

/** How long the id of a run is taken in a team, in milliseconds. */
const TAKEN = 30 * 86_400_000;

/** Begins a record; in a team no other machine has a run of the same id. Throws `team-away`. */
async function begun(
  records: Records,
  { team }: OpenWorld,
  warn: (why: string) => void,
): Promise<ReturnType<Records['begin']>> {
  for (;;) {
    const one = records.begin(warn);
    if (!team) return one;
    const { redis } = team;
    const isFree = await redis.do((commands) =>
      commands.set(redis.name('run', one.id), redis.machine, 'PX', TAKEN, 'NX'),
    );
    if (isFree !== null) return one;
    await one.writer.close();
  }
}
