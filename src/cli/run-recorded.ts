import type { Chain, Project } from '../core/chain/model.ts';
import type { RunOptions } from '../core/engine/context.ts';
import { run, type RunResult } from '../core/engine/run.ts';
import { Recorder } from '../io/record.ts';
import { Records } from '../io/records.ts';
import { type OpenWorld } from './world.ts';
import { projectFolder } from '../io/project-folder.ts';

/** Carries a chain out and keeps its record. A record that can't be written is said, and the run goes on. */
export async function runRecorded(
  chain: Chain,
  project: Project,
  world: OpenWorld,
  options: RunOptions,
  { partly = false } = {},
): Promise<RunResult> {
  const recorder = new Recorder();
  const records = new Records(projectFolder(project));
  return run(
    chain,
    project,
    { ...world.ports, bodies: recorder, sealer: world.locked },
    {
      ...options,
      ...(world.practice === undefined ? {} : { practice: world.practice }),
      emit: (event) => {
        options.emit(event);
        const record = recorder.take(event);
        if (!record) return;
        // Of a chain that was carried out in part, the other steps stay as they were.
        const before = partly ? records.ofChain(record.file) : undefined;
        const own = new Set(record.steps.map(({ address }) => address));
        const problem = records.write({
          ...record,
          steps: [...(before?.steps.filter(({ address }) => !own.has(address)) ?? []), ...record.steps],
        });
        if (problem !== undefined) process.stderr.write(`remark  this run is not recorded: ${problem}\n`);
      },
    },
  );
}
