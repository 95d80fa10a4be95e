import { countOf } from '../../count-of.ts';
import type { RepeatStep } from '../../chain/model.ts';
import { ProblemError } from '../../problems.ts';
import { isAccepted } from './acceptance.ts';
import type { Done, Steps } from './step-result.ts';
import { Bound } from '../time/bound.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf, durationOf } from '../scope/settings.ts';
import { eventProblem, placed, throwNothing } from '../scope/with-place.ts';
import { brief } from '../../language/show.ts';
import { Duration } from '../../language/values.ts';
import { evaluateAll } from '../scope/evaluate.ts';
import { Pausing } from '../scope/backoff.ts';
import { recordedValue } from '../scope/recorded-value.ts';

/** Carries steps out again until the condition holds; throws `bound-reached` where it does not come to that. */
export async function carryOutRepeat(runner: Steps, context: RunContext, step: RepeatStep): Promise<Done> {
  const { clock } = context.ports;
  const outside = context.environment(step);
  const { past } = context.options;
  const address = context.address(step);
  const before = past?.startOf(address);
  for (const { name, value } of step.start)
    context.names.set(name, before?.get(name) ?? evaluateAll(value, outside));
  const most = amountOf(step.upTo, outside);
  const within = durationOf(step.within, outside);
  const pausing = new Pausing(step.every, outside);
  const bounds = new Bound(clock, { times: most });
  const time = new Bound(clock, { within });
  const start = step.start.map(
    ({ name }) => [name, recordedValue(context, context.names.get(name)!)] as const,
  );
  context.emit({
    event: 'loop-began',
    step: address,
    atOnce: 1,
    ...(start.length === 0 ? {} : { start: Object.fromEntries(start) }),
  });
  let passedBefore = 0;
  while (bounds.take()) {
    const iteration = bounds.taken - 1;
    // The names of an iteration are those of what the loop stands in: the last one's values are there after it.
    const inside = context.iteration(step, iteration, context.names);
    const since = clock.elapsed();
    const tell = (): void => context.emit({ event: 'iteration-began', step: address, iteration });
    if (past?.iteration(address, iteration)?.outcome === 'passed') inside.tellBefore(tell);
    else tell();
    const stop = await runner.steps(inside, step.steps);
    const elapsed = Math.round((clock.elapsed() - since) * 100) / 100;
    const cut = stop?.problem.code === 'interrupted';
    const untouched = inside.isUntouched;
    if (untouched && !stop) passedBefore++;
    else if (passedBefore > 0) {
      context.emit({ event: 'passed-before', step: address, title: step.title, iterations: passedBefore });
      passedBefore = 0;
    }
    if (!untouched || stop)
      context.emit({
        event: 'iteration-ended',
        step: address,
        iteration,
        outcome: !stop
          ? 'passed'
          : cut
            ? 'interrupted'
            : isAccepted(inside, undefined, stop.problem)
              ? 'accepted'
              : 'failed',
        elapsed,
        ...(stop ? { failed: stop.address, problem: eventProblem(stop.problem) } : {}),
      });
    if (stop) return { stop, iterations: { passed: iteration, failed: cut ? 0 : 1 } };
    const environment = inside.environment(step);
    const { until } = step;
    const done = placed(until, () => until.expression.test(environment)) ?? throwNothing(until, environment);
    if (done) return { iterations: { passed: iteration + 1, failed: 0 } };
    const wait = pausing.next();
    if (untouched) continue;
    if (wait > time.left || time.isLate)
      bound(step, brief(new Duration(within)), 'within: with a longer time');
    if (wait > 0) {
      context.emit({ event: 'waiting', step: context.address(step), for: wait, why: 'repeat' });
      await context.sleep(wait);
    }
  }
  return bound(step, countOf(most, 'iteration'), `up-to: ${most * 2}`);
}

function bound({ until, at }: RepeatStep, what: string, hint: string): never {
  throw new ProblemError({
    code: 'bound-reached',
    message: `${until.expression.text} did not hold within ${what}`,
    hint,
    place: at,
  });
}
