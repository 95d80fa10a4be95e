import type { FollowStep } from '../chain/model.ts';
import type { Value } from '../language/values.ts';
import { ProblemError } from '../problems.ts';
import type { Done, StepRunner } from './carry-out.ts';
import type { RunContext } from './context.ts';
import { renderTyped } from './insert.ts';
import { evaluateAll } from './outcome.ts';
import { checkInputs, setInputs } from './prepare.ts';

/** The inputs that a step gives to the chain it follows, and the usual ones of that chain. */
export function evaluatedInputs(context: RunContext, step: FollowStep): Record<string, Value> {
  const { chain, inputs } = step;
  const inserter = context.inserter(context.environment(step));
  const given = new Map<string, Value>();
  for (const { name, default: usual } of chain.inputs) if (usual !== undefined) given.set(name, usual);
  for (const [name, typed] of inputs) {
    const value = renderTyped(inserter, typed);
    if (value !== undefined) given.set(name, value);
  }
  return Object.fromEntries(given);
}

/** Carries another chain out as a step; its results become members of the step's name, its cleanup waits for the end of the run. */
export async function carryOutFollow(
  runner: StepRunner,
  context: RunContext,
  step: FollowStep,
): Promise<Done> {
  const { chain } = step;
  const inside = context.following(step, chain);
  setInputs(inside, evaluatedInputs(context, step));
  try {
    checkInputs(inside);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    throw new ProblemError({ ...error.problem, place: step.at });
  }
  runner.undo.bookCleanup(inside, chain);
  const stop = await runner.steps(inside, chain.steps);
  if (stop) return { stop };
  const environment = inside.environment(undefined);
  return {
    members: chain.results.map(({ name, value }): [string, Value] => [name, evaluateAll(value, environment)]),
  };
}
