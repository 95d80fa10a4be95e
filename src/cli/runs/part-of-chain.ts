import { namesGivenBy, recordedName, runsOfChain } from '../../api/recorded-names.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { usedIn } from '../../core/chain/steps-of.ts';
import { type Chain, type Expressions, type Step, stepsIn } from '../../core/chain/model.ts';
import type { Opener } from '../../core/ports.ts';
import type { Project } from '../../core/chain/project.ts';
import { namesIn } from '../../core/language/tree.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import { writeJson } from '../../core/language/json.ts';
import { shorten, visible } from '../../core/language/show.ts';
import { memberOf, type Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { RecordedRun } from '../../core/record/recorded-run.ts';
import { agoWords } from '../records/ago-words.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** Which steps of a chain are wanted: from one on, or only some. */
export interface WantedSteps {
  readonly from?: string | undefined;
  readonly only?: readonly string[] | undefined;
}

/** A part of a chain that can be run by itself, since the names that it needs are known from earlier runs. */
export interface ChainPart {
  readonly chain: Chain;
  readonly known: ReadonlyMap<string, Value>;
  /** Names that come from records, and from which. */
  readonly used: ReadonlyMap<RecordedRun, string[]>;
}

/** The steps in the order in which they come, those in groups on their own. */
export function flat(steps: readonly Step[]): Step[] {
  return steps.flatMap((step) =>
    step.type === 'group' ? flat([...step.steps, ...(step.otherwise ?? [])]) : [step],
  );
}

/** Says from which runs names are taken. */
export function tellUsed(terminal: Terminal, used: ReadonlyMap<RecordedRun, string[]>): void {
  for (const [run, names] of used)
    terminal.write(
      `${terminal.colours.dim(`uses ${nameList(names)} from run ${run.id}, ${agoWords(Date.now() - run.lastAt)}`)}\n`,
    );
}

/** The part that is wanted, with what it needs of earlier runs. Throws `no-such-step`, `no-record`. */
export function partOfChain(
  chain: Chain,
  wanted: WantedSteps,
  { project, opener }: { readonly project: Project; readonly opener: Opener },
): ChainPart {
  const steps = stepsWanted(chain, wanted);
  // What cleans up and what comes out belong to the end of the chain.
  const part: Chain =
    wanted.only === undefined ? { ...chain, steps } : { ...chain, steps, cleanup: [], results: [] };
  const inside = new Set(steps);
  const before = flat(chain.steps.filter((step) => !inside.has(step))).filter((step) => !inside.has(step));
  const runs = runsOfChain(recordsOf(project), chain.file, project.environment);
  const known = new Map<string, Value>();
  const used = new Map<RecordedRun, string[]>();
  const own = new Set(flat(steps).flatMap((step) => [...namesGivenBy(step), step.name]));
  for (const name of neededBy(part)) {
    if (own.has(name)) continue;
    const giver = before.findLast(
      (step) => step.name === name.replace(/^steps\./, '') || namesGivenBy(step).has(name),
    );
    if (!giver) continue;
    const recorded = recordedName(giver, name, { runs, opener });
    if (!recorded) {
      const where = project.environment === undefined ? '' : ` in ${project.environment}`;
      fail(
        'no-record',
        `${steps[0]!.title} needs ${name}, and no run${where} has recorded that ${giver.title} gave it`,
        {
          hint: `batharon run ${chain.file}, whose values are used from then on`,
          place: giver.at,
        },
      );
    }
    known.set(name, recorded.value);
    used.set(recorded.run, [...(used.get(recorded.run) ?? []), name]);
  }
  return { chain: part, known, used };
}

/** What should be known of the runs that names are taken from: other inputs than this one has, and what they took back. */
export function doubtsAbout(
  { inputs }: Chain,
  given: Readonly<Record<string, Value>>,
  runs: Iterable<RecordedRun>,
): string[] {
  const lines: string[] = [];
  for (const { cleanup, id, inputs: before, undo } of runs) {
    if (undo.length + cleanup.length > 0)
      lines.push(
        `run ${id} has taken back what it did at its end, so what its values point to may be gone (run --leave leaves it)`,
      );
    for (const { name, kind, default: byDefault } of inputs) {
      const value = memberOf(given, name) ?? (byDefault?.type === 'value' ? byDefault.value : undefined);
      const was = before[name];
      if (kind === 'secret' || value === undefined || was === undefined) continue;
      const now = writeJson(value, 0, 'text');
      if (now !== was)
        lines.push(
          `run ${id} had ${name} = ${shorten(visible(was), 60)}, and this one has ${shorten(visible(now), 60)}`,
        );
    }
  }
  return lines;
}

/** The names that a part needs, those of undo, cleanup and results included. */
function neededBy({ steps, cleanup, results }: Chain): Set<string> {
  const undo = (step: Step): Step[] => [...step.undo, ...stepsIn(step).flatMap(undo)];
  return new Set([
    ...usedIn([...steps, ...steps.flatMap(undo), ...cleanup]),
    ...results.flatMap(({ value }) => namesOf(value)),
  ]);
}

function namesOf(value: Expressions): string[] {
  if (value.type === 'expression') return [...namesIn(value.value.expression.tree)];
  return value.type === 'list'
    ? value.items.flatMap(namesOf)
    : value.members.flatMap(([, member]) => namesOf(member));
}

function stepsWanted({ steps }: Chain, { from, only }: WantedSteps): Step[] {
  if (from !== undefined) {
    const at = steps.findIndex((step) => isCalled(step, from));
    if (at >= 0) return steps.slice(at);
    const around = steps.find((step) => holds(step, from));
    if (around)
      fail('no-such-step', `${from} stands in ${around.title}, and a run can begin at that only`, {
        hint: `--from ${around.name ?? around.address}`,
      });
    return unknown(from, steps);
  }
  const all = flat(steps);
  return (only ?? []).map((name): Step => {
    const found = steps.find((step) => isCalled(step, name)) ?? all.find((step) => isCalled(step, name));
    if (found) return found;
    const around = all.find((step) => holds(step, name));
    return around
      ? fail(
          'no-such-step',
          `${name} stands in ${around.title}, whose iterations give it the names it needs`,
          {
            hint: `--only ${around.name ?? around.address}`,
          },
        )
      : unknown(name, all);
  });
}

function isCalled({ name, address }: Step, wanted: string): boolean {
  return name === wanted || address === wanted;
}

function holds(step: Step, wanted: string): boolean {
  return stepsIn(step).some((inner) => isCalled(inner, wanted) || holds(inner, wanted));
}

function unknown(wanted: string, steps: readonly Step[]): never {
  const names = steps.map(({ name, address }) => name ?? address);
  fail('no-such-step', `the chain has no step ${wanted}`, {
    hint: nearest(wanted, names) ?? `it has ${nameList(names, 20)}`,
  });
}
