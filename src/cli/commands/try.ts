import { dirname, resolve } from 'node:path';
import { type Chain, type Step, stepsIn, usedIn } from '../../core/chain/model.ts';
import type { ExitCode } from '../../core/events.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { Recorded } from '../../io/record-schema.ts';
import { Records } from '../../io/records.ts';
import type { SourceFile } from '../../core/chain/source.ts';
import { keepInFile } from '../add-draft.ts';
import { answerTree, printTree } from '../answer-tree.ts';
import { guarded } from '../guard.ts';
import { inputsOf, readGiven } from '../inputs.ts';
import { load, loadProject } from '../load.ts';
import { agoWords, keptNames, stepObject, valueOfAnswer } from '../recorded.ts';
import { runRecorded } from '../run-recorded.ts';
import { RunView } from '../run-view.ts';
import { errorTerminal, outputTerminal } from '../terminal.ts';
import { openWorld } from '../world.ts';
import { projectFolder } from '../../io/project-folder.ts';
import { reportProblems, runId, watchInterruption } from './run.ts';

export interface TryOptions {
  readonly env?: string;
  readonly give?: readonly string[];
  readonly giveFrom?: string;
  readonly keep?: readonly string[];
}

/** `batharon try FILE STEP`: sends one step, with what it needs from the last run, or from the steps before it. */
export function tryCommand(file: string, wanted: string, options: TryOptions): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = errorTerminal();
      if (options.keep)
        keepInFile(
          file,
          wanted,
          options.keep,
          loadProject(options.env, true, dirname(resolve(file))).project,
        );
      const loaded = load([file], options.env, true);
      ({ files } = loaded);
      if (reportProblems(terminal, loaded)) return 2;
      const chain = loaded.chains[0]!;
      const all = flat(chain.steps);
      const target = findStep(all, wanted);
      const given = readGiven(options.give ?? [], options.giveFrom);
      const world = await openWorld(loaded.project);
      const interruption = watchInterruption(terminal);
      try {
        const record = new Records(projectFolder(loaded.project)).ofChain(chain.file);
        const plan = planOf(
          chain,
          all,
          target,
          record,
          record ? keptNames(record, world.locked) : new Map(),
          given,
        );
        if (record && plan.used.length > 0)
          terminal.write(
            `${terminal.colours.dim(`uses ${nameList(plan.used)} from run ${record.run}, ${agoWords(Date.now() - record.at)}`)}\n`,
          );
        const part: Chain = { ...chain, steps: plan.steps, cleanup: [], results: [] };
        const view = new RunView(terminal);
        const { exit } = await runRecorded(
          part,
          loaded.project,
          world,
          {
            id: runId(),
            inputs: inputsOf(chain, given),
            known: plan.known,
            signal: interruption.signal,
            signInChains: loaded.signInChains,
            emit: (event) => view.show(event),
          },
          { partly: true },
        );
        const answered = new Records(projectFolder(loaded.project))
          .ofChain(chain.file)
          ?.steps.find(({ address }) => address === target.address);
        const value = answered && valueOfAnswer(answered);
        if (value !== undefined && !(value instanceof Uint8Array)) {
          terminal.write('\n');
          printTree(outputTerminal(), answerTree(value));
        }
        return exit;
      } finally {
        interruption.stop();
        await world.close();
      }
    },
    () => files,
  );
}

/** The steps in the order in which they come, those in groups on their own. */
function flat(steps: readonly Step[]): Step[] {
  return steps.flatMap((step) =>
    step.type === 'group' ? flat([...step.steps, ...(step.otherwise ?? [])]) : [step],
  );
}

function findStep(all: readonly Step[], wanted: string): Step {
  const found = all.find(({ name, address }) => name === wanted || address === wanted);
  if (found) return found;
  const loop = all.find((step) => holdsStep(step, wanted));
  if (loop)
    fail('no-such-step', `${wanted} stands in ${loop.title}, and its turns give it the names it needs`, {
      instead:
        loop.name === undefined
          ? 'a name for the loop, which can be tried'
          : `batharon try FILE ${loop.name}`,
    });
  const names = all.map(({ name, address }) => name ?? address);
  return fail('no-such-step', `the chain has no step ${wanted}`, {
    instead: nearest(wanted, names) ?? `it has ${nameList(names, 20)}`,
  });
}

/** Whether a step stands inside another one. */
function holdsStep(step: Step, wanted: string): boolean {
  return stepsIn(step).some(
    (inner) => inner.name === wanted || inner.address === wanted || holdsStep(inner, wanted),
  );
}

/** The names that a step leaves to those below it. */
function namesOf(step: Step): Set<string> {
  const more = step.type === 'each' ? step.gather : step.type === 'repeat' ? step.start : [];
  const inside = step.type === 'repeat' ? step.steps.flatMap((inner) => [...namesOf(inner)]) : [];
  return new Set([...[...step.keep, ...more].map(({ name }) => name), ...inside]);
}

interface Plan {
  /** Those that have to be carried out, the wanted one last. */
  readonly steps: Step[];
  readonly known: Map<string, Value>;
  /** Names that come from the record. */
  readonly used: string[];
}

/** What the step needs: names of the record, or else the steps that give them. */
function planOf(
  chain: Chain,
  all: readonly Step[],
  target: Step,
  record: Recorded | undefined,
  kept: ReadonlyMap<string, Value>,
  given: ReadonlyMap<string, string>,
): Plan {
  const needed = new Set<Step>([target]);
  const known = new Map<string, Value>();
  const inputs = new Set(chain.inputs.map(({ name }) => name));
  const own = namesOf;
  const visit = (step: Step): void => {
    for (const name of usedIn([step])) {
      if (own(step).has(name) || inputs.has(name) || known.has(name) || given.has(name)) continue;
      const giver = all.find((one) => one !== step && (one.name === name || own(one).has(name)));
      if (!giver || needed.has(giver)) continue;
      const recorded = record?.steps.find(({ address }) => address === giver.address);
      const value =
        giver.name === name
          ? recorded?.outcome === 'held'
            ? stepObject(recorded)
            : undefined
          : kept.get(name);
      if (value !== undefined) known.set(name, value);
      else {
        needed.add(giver);
        visit(giver);
      }
    }
  };
  visit(target);
  return { steps: all.filter((step) => needed.has(step)), known, used: [...known.keys()] };
}
