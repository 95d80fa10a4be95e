import type { ExitCode } from '../../core/events.ts';
import { parseJson } from '../../core/language/json.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { LockedStore } from '../../io/locked-store.ts';
import { projectFolder } from '../../io/project-folder.ts';
import type { Recorded } from '../../io/record-schema.ts';
import { Records } from '../../io/records.ts';
import type { SourceFile } from '../../core/chain/source.ts';
import { run } from '../../core/engine/run.ts';
import { guarded } from '../guard.ts';
import { load, loadProject } from '../load.ts';
import { RunView } from '../run-view.ts';
import { errorTerminal } from '../terminal.ts';
import { openWorld } from '../world.ts';
import { reportProblems, runId, watchInterruption } from './run.ts';

/** `batharon cleanup RUN`: carries out the undo and cleanup steps that a run was told to leave. */
export function cleanup(wanted: string, options: { env?: string }): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      const records = new Records(projectFolder(loadProject(options.env, true).project));
      const record = recordWithLeft(records, wanted);
      const loaded = load([record.file], options.env ?? record.environment, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const world = await openWorld(loaded.project);
      const interruption = watchInterruption(terminal);
      const view = new RunView(terminal);
      try {
        const { exit } = await run(loaded.chains[0]!, loaded.project, world.ports, {
          id: runId(),
          inputs: {},
          left: leftOf(record, world.locked),
          signal: interruption.signal,
          signInChains: loaded.signInChains,
          ...(world.practice === undefined ? {} : { practice: world.practice }),
          emit: (event) => view.show(event),
        });
        // What failed can be tried again: what is gone already counts as done.
        const { left: _, ...rest } = record;
        if (exit === 0) records.write(rest);
        return exit;
      } finally {
        interruption.stop();
        await world.close();
      }
    },
    () => files,
  );
}

function recordWithLeft(records: Records, wanted: string): Recorded {
  const all = records.all();
  const candidates = all.filter(({ run: id }) => wanted === 'last' || id.startsWith(wanted));
  const record = candidates.find(({ left }) => left);
  if (record) return record;
  if (candidates.length > 0)
    fail('no-record', `the run ${candidates[0]!.run} has left nothing: no undo and no cleanup waits`, {
      instead: 'batharon run --leave leaves them',
    });
  return fail('no-record', `no run ${wanted} is recorded`, {
    instead:
      all.length > 0
        ? `the last are ${all
            .slice(0, 5)
            .map(({ run: id }) => id)
            .join(', ')}`
        : 'batharon run --leave',
  });
}

function leftOf({ left }: Recorded, locked: LockedStore): NonNullable<Parameters<typeof run>[3]['left']> {
  const values = (names: NonNullable<Recorded['left']>['names']): Map<string, Value> =>
    new Map(
      Object.entries(names).flatMap(([name, { sealed, value }]) => {
        const whole = sealed === undefined ? value : locked.open(sealed);
        return whole === undefined ? [] : [[name, parseJson(whole)] as const];
      }),
    );
  return {
    undo: left!.undo.map(({ step, names }) => ({ step, names: values(names) })),
    names: values(left!.names),
  };
}
