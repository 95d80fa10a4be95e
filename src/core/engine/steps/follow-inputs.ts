import type { FollowStep } from '../../chain/model.ts';
import type { Value } from '../../language/values.ts';
import type { RunContext } from '../scope/context.ts';
import { insertedMembers, renderTyped } from '../scope/insert.ts';

/** The inputs that a step gives to the chain it follows. */
export function evaluatedInputs(context: RunContext, step: FollowStep): Record<string, Value> {
  const { inputs } = step;
  const inserter = context.inserter(context.environment(step));
  const given = new Map<string, Value>();
  if (step.inputsOf)
    for (const [name, value] of insertedMembers(inserter, step.inputsOf)) given.set(name, value);
  for (const [name, typed] of inputs) {
    const value = renderTyped(inserter, typed);
    if (value !== undefined) given.set(name, value);
  }
  return Object.fromEntries(given);
}
