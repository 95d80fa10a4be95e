import { readBody } from '../core/engine/read-answer.ts';
import { headerObject } from '../core/engine/answer-names.ts';
import { parseJson } from '../core/language/json.ts';
import { nearest } from '../core/language/nearest.ts';
import { type Maybe, objectOf, type Value } from '../core/language/values.ts';
import { fail } from '../core/problems.ts';
import { formats } from '../io/formats.ts';
import type { Recorded, RecordedStep } from '../io/record-schema.ts';
import type { Records } from '../io/records.ts';
import type { LockedStore } from '../io/locked-store.ts';

/** Finds `RUN:STEP`, or the last step of a run that has an answer. Throws `no-record`. */
export function recordedStep(records: Records, where: string): { record: Recorded; step: RecordedStep } {
  const [run = 'last', address] = where.split(/:(.*)/s);
  const all = records.all();
  if (all.length === 0)
    fail('no-record', 'no run is recorded here yet', { instead: 'batharon run, or batharon send' });
  const candidates = run === 'last' || run === '' ? all : all.filter((record) => record.run.startsWith(run));
  if (candidates.length === 0)
    fail('no-record', `no run ${run} is recorded`, {
      instead: `the last are ${all
        .slice(0, 5)
        .map((record) => record.run)
        .join(', ')}`,
    });
  if (address === undefined) {
    const record = candidates[0]!;
    const step = record.steps.findLast(({ answer }) => answer);
    return step ? { record, step } : fail('no-record', `no step of the run ${record.run} got an answer`);
  }
  for (const record of candidates) {
    const step = record.steps.find((one) => one.address === address || one.name === address);
    if (step) return { record, step };
  }
  const names = candidates[0]!.steps.map((one) => one.address);
  return fail('no-record', `the run ${candidates[0]!.run} has no step ${address}`, {
    instead: nearest(address, names) ?? `it has ${names.join(', ')}`,
  });
}

/** The body of a recorded answer, read again. */
export function valueOfAnswer({ answer }: RecordedStep): Maybe {
  if (!answer) return undefined;
  const bytes =
    answer.text === undefined ? Buffer.from(answer.base64 ?? '', 'base64') : Buffer.from(answer.text, 'utf8');
  // Texts were decoded before they were recorded.
  const headers = answer.headers.map(([name, value]): [string, string] => [
    name,
    name === 'content-type' ? value.replace(/;\s*charset=[^;]*/i, '') : value,
  ]);
  const read = readBody(headers, bytes, undefined, formats);
  return read instanceof Promise ? answer.text : read.value;
}

/** The names that the expressions of a recorded step could use, secrets left out. */
export function stepNames(record: Recorded, step: RecordedStep): [string, Value][] {
  const names: [string, Value][] = [...keptNames(record)];
  for (const other of record.steps) if (other.name !== undefined) names.push([other.name, stepObject(other)]);
  if (step.answer) {
    names.push(
      ['status', step.answer.status],
      ['headers', headerObject(step.answer.headers)],
      ['size', step.answer.size],
    );
    if (step.answer.type !== undefined) names.push(['type', step.answer.type]);
    if (step.answer.text !== undefined) names.push(['text', step.answer.text]);
    const body = valueOfAnswer(step);
    if (body !== undefined) names.push(['body', body]);
  }
  return names;
}

/** All that a run kept; with `locked` also what is sealed. */
export function keptNames(record: Recorded, locked?: LockedStore): Map<string, Value> {
  const names = new Map<string, Value>();
  for (const { kept } of record.steps) {
    for (const [name, { value, sealed }] of Object.entries(kept)) {
      const whole = sealed === undefined ? value : (locked?.open(sealed) ?? (locked ? undefined : value));
      if (whole === undefined) continue;
      try {
        names.set(name, parseJson(whole));
      } catch {
        // masked inside a number; not to be had
      }
    }
  }
  return names;
}

/** A recorded step as later steps see it. */
export function stepObject({ outcome, answer, request }: RecordedStep): Value {
  const body = valueOfAnswer({ answer } as RecordedStep);
  return objectOf([
    ['ok', outcome === 'held'],
    ['skipped', outcome === 'skipped'],
    ['failed', outcome === 'broke' || outcome === 'cut off'],
    ...(answer
      ? ([
          ['status', answer.status],
          ['headers', headerObject(answer.headers)],
        ] as const)
      : []),
    ...(request ? ([['url', request.url]] as const) : []),
    ...(body === undefined ? [] : ([['body', body]] as const)),
  ]);
}

/** How long ago something was, in words. */
export function agoWords(milliseconds: number): string {
  const seconds = Math.max(0, Math.round(milliseconds / 1000));
  if (seconds < 90) return `${seconds} s ago`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min ago`;
  if (seconds < 172_800) return `${Math.round(seconds / 3600)} h ago`;
  return `${Math.round(seconds / 86_400)} days ago`;
}
