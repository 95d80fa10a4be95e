import type { Opener } from '../core/ports.ts';
import { headerObject } from '../core/engine/wire/response-names.ts';
import { readTyped } from '../core/language/typed-json.ts';
import { objectOf, type Value } from '../core/language/values.ts';
import type { Step } from '../core/chain/model.ts';
import type { RecordedRun, RecordedStep } from '../core/record/recorded-run.ts';
import type { Records } from '../io/record/records.ts';
import { responseOf, nameOfStep, OpenRun } from './open-run.ts';

/** How many runs are looked through for what a step needs. */
const LOOKED_THROUGH = 10;

/** The latest runs of a chain file in an environment, back to the last one that was not only a part of it. */
export function runsOfChain(records: Records, file: string, environment: string | undefined): OpenRun[] {
  const found: OpenRun[] = [];
  let looked = 0;
  for (const summary of records.list()) {
    if ('unreadable' in summary || summary.file !== file) continue;
    // What staging has said is not true of production.
    if (summary.environment !== environment) continue;
    if (looked++ === LOOKED_THROUGH) break;
    found.push(OpenRun.read(records, summary.run, (address) => !address.includes('[')));
    if (!summary.part) break;
  }
  return found;
}

/** The names that a step leaves to those below it, its own left out. */
export function namesGivenBy(step: Step): Set<string> {
  const more = step.type === 'each' ? step.gather : step.type === 'repeat' ? step.start : [];
  const inside = step.type === 'repeat' ? step.steps.flatMap((inner) => [...namesGivenBy(inner)]) : [];
  if (step.type === 'ask') return new Set([step.name, ...step.keep.map(({ name }) => name)]);
  return new Set([...[...step.keep, ...more].map(({ name }) => name), ...inside]);
}

/** The value that a step gave under a name, in the latest of some runs in which it passed. */
export function recordedName(
  giver: Step,
  name: string,
  { runs, opener }: { readonly runs: readonly OpenRun[]; readonly opener: Opener },
): { readonly value: Value; readonly run: RecordedRun } | undefined {
  const open = runs.find((one) => one.step(giver.address)?.outcome === 'passed');
  const step = open?.step(giver.address);
  if (!open || !step) return undefined;
  const kept = keptNames(step, opener).get(name);
  const value = kept ?? (giver.name === name.replace(/^steps\./, '') ? stepObject(open, step) : undefined);
  return value === undefined ? undefined : { value, run: open.run };
}

/** The names that the expressions of a recorded step could use, secrets left out. */
export function stepNames(open: OpenRun, step: RecordedStep): [string, Value][] {
  const names: [string, Value][] = [];
  for (const other of open.steps()) {
    names.push(...keptNames(other));
    const name = nameOfStep(other);
    if (name !== undefined) names.push([name, stepObject(open, other)]);
  }
  const response = responseOf(step);
  if (response) {
    names.push(
      ['status', response.status],
      ['headers', headerObject(response.headers)],
      ['size', response.body.size],
    );
    if (response.body.type !== undefined) names.push(['type', response.body.type]);
    const text = open.text(response);
    if (text !== undefined) names.push(['text', text]);
    const body = open.value(response);
    if (body !== undefined) names.push(['body', body]);
  }
  return names;
}

/** What a step kept; with `opener` also what is sealed. */
export function keptNames({ kept }: RecordedStep, opener?: Opener): Map<string, Value> {
  const names = new Map<string, Value>();
  for (const [name, { sealed, typed, value }] of kept) {
    const whole =
      sealed === undefined ? (typed ?? value) : (opener?.open(sealed) ?? (opener ? undefined : value));
    if (whole === undefined) continue;
    try {
      names.set(name, readTyped(whole));
    } catch {
      // masked inside a number; not to be had
    }
  }
  return names;
}

/** A recorded step as later steps see it. */
export function stepObject(open: OpenRun, step: RecordedStep): Value {
  const response = responseOf(step);
  const body = response && open.value(response);
  const url = step.attempts.at(-1)?.sent.url;
  const { outcome } = step;
  return objectOf([
    ['ok', outcome === 'passed'],
    ['skipped', outcome === 'skipped'],
    ['failed', outcome === 'failed' || outcome === 'interrupted'],
    ...(response
      ? ([
          ['status', response.status],
          ['headers', headerObject(response.headers)],
        ] as const)
      : []),
    ...(url === undefined ? [] : ([['url', url]] as const)),
    ...(body === undefined ? [] : ([['body', body]] as const)),
  ]);
}
