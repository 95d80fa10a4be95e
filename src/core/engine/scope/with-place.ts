import { objectOf, type Value } from '../../language/values.ts';
import type { PlacedExpression } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { type Problem, ProblemError } from '../../problems.ts';

/** Runs an expression; a problem of it gets its place in the file. */
export function placed<T>(expression: PlacedExpression, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof ProblemError && !error.problem.place) {
      const { span, ...problem } = error.problem;
      throw new ProblemError({ ...problem, place: expression.at(span) });
    }
    throw error;
  }
}

/** Throws why an expression came out as nothing. */
export function throwNothing(expression: PlacedExpression, environment: Environment): never {
  const { message, hint } = expression.expression.whyNothing(environment);
  throw new ProblemError({
    code: 'found-nothing',
    message,
    ...(hint === undefined ? {} : { hint }),
    place: expression.at(expression.expression.tree.span),
  });
}

/** A problem as an event carries it. */
export function eventProblem({ code, message, hint, place }: Problem): {
  code: string;
  message: string;
  hint?: string;
  place?: { file: string; line: number; column: number };
} {
  return {
    code,
    message,
    ...(hint === undefined ? {} : { hint }),
    ...(place === undefined ? {} : { place }),
  };
}

/** A problem as expressions see it. */
export function problemObject(problem: Problem): Value {
  const { code, hint, message } = eventProblem(problem);
  return objectOf([
    ['code', code],
    ['message', message],
    ...(hint === undefined ? [] : [['hint', hint] as const]),
  ]);
}
