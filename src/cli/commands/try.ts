import type { Opener } from '../../core/ports.ts';
import { dirname, resolve } from 'node:path';
import { usedIn } from '../../core/chain/steps-of.ts';
import { type Chain, type Step, stepsIn } from '../../core/chain/model.ts';
import type { ExitCode } from '../../core/events.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { RecordedRun } from '../../core/record/recorded-run.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import { keepInFile } from '../draft/add-draft.ts';
import { bodyLines } from '../view/body-lines.ts';
import { printBody } from '../view/exchange-view.ts';
import { keepByNumber } from '../view/keep-by-number.ts';
import { watchInterruption } from '../terminal/signals.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { filesOf } from '../../api/files-of.ts';
import { inputsOf, readGiven } from '../project/given-inputs.ts';
import { answersIn, withAnswers } from '../project/missing-inputs.ts';
import { load, loadProject } from '../../api/load.ts';
import { responseOf, OpenRun } from '../../api/open-run.ts';
import { flat, tellUsed } from '../runs/part-of-chain.ts';
import { namesGivenBy, recordedName, runsOfChain } from '../../api/recorded-names.ts';
import { recordsOf, runRecorded } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { isSafe } from '../../core/methods.ts';
import { askYesNo } from '../terminal/prompts.ts';
import { errorTerminal, outputTerminal } from '../terminal/terminal.ts';
import { openHere } from '../project/open-here.ts';
import { reportProblems } from './run.ts';

export interface TryOptions {
  readonly env?: string;
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  /** What the step keeps; true asks for it. */
  readonly keep?: readonly string[] | true;
}

/** `batharon try FILE STEP`: sends one step, with what it needs from the last run, or from the steps before it. */
export function tryCommand(file: string, wanted: string, options: TryOptions): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      if (options.keep && options.keep !== true)
        keepInFile(
          file,
          wanted,
          options.keep,
          loadProject(options.env, true, { near: dirname(resolve(file)) }).project,
        );
      const loaded = load([file], options.env, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const chain = loaded.chains[0]!;
      const all = flat(chain.steps);
      const target = findStep(all, wanted);
      const givenNow = readGiven(options.give ?? [], options.giveFrom);
      const given = await withAnswers([chain], givenNow, loaded.project.zone);
      const world = await openHere(loaded.project);
      const interruption = watchInterruption(terminal);
      try {
        const runs = runsOfChain(recordsOf(loaded.project), chain.file, loaded.project.environment);
        const plan = planOf(chain, all, target, { runs, opener: world.sealer, given });
        tellUsed(terminal, plan.used);
        await confirmEarlier(plan.steps.slice(0, -1));
        const part: Chain = { ...chain, steps: plan.steps, cleanup: [], results: [] };
        const view = new RunView(terminal);
        const { exit, id } = await runRecorded(part, loaded.project, world, {
          options: {
            inputs: inputsOf(chain, given, loaded.project.zone),
            answers: answersIn(chain, given),
            known: plan.known,
            signal: interruption.signal,
            signInChains: loaded.signInChains,
            part: true,
            files: filesOf(loaded, chain),
            emit: (event) => view.show(event),
          },
        });
        const open = OpenRun.read(recordsOf(loaded.project), id);
        const answered = open.step(target.address);
        const response = answered && responseOf(answered);
        const parts = response && (await bodyLines(open, response));
        if (parts) {
          terminal.write('\n');
          if (options.keep === true) await keepByNumber(file, wanted, parts, loaded.project);
          else printBody(outputTerminal(), parts);
        } else if (options.keep === true)
          fail('no-record', `there is no response of ${wanted} with parts that could be kept`);
        return exit;
      } finally {
        interruption.stop();
        await world.close();
      }
    },
    () => files,
  );
}

function findStep(all: readonly Step[], wanted: string): Step {
  const found = all.find(({ name, address }) => name === wanted || address === wanted);
  if (found) return found;
  const loop = all.find((step) => holdsStep(step, wanted));
  if (loop)
    fail('no-such-step', `${wanted} stands in ${loop.title}, and its iterations give it the names it needs`, {
      hint:
        loop.name === undefined
          ? 'a name for the loop, which can be tried'
          : `batharon try FILE ${loop.name}`,
    });
  const names = all.map(({ name, address }) => name ?? address);
  return fail('no-such-step', `the chain has no step ${wanted}`, {
    hint: nearest(wanted, names) ?? `it has ${nameList(names, 20)}`,
  });
}

/** Whether a step stands inside another one. */
function holdsStep(step: Step, wanted: string): boolean {
  return stepsIn(step).some(
    (inner) => inner.name === wanted || inner.address === wanted || holdsStep(inner, wanted),
  );
}

/** Steps above the wanted one that may change something are sent only where a person wants that. Throws `not-sent`. */
async function confirmEarlier(steps: readonly Step[]): Promise<void> {
  const every = (step: Step): Step[] => [step, ...stepsIn(step).flatMap(every)];
  const unsafe = steps.flatMap(every).filter((step) => step.type === 'call' && !isSafe(step.method));
  const [first] = unsafe;
  if (!first || process.env.BATHARON_YES === '1') return;
  const names = nameList(unsafe.map(({ title }) => title));
  const response = await askYesNo(
    `No run is recorded that has what this step needs. Send ${names} first? [y/N] `,
  );
  if (response) return;
  fail(
    'not-sent',
    `this step needs what ${names} gives, no run has recorded it, and sending that may change something`,
    {
      hint: 'batharon run FILE, whose values are used from then on; or --yes, which sends it first',
    },
  );
}

interface Plan {
  /** Those that have to be carried out, the wanted one last. */
  readonly steps: Step[];
  readonly known: Map<string, Value>;
  /** Names that come from records, and from which. */
  readonly used: ReadonlyMap<RecordedRun, string[]>;
}

/** What the step needs: names of the record, or else the steps that give them. */
function planOf(
  chain: Chain,
  all: readonly Step[],
  target: Step,
  {
    runs,
    opener,
    given,
  }: {
    readonly runs: readonly OpenRun[];
    readonly opener: Opener;
    readonly given: ReadonlyMap<string, unknown>;
  },
): Plan {
  const needed = new Set<Step>([target]);
  const known = new Map<string, Value>();
  const used = new Map<RecordedRun, string[]>();
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  const own = namesGivenBy;
  const visit = (step: Step): void => {
    for (const name of usedIn([step])) {
      if (own(step).has(name) || inputs.has(name) || known.has(name) || given.has(name)) continue;
      const giver = all.find((one) => one !== step && (one.name === name || own(one).has(name)));
      if (!giver || needed.has(giver)) continue;
      const recorded = recordedName(giver, name, { runs, opener });
      if (recorded) {
        const { run, value } = recorded;
        known.set(name, value);
        used.set(run, [...(used.get(run) ?? []), name]);
      } else {
        needed.add(giver);
        visit(giver);
      }
    }
  };
  visit(target);
  return { steps: all.filter((step) => needed.has(step)), known, used };
}
