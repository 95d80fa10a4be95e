import type { EachStep } from '../../chain/model.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf } from '../scope/settings.ts';
import { itemsOf } from './items.ts';
import { Iterations } from './iterations.ts';
import { refuseBeyondBudget } from './planned-calls.ts';
import { spreadIterations } from './spread-iterations.ts';
import type { Done, Steps } from './step-result.ts';

/** Carries its steps out for each item; throws `not-a-list`, `bound-reached`, `too-few-iterations`. */
export async function carryOutEach(runner: Steps, context: RunContext, step: EachStep): Promise<Done> {
  const environment = context.environment(step);
  const items = await itemsOf(context, step);
  const most = amountOf(step.upTo, environment);
  const cases = step.caseTitle && context.cases?.in(context.address(step));
  // Of a part of the iterations not so many can pass.
  const least = cases ? 0 : amountOf(step.atLeast, environment);
  const atOnce = amountOf(step.atOnce, environment);
  if (atOnce < 1) refuse(step, 'not-a-count', 'at-once must be at least 1', 'at-once: 1');
  if ((items.count ?? 0) > most)
    refuse(
      step,
      'bound-reached',
      `${items.count} iterations would be more than ${most}, the most that this loop may have`,
      `up-to: ${items.count}, if so many are meant`,
    );
  if (items.count !== undefined && !context.options.past) await refuseBeyondBudget(context, [step]);
  context.emit({
    event: 'loop-began',
    step: context.address(step),
    atOnce,
    ...(items.count === undefined || cases ? {} : { of: items.count }),
  });
  const iterations = new Iterations(runner, context, step, { items, most, cases });
  const { spread } = context.options;
  try {
    if (spread && step.spread !== undefined && !cases)
      await spreadIterations(iterations, spread, context, { step, atOnce });
    else await iterations.carryOut(atOnce);
  } finally {
    await items.close?.();
  }
  return iterations.done(least);
}

function refuse(
  { at }: EachStep,
  code: ProblemError['problem']['code'],
  message: string,
  hint: string,
): never {
  throw new ProblemError({ code, message, hint, place: at });
}
