import { ProblemError } from '../problems.ts';
import type { Environment } from './environment.ts';
import type { Tree } from './tree.ts';
import type { Maybe } from './values.ts';

export type Evaluate = (environment: Environment, item: Maybe) => Maybe;

/** True, false, or nothing where what it speaks of is not there. */
export type Test = (environment: Environment, item: Maybe) => boolean | undefined;

/** Runs a part, and lets a problem say where in the expression it arose. */
export function located<T>(tree: Tree, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof ProblemError && !error.problem.span)
      throw new ProblemError({ ...error.problem, span: tree.span });
    throw error;
  }
}
