import type { FollowStep } from '../../chain/model.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import { memberOf, type Value } from '../../language/values.ts';
import { fail, ProblemError } from '../../problems.ts';
import type { Done, Steps } from './step-result.ts';
import type { RunContext } from '../scope/context.ts';
import { evaluateAll } from '../scope/evaluate.ts';
import { recordedNames } from '../scope/recorded-value.ts';
import { checkInputs, computedInputs, setInputs } from '../scope/inputs.ts';
import { evaluatedInputs } from './follow-inputs.ts';

/** Carries another chain out as a step; its results become members of the step's name, its cleanup waits for the end of the run. */
export async function carryOutFollow(runner: Steps, context: RunContext, step: FollowStep): Promise<Done> {
  const { chain } = step;
  const inside = context.following(step, chain);
  const address = context.address(step);
  const given = evaluatedInputs(context, step);
  if (step.inputsOf) holdToInputs(step, given);
  try {
    setInputs(inside, given, context.options.past?.startOf(address));
    checkInputs(inside);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    throw new ProblemError({ ...error.problem, place: step.at });
  }
  const computed = computedInputs(inside, given);
  if (computed.length > 0)
    context.emit({ event: 'follow-began', step: address, computed: recordedNames(context, computed) });
  runner.undo.bookCleanup(inside, chain);
  const stop = await runner.steps(inside, chain.steps);
  if (stop) return { stop };
  const environment = inside.environment(undefined);
  return {
    members: chain.results.map(({ name, value }): [string, Value] => [name, evaluateAll(value, environment)]),
  };
}

/** Holds what an object gave to the inputs that the chain has. Throws `input-invalid`, `input-missing`. */
function holdToInputs({ at, chain }: FollowStep, given: Readonly<Record<string, Value>>): void {
  const names = chain.inputs.map(({ name }) => name);
  const unknown = Object.keys(given).find((name) => !names.includes(name));
  if (unknown !== undefined) {
    const near = nearest(unknown, names);
    fail('input-invalid', `${chain.file} has no input ${unknown}`, {
      place: at,
      hint: near === undefined ? `its inputs are ${nameList(names)}` : `the nearest is ${near}`,
    });
  }
  const missing = chain.inputs.find(
    ({ default: byDefault, name }) => byDefault === undefined && memberOf(given, name) === undefined,
  );
  if (missing)
    fail('input-missing', `${chain.file} needs the input ${missing.name}, and it is not given`, {
      place: at,
      hint: `an object with the member ${missing.name}`,
    });
}
