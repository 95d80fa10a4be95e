import type { ExitCode } from '../../core/events.ts';
import { countOf } from '../../core/count-of.ts';
import { fail } from '../../core/problems.ts';
import { loadProject } from '../../api/load.ts';
import type { KnownWorker } from '../../api/worker.ts';
import { openHere } from '../project/open-here.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { onInterruption } from '../terminal/signals.ts';
import { errorTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { reportProblems } from './run.ts';

export interface WorkOptions {
  readonly jobs?: string;
  readonly tag?: readonly string[];
  readonly status?: boolean;
  readonly env?: string;
  readonly trust?: boolean;
}

/** `batharon work`: takes work of other machines until it is told to stop. */
export function work(options: WorkOptions): Promise<ExitCode> {
  return guarded(async () => {
    const terminal = errorTerminal();
    const loaded = loadProject(options.env, options.env !== undefined);
    if (reportProblems(terminal, loaded)) return 2;
    const { project } = loaded;
    if (!project.team)
      fail(
        'team-missing',
        `a worker takes work of the machines of a team, and ${project.file ?? 'this folder'} names none`,
        {
          hint: 'team:\n  redis: ${secret.redis}\n  key: ${secret.team}',
        },
      );
    const lanes = lanesOf(options);
    const world = await openHere(project, { asks: false });
    try {
      const { workerOf, workersOf } = await import('../../api/worker.ts');
      const team = world.team!;
      if (options.status) return printStatus(await workersOf(team));
      const started = new Date();
      const worker = workerOf(
        {
          team,
          folder: process.cwd(),
          attendance: {
            warn: (message) => terminal.write(`warning ${message}\n`),
            ...(world.onDefect ? { onDefect: world.onDefect } : {}),
          },
          trusts: options.trust ?? process.env.BATHARON_TRUST === '1',
          tags: options.tag ?? [],
          about: () => ({ jobs: lanes, since: started.toISOString() }),
          say: (message) => terminal.write(`${line(message)}\n`),
        },
        lanes,
      );
      await carryOn(terminal, worker, lanes);
      return 0;
    } finally {
      await world.close();
    }
  });
}

/** Takes work until it is told to stop; told twice, it ends what it is at. */
async function carryOn(
  terminal: Terminal,
  worker: { run(): Promise<void>; stop(): void; end(reason: Error): void; readonly underWay: number },
  lanes: number,
): Promise<void> {
  terminal.write(`${line(`waits for work, ${countOf(lanes, 'part')} at once; Ctrl-C ends it`)}\n`);
  const first = onInterruption('the worker was stopped');
  const again = (): void => worker.end(first.signal.reason as Error);
  first.signal.addEventListener('abort', () => {
    terminal.write(
      `${line(worker.underWay > 0 ? `ends after what it is at (${countOf(worker.underWay, 'part')}); once more ends it now` : 'ends')}\n`,
    );
    worker.stop();
    first.stop();
    for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.once(signal, again);
  });
  try {
    await worker.run();
  } finally {
    first.stop();
  }
}

function line(message: string): string {
  return `work    ${message}`;
}

/** One line of who works; gives 1 where nobody does on this machine. */
function printStatus(workers: readonly KnownWorker[]): ExitCode {
  const here = workers.filter(({ isHere }) => isHere);
  const busy = workers.reduce((sum, { underWay }) => sum + underWay, 0);
  const lanes = workers.reduce((sum, { jobs }) => sum + jobs, 0);
  writeData(
    `${countOf(here.length, 'worker')} on this machine, ${workers.length} in the team; ${busy} of ${countOf(lanes, 'part')} under way\n`,
  );
  return here.length > 0 ? 0 : 1;
}

function lanesOf({ jobs = '1' }: WorkOptions): number {
  const count = Number(jobs);
  if (Number.isInteger(count) && count >= 1 && count <= 256) return count;
  return fail('wrong-form', `--jobs ${jobs} is no number of parts from 1 to 256`, { hint: '--jobs 2' });
}
