import { responseOf, OpenRun } from '../../api/open-run.ts';
import type { Records } from '../../api/record-types.ts';
import { countOf } from '../../core/count-of.ts';
import type { Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import { groupSteps, type StepGroup } from '../../core/record/compare-runs.ts';
import { type Drift, driftOf } from '../../core/record/drift.ts';
import { agoWords } from '../records/ago-words.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { StepLines } from '../view/step-lines.ts';

/** Of a step in a loop the responses of so many iterations are looked at. */
const LOOKED_AT = 200;

/** So many differences of one kind are told. */
const MOST = 20;

/** What differs in one step. */
interface StepDrift extends Drift {
  readonly address: string;
  /** Statuses, and content types, that never came before. */
  readonly status?: readonly [before: string, after: string];
  readonly type?: readonly [before: string, after: string];
}

/**
 * The run that another one of a chain is held against: a run by its id, or with `passed` the latest whole one that passed in the
 * same environment; undefined where there is none yet. Throws `no-record`.
 */
export function baselineOf(
  records: Records,
  against: string,
  { file, environment }: { readonly file: string; readonly environment: string | undefined },
): string | undefined {
  if (against !== 'passed') return records.find(against);
  for (const run of records.list()) {
    if ('unreadable' in run || run.part || run.watch) continue;
    if (run.file === file && run.outcome === 'passed' && run.environment === environment) return run.run;
  }
  return undefined;
}

/** Says how the responses of a run differ in shape from those of an earlier one; returns whether that is a failure. */
export function tellDrift(terminal: Terminal, records: Records, before: string, after: string): boolean {
  const [one, two] = [OpenRun.read(records, before), OpenRun.read(records, after)];
  if (one.run.file !== two.run.file)
    fail('wrong-form', `the run ${before} is one of ${one.run.file}, not of ${two.run.file}`, {
      hint: '--against passed',
    });
  const [then, now] = [groupSteps(one.steps()), groupSteps(two.steps())];
  const found = [...now].flatMap(([address, group]): StepDrift[] => {
    const earlier = then.get(address);
    return earlier ? [driftOfStep(address, [one, earlier], [two, group])] : [];
  });
  const lines = new StepLines(terminal);
  const since = `run ${before}, ${agoWords(Date.now() - one.run.at)}`;
  let failures = 0;
  for (const { added, address, changed, gone, status, type } of found) {
    const own = gone.length + changed.length + (status ? 1 : 0) + (type ? 1 : 0);
    failures += own;
    if (own + added.length === 0) continue;
    lines.line(own > 0 ? 'differs' : '', `${terminal.colours.bold(address)}  since ${since}`);
    if (status) lines.row('status', `${status[0]}, then ${status[1]}`);
    if (type) lines.row('type', `${type[0]}, then ${type[1]}`);
    some(lines, gone, ([path, kinds]) => ['removed', `${path}  ${kinds}`]);
    some(lines, changed, ([path, old, kinds]) => ['kind', `${path}  ${old}, then ${kinds}`]);
    some(lines, added, ([path, kinds]) => ['added', `${path}  ${kinds}`]);
  }
  if (failures === 0) {
    terminal.write(`${terminal.colours.dim(`responses have the shape that they had in ${since}`)}\n`);
    return false;
  }
  lines.line('failed', `responses have another shape than in ${since}: ${countOf(failures, 'difference')}`);
  return true;
}

function some<T>(lines: StepLines, all: readonly T[], row: (one: T) => [label: string, text: string]): void {
  for (const one of all.slice(0, MOST)) lines.row(...row(one));
  if (all.length > MOST) lines.row('', `and ${all.length - MOST} more`);
}

function driftOfStep(
  address: string,
  [one, before]: readonly [OpenRun, StepGroup],
  [two, after]: readonly [OpenRun, StepGroup],
): StepDrift {
  const [then, now] = [responsesOf(one, before), responsesOf(two, after)];
  const never = (old: readonly string[], own: readonly string[]): readonly [string, string] | undefined =>
    old.length > 0 && own.some((word) => !old.includes(word)) ? [listed(old), listed(own)] : undefined;
  const status = never(then.statuses, now.statuses);
  const type = never(then.types, now.types);
  const drift =
    then.values.length > 0 && now.values.length > 0
      ? driftOf(then.values, now.values)
      : { gone: [], changed: [], added: [] };
  return { address, ...drift, ...(status ? { status } : {}), ...(type ? { type } : {}) };
}

function responsesOf(
  open: OpenRun,
  { steps }: StepGroup,
): { readonly values: Value[]; readonly statuses: string[]; readonly types: string[] } {
  const responses = steps.slice(0, LOOKED_AT).flatMap((step) => responseOf(step) ?? []);
  return {
    values: responses.flatMap((response) => {
      const value = open.value(response);
      return typeof value === 'object' && value !== null && !(value instanceof Uint8Array) ? [value] : [];
    }),
    statuses: unique(responses.map(({ status }) => String(status))),
    types: unique(responses.flatMap(({ body }) => body.type ?? [])),
  };
}

function unique(words: readonly string[]): string[] {
  return [...new Set(words)].sort();
}

function listed(words: readonly string[]): string {
  return words.length === 0 ? 'none' : words.join(' or ');
}
