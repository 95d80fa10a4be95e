import type { ExitCode } from '../../core/events.ts';
import {
  compareSteps,
  groupSteps,
  type BodyShape,
  bodyShapeOf,
  type StepDifference,
  type StepGroup,
} from '../../core/record/compare-runs.ts';
import { fail } from '../../core/problems.ts';
import type { Records } from '../../api/record-types.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { responseOf, OpenRun } from '../../api/open-run.ts';
import { parsePlace } from '../../core/address.ts';
import { agoWords } from '../records/ago-words.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { briefJson, StepLines } from '../view/step-lines.ts';
import { outputTerminal, type Terminal } from '../terminal/terminal.ts';
import { timeWords } from '../../core/units.ts';
import { padStart, pad } from '../terminal/text-width.ts';
import { writeTo } from '../terminal/standard-streams.ts';

export interface CompareOptions {
  readonly json?: boolean;
}

/** Lines of one kind of difference that are shown. */
const MOST = 12;

interface Side {
  readonly open: OpenRun;
  readonly groups: Map<string, StepGroup>;
}

/** `batharon compare RUN RUN`: what differs between two runs, or two steps. Returns 1 where outcome or shape do. */
export function compare(first: string, second: string, { json }: CompareOptions): Promise<ExitCode> {
  return guarded(async () => {
    const records = recordsOf(loadProject(undefined, false).project);
    const [before, after] = [sideOf(records, first), sideOf(records, second)];
    // Two steps are compared whatever they are called.
    const [one, two] = [parsePlace(first).step, parsePlace(second).step];
    if ((one === undefined) !== (two === undefined))
      fail('wrong-form', 'a run is compared with a run, and a step with a step', {
        hint: `batharon compare ${before.open.id}:${one ?? two!} ${after.open.id}:${one ?? two!}`,
      });
    const differences = one === undefined ? compareRuns(before, after) : compareTwo(before, after);
    const outcomes = [before.open.run.outcome, after.open.run.outcome] as const;
    if (json)
      writeTo(
        1,
        `${JSON.stringify({ runs: [before.open.id, after.open.id], ...(one === undefined ? { outcomes } : {}), steps: differences }, undefined, 2)}\n`,
      );
    else print(outputTerminal(), before.open, after.open, differences);
    const isOther = differences.some(({ only, outcome, shape }) => only ?? outcome ?? shape);
    return isOther || (one === undefined && outcomes[0] !== outcomes[1]) ? 1 : 0;
  });
}

/** A run with its steps, or with the one that is named. Throws `no-record`. */
function sideOf(records: Records, text: string): Side {
  const { run, step } = parsePlace(text);
  const open = OpenRun.read(records, records.find(run));
  const groups = groupSteps(open.steps());
  if (step === undefined) return { open, groups };
  const own = open.step(step);
  const group = own ? { address: step, steps: [own] } : groups.get(step);
  if (!group)
    return fail('no-record', `the run ${open.id} has no step ${step}`, {
      hint: [...groups.keys()].slice(0, 20).join(', '),
    });
  return { open, groups: new Map([[step, group]]) };
}

function shapesOf(open: OpenRun, { steps }: StepGroup): BodyShape {
  return bodyShapeOf(
    steps.map((step) => {
      const response = responseOf(step);
      const value = response && open.value(response);
      return typeof value === 'object' && !(value instanceof Uint8Array) ? value : undefined;
    }),
  );
}

function compareRuns(before: Side, after: Side): StepDifference[] {
  const addresses = [...new Set([...before.groups.keys(), ...after.groups.keys()])];
  return addresses.flatMap((address): StepDifference[] => {
    const [one, two] = [before.groups.get(address), after.groups.get(address)];
    if (!one || !two) return [{ address, only: one ? 'first' : 'second' }];
    const found = compareSteps(one, two, [shapesOf(before.open, one), shapesOf(after.open, two)]);
    return found ? [found] : [];
  });
}

function compareTwo(before: Side, after: Side): StepDifference[] {
  const [[one], [two]] = [[...before.groups.values()], [...after.groups.values()]];
  const found = compareSteps(one!, two!, [shapesOf(before.open, one!), shapesOf(after.open, two!)]);
  return found ? [found] : [];
}

function print(
  terminal: Terminal,
  before: OpenRun,
  after: OpenRun,
  differences: readonly StepDifference[],
): void {
  const { colours } = terminal;
  const lines = new StepLines(terminal);
  for (const { run } of [before, after])
    terminal.write(
      `${lines.paint(run.outcome === 'unfinished' ? 'interrupted' : run.outcome)}${colours.bold(run.id)}  ${pad(agoWords(Date.now() - run.at), 11)} ${padStart(timeWords(run.elapsed), 9)}  ${padStart(`${run.calls} calls`, 10)}  ${run.file}\n`,
    );
  const [one, two] = [before, after].map(({ run }) => run.environment ?? 'no environment');
  if (one !== two) terminal.write(`${lines.paint('warning')}they ran in ${one} and ${two}\n`);
  terminal.write('\n');
  if (differences.length === 0) terminal.write('They did the same, with responses of the same shape.\n');
  for (const difference of differences) {
    const { address, kept = [], only, outcome, shape, status, time } = difference;
    if (only) {
      lines.line('differs', `${colours.bold(address)}  only in the ${only} run`);
      continue;
    }
    lines.line('differs', colours.bold(address));
    const pair = ([old, now]: readonly [string, string]): string => `${old}, then ${now}`;
    if (outcome) lines.row('outcome', pair(outcome));
    if (status) lines.row('status', pair(status));
    if (time) lines.row('time', pair([timeWords(time[0]), timeWords(time[1])]));
    const brief = (value: string | undefined): string => (value === undefined ? 'nothing' : briefJson(value));
    some(lines, kept, ([name, old, now]) => ['kept', `${name}: ${brief(old)}, then ${brief(now)}`]);
    if (!shape) continue;
    some(lines, shape.got, ([path, kinds]) => ['added', `${path}  ${colours.dim(kinds)}`]);
    some(lines, shape.went, ([path, kinds]) => ['removed', `${path}  ${colours.dim(kinds)}`]);
    some(lines, shape.changed, ([path, old, now]) => ['kind', `${path}  ${old}, then ${now}`]);
  }
}

function some<T>(lines: StepLines, all: readonly T[], row: (one: T) => [string, string]): void {
  for (const one of all.slice(0, MOST)) lines.row(...row(one));
  if (all.length > MOST) lines.row('', `and ${all.length - MOST} more`);
}
