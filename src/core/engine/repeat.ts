import type { RepeatStep } from '../chain/model.ts';
import { ProblemError } from '../problems.ts';
import type { Done, StepRunner } from './carry-out.ts';
import type { RunContext } from './context.ts';
import { eventProblem, placed, throwNothing } from './placed.ts';
import { brief } from '../language/show.ts';
import { Duration } from '../language/values.ts';
import { evaluateAll } from './outcome.ts';
import { Pausing } from './pausing.ts';

/** Carries steps out again until the condition holds; throws `bound-reached` where it does not come to that. */
export async function carryOutRepeat(
  runner: StepRunner,
  context: RunContext,
  step: RepeatStep,
): Promise<Done> {
  const { clock } = context.ports;
  const outside = context.environment(step);
  for (const { name, value } of step.start) context.names.set(name, evaluateAll(value, outside));
  const most = context.amount(step.upTo, outside);
  const within = context.duration(step.within, outside);
  const pausing = new Pausing(step.every, context, outside);
  const began = clock.elapsed();
  context.emit({ event: 'turns-began', step: context.address(step), atOnce: 1 });
  for (let turn = 0; ; turn++) {
    if (turn === most) bound(step, `${most} turn${most === 1 ? '' : 's'}`, `up-to: ${most * 2}`);
    // The names of a turn are those of what the loop stands in: the last one's values are there after it.
    const inside = context.turn(step, turn, context.names);
    const since = clock.elapsed();
    context.emit({ event: 'turn-began', step: context.address(step), turn });
    const stop = await runner.steps(inside, step.steps);
    const elapsed = Math.round((clock.elapsed() - since) * 100) / 100;
    const cut = stop?.problem.code === 'interrupted';
    context.emit({
      event: 'turn-ended',
      step: context.address(step),
      turn,
      outcome: stop ? (cut ? 'cut off' : 'broke') : 'held',
      elapsed,
      ...(stop ? { broke: stop.address, problem: eventProblem(stop.problem) } : {}),
    });
    if (stop) return { stop, turns: { held: turn, broke: cut ? 0 : 1 } };
    const environment = inside.environment(step);
    const { until } = step;
    const done = placed(until, () => until.expression.test(environment)) ?? throwNothing(until, environment);
    if (done) return { turns: { held: turn + 1, broke: 0 } };
    const wait = pausing.next();
    if (clock.elapsed() - began + wait > within)
      bound(step, brief(new Duration(within)), 'within: with a longer time');
    if (wait > 0) {
      context.emit({ event: 'waiting', step: context.address(step), for: wait, why: 'repeat' });
      await context.sleep(wait);
    }
  }
}

function bound({ until, at }: RepeatStep, what: string, instead: string): never {
  throw new ProblemError({
    code: 'bound-reached',
    message: `${until.expression.text} did not hold within ${what}`,
    instead,
    place: at,
  });
}
