import type { Step } from '../../chain/model.ts';
import type { Problem } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';

/** What is never accepted: it is no failure of what the step asked for. */
const NEVER: ReadonlySet<string> = new Set(['interrupted', 'defect', 'guarded', 'budget-used-up']);

/** Whether a failure is accepted: by the step itself, or by what it stands in. */
export function isAccepted(context: RunContext, step: Step | undefined, { code }: Problem): boolean {
  return (context.isAccepting || step?.onFail === 'accept') && !NEVER.has(code);
}
