import { type Chain, keepsOwnName, type Step, stepsIn } from '../../chain/model.ts';
import { evaluatedInputs } from './follow-inputs.ts';
import type { RunContext } from '../scope/context.ts';
import { isDone, type Past, type PastStep } from '../past-run.ts';
import { setInputs } from '../scope/inputs.ts';
import { stepName } from '../scope/names.ts';
import type { Undo } from './undo.ts';

/** The steps of a chain that are not as they were, by their addresses as written; of steps around them only themselves. */
export function changedSince(chain: Chain, past: Past): string[] {
  const visit = (prefix: string, step: Step): string[] => {
    const before = past.hashOf(prefix + step.address);
    if (before === undefined || before === step.fingerprint()) return [];
    const inside =
      step.type === 'follow'
        ? step.chain.steps.flatMap((inner) => visit(`${prefix}${step.address}.`, inner))
        : stepsIn(step).flatMap((inner) => visit(prefix, inner));
    return inside.length > 0 ? inside : [prefix + step.address];
  };
  return chain.steps.flatMap((step) => visit('', step));
}

/**
 * The step as it was, if it need not be carried out again: it passed before the run was resumed and is unchanged, or a person
 * has said that what it sent was processed.
 */
export function passedBefore(context: RunContext, step: Step): PastStep | undefined {
  const before = context.options.past?.step(context.address(step));
  if (!before) return undefined;
  if (before.taken) return before;
  // One that failed and ended what it stood in, where that accepts failures, is done again.
  const isOver = before.outcome === 'passed' || (before.outcome === 'accepted' && step.onFail === 'accept');
  return isOver && before.fingerprint === step.fingerprint() && !bringsCleanup(step) ? before : undefined;
}

/** A loop over a chain that cleans up after itself: each of its iterations has to be gone through for that. */
function bringsCleanup(step: Step): boolean {
  const follows = (inner: Step): boolean =>
    inner.type === 'follow' ? inner.chain.cleanup.length > 0 : stepsIn(inner).some(follows);
  return (step.type === 'each' || step.type === 'repeat') && step.steps.some(follows);
}

/** Sets the names that a step had kept, and those of the steps inside it, as it would have done itself. */
export function restore(context: RunContext, step: Step, before: PastStep, undo: Undo): void {
  const { names } = context;
  const past = context.options.past!;
  const inside = (at: RunContext, steps: readonly Step[]): void => {
    for (const inner of steps) {
      const one = past.step(at.address(inner));
      if (one && isDone(one.outcome)) restore(at, inner, one, undo);
      else if (one?.outcome === 'failed')
        for (const { name } of inner.keep) if (!at.names.has(name)) at.names.lose(name, inner.title);
    }
  };
  if (step.type === 'group') inside(context, [...step.steps, ...(step.otherwise ?? [])]);
  else if (step.type === 'repeat') {
    for (const [name, value] of past.startOf(context.address(step)) ?? []) names.set(name, value);
    for (let iteration = 0; past.iteration(context.address(step), iteration); iteration++)
      inside(context.iteration(step, iteration, names), step.steps);
  } else if (step.type === 'follow' && step.chain.cleanup.length > 0) {
    const followed = context.following(step, step.chain);
    setInputs(followed, evaluatedInputs(context, step), past.startOf(context.address(step)));
    inside(followed, step.chain.steps);
    undo.bookCleanup(followed, step.chain);
  }
  for (const [name, value] of before.kept) {
    names.set(name, value);
    if (before.url !== undefined) names.cameFrom(name, before.url);
  }
  if (before.outcome === 'accepted')
    for (const { name } of step.keep) if (!names.has(name)) names.lose(name, step.title, true);
  if (before.taken) for (const { name } of step.keep) if (!names.has(name)) names.lose(name, step.title);
  if (step.name === undefined || before.named === undefined) return;
  names.setStep(step.name, before.named, { isOwn: !keepsOwnName(step), isAsked: true });
  if (before.url === undefined) return;
  names.cameFrom(step.name, before.url);
  names.cameFrom(stepName(step.name), before.url);
}
