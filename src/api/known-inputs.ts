import { readInput } from '../core/chain/fields/input-values.ts';
import type { Chain } from '../core/chain/model.ts';
import type { Value } from '../core/language/values.ts';
import type { PastRun } from '../core/record/past-of-events.ts';

/** The inputs as the run was given them. */
export function knownInputs(chain: Chain, { inputs }: PastRun): Record<string, Value> {
  return Object.fromEntries(
    chain.inputs.flatMap(({ kind, name }) => {
      const value = inputs.get(name);
      if (value === undefined || (value === null && kind !== 'json')) return [];
      // A date stands in the record as its text.
      const read =
        kind === 'date' && typeof value === 'string' ? readInput(kind, value, 'UTC').value : undefined;
      return [[name, read ?? value] as const];
    }),
  );
}
