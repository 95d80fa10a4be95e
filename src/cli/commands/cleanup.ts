import type { ExitCode } from '../../core/events.ts';
import { fail } from '../../core/problems.ts';
import { pastOf, type PastRun } from '../../core/record/past-of-events.ts';
import type { Records } from '../../api/record-types.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { load, loadProject } from '../../api/load.ts';
import { OpenRun } from '../../api/open-run.ts';
import { recordsOf, runRecorded } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { errorTerminal } from '../terminal/terminal.ts';
import { openHere } from '../project/open-here.ts';
import { reportProblems } from './run.ts';

/** `batharon cleanup RUN`: carries out the undo and cleanup steps that a run was told to leave, or did not come to. */
export function cleanup(wanted: string, options: { env?: string }): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      const records = recordsOf(loadProject(options.env, true).project);
      const { run } = runWithLeft(records, wanted);
      const loaded = load([run.file], options.env ?? run.environment, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const world = await openHere(loaded.project);
      const interruption = watchInterruption(terminal);
      const view = new RunView(terminal);
      try {
        const past = pastOf(
          records.events(run.id).events,
          {
            open: (sealed) => world.sealer.open(sealed),
            body: (digest) => records.body(run.id, digest),
          },
          { sent: () => true, notSent: () => false },
        );
        const { exit } = await runRecorded(loaded.chains[0]!, loaded.project, world, {
          options: {
            inputs: Object.fromEntries(past.inputs),
            left: { undo: past.booked, names: leftNames(past) },
            signal: interruption.signal,
            signInChains: loaded.signInChains,
            emit: (event) => view.show(event),
          },
          resumed: run.id,
        });
        return exit;
      } finally {
        interruption.stop();
        await world.close();
      }
    },
    () => files,
  );
}

function leftNames({ inputs, names }: PastRun): PastRun['names'] {
  return new Map([...names].filter(([name]) => !inputs.has(name)));
}

/** The run that is meant: of the latest ones the first that has left something. Throws `no-record`. */
function runWithLeft(records: Records, wanted: string): OpenRun {
  const ids = wanted === 'last' ? records.ids() : [records.find(wanted)];
  if (ids.length === 0) records.find(wanted);
  for (const id of ids) {
    if (records.isRunning(id) !== undefined) continue;
    const open = OpenRun.read(records, id, (address) => !address.includes('['));
    const { booked, cleanup: done, left, outcome } = open.run;
    if (left || booked.length > 0 || (outcome === 'unfinished' && done.length === 0)) return open;
  }
  return fail('no-record', `the run ${ids[0]!} has left nothing: no undo and no cleanup waits`, {
    hint: 'batharon run --leave leaves them',
  });
}
