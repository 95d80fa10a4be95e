import type { Step } from '../../chain/model.ts';
import type { Problem } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';

/** What is never accepted: it is no failure of what the step asked for. */
const NEVER: ReadonlySet<string> = new Set(['interrupted', 'defect', 'guarded', 'budget-used-up']);

/** Whether a failure is accepted: by the step itself, or by what it stands in. */
export function isAccepted(context: RunContext, step: Step | undefined, { code }: Problem): boolean {
  return (context.isAccepting || step?.onFail === 'accept') && !NEVER.has(code);
}

/** Whether what fails inside of a step is no failure of the run by itself: the step settles what it means. */
export function mayFail({ mustFail, onFail }: Step): boolean {
  return onFail === 'accept' || mustFail !== undefined;
}
