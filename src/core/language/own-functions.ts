import { ProblemError } from '../problems.ts';
import type { Evaluate } from './compiled.ts';
import { WithNames } from './environment.ts';
import { visit } from './limits.ts';
import type { CallTree, OwnFunction, Tree } from './tree.ts';

/** A call of what the chain or project defines: its expression, with the arguments under their names. */
export function compileOwn(
  tree: CallTree,
  own: OwnFunction,
  filter: boolean,
  compile: (tree: Tree, filter?: boolean) => Evaluate,
): Evaluate {
  const body = compiledOwn(own, compile);
  const values = tree.arguments.map((argument) => compile(argument, filter));
  return (environment, item) => {
    visit(environment, 10); // definitions that use each other can take twice the time with each
    const names = own.parameters.map((name, i) => [name, values[i]?.(environment, item)] as const);
    try {
      return body(new WithNames(environment, new Map(names)), undefined);
    } catch (error) {
      // Its span is one of the definition, which stands elsewhere.
      if (error instanceof ProblemError)
        throw new ProblemError({
          ...error.problem,
          message: `in ${own.name} (${own.place}): ${error.problem.message}`,
          span: tree.span,
        });
      throw error;
    }
  };
}

const bodies = new WeakMap<OwnFunction, Evaluate>();

function compiledOwn(own: OwnFunction, compile: (tree: Tree) => Evaluate): Evaluate {
  let body = bodies.get(own);
  if (!body) bodies.set(own, (body = compile(own.tree)));
  return body;
}
