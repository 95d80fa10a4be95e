import type { Step } from '../../chain/model.ts';
import type { Problem } from '../../problems.ts';
import { eventProblem } from '../scope/with-place.ts';

/** What a step comes to that has to fail: its problem, or why it has passed by failing. */
export type MustFail = { readonly problem: Problem | undefined } | { readonly passed: string };

/** Settles a step by the codes with which it has to fail; any other step comes to what it came to. */
export function mustFail(step: Step, problem: Problem | undefined): MustFail {
  if (!step.mustFail) return { problem };
  const wanted = step.mustFail;
  if (!problem)
    return {
      problem: {
        code: 'not-as-expected',
        message: `it had to fail with ${wanted.join(' or ')}, but it passed`,
        place: step.at,
      },
    };
  // An interruption is no failure of the service, and a defect none of anybody's making.
  if (!wanted.includes(problem.code) || problem.code === 'interrupted' || problem.code === 'defect')
    return { problem };
  return { passed: `it failed as it must, with ${problem.code}: ${eventProblem(problem).message}` };
}
