import { writeJson } from '../../language/json.ts';
import { isSimple, writeTyped } from '../../language/typed-json.ts';
import type { Value } from '../../language/values.ts';
import type { Sealer } from '../../ports.ts';
import type { SecretsOfRun } from '../masking/secrets-of-run.ts';

/** A value as an event carries it. */
export interface RecordedValue {
  /** As JSON, masked, for people. */
  readonly value: string;
  /** The whole value, where JSON does not say its kind. */
  readonly typed?: string;
  /** The whole value, sealed, where it holds something secret. */
  readonly sealed?: string;
}

/** What takes secrets out of values, and seals the whole ones. */
interface Concealing {
  readonly hidden: SecretsOfRun;
  readonly ports: { readonly sealer?: Sealer };
}

/** A value for the record: masked for people, and whole for a run that goes on, sealed where it has to be. */
export function recordedValue(context: Concealing, value: Value, shownAs?: string): RecordedValue {
  const whole = writeJson(value, 0, 'text');
  const shown = shownAs ?? context.hidden.value(whole);
  const { sealer } = context.ports;
  if (shown !== whole) return { value: shown, ...(sealer ? { sealed: sealer.seal(writeTyped(value)) } : {}) };
  return { value: shown, ...(isSimple(value) ? {} : { typed: writeTyped(value) }) };
}

/** Names and their values, as an event has them. */
export function recordedNames(
  context: Concealing,
  names: Iterable<readonly [string, Value]>,
): Record<string, RecordedValue> {
  return Object.fromEntries([...names].map(([name, value]) => [name, recordedValue(context, value)]));
}
