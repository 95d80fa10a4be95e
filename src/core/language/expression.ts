import { fail, type Problem, ProblemError } from '../problems.ts';
import { compileFilter, compileTest, compileValue } from './compile.ts';
import type { Test, Evaluate } from './compiled.ts';
import { type Diagnosis, whyNoNodes, whyNothing } from './diagnose.ts';
import { whatCame } from './what-came.ts';
import type { Environment } from './environment.ts';
import { infer, type Use } from './infer.ts';
import { givesNodes, type Tree } from './tree.ts';
import { type Kind, listOf } from './kinds.ts';
import { parseExpression } from './parser.ts';
import { locate, type LocatedNode } from './paths.ts';
import { repair, UNREAD } from './repair.ts';
import type { StaticScope } from './scope.ts';
import type { Maybe, Value } from './values.ts';

/** A checked expression, compiled once. */
export class Expression {
  /** As it was written. */
  readonly text: string;
  readonly tree: Tree;
  readonly kind: Kind;
  /** It uses a secret, so what it gives is one. */
  readonly secret: boolean;
  #evaluate: Evaluate | undefined;
  #test: Test | undefined;

  constructor(text: string, tree: Tree, kind: Kind, secret: boolean) {
    this.text = text;
    this.tree = tree;
    this.kind = kind;
    this.secret = secret;
  }

  /** Its value, or nothing. Throws a {@link ProblemError} with a span. */
  evaluate(environment: Environment): Maybe {
    environment.visited = 0;
    const value = (this.#evaluate ??= compileValue(this.tree))(environment, undefined);
    if (this.secret && value !== undefined && value !== null) environment.secret?.(this.text, value);
    return value;
  }

  /** Its value; throws `found-nothing` where there is none, with what was there. */
  require(environment: Environment): Value {
    const value = this.evaluate(environment);
    if (value !== undefined) return value;
    const { message, hint } = this.whyNothing(environment);
    return fail('found-nothing', message, {
      span: this.tree.span,
      ...(hint === undefined ? {} : { hint }),
    });
  }

  /** The nodes that it finds in `$`, with their places; undefined if it is no path of `$`. */
  locate(environment: Environment): LocatedNode[] | undefined {
    const { tree } = this;
    if (tree.type !== 'query' || tree.base.type !== 'response' || environment.response === undefined)
      return undefined;
    environment.visited = 0;
    return locate(environment, environment.response, tree.segments, compileFilter);
  }

  /** True, false, or nothing. Throws a {@link ProblemError} with a span. */
  test(environment: Environment): boolean | undefined {
    environment.visited = 0;
    return (this.#test ??= compileTest(this.tree))(environment, undefined);
  }

  /** Why it came out as nothing. */
  whyNothing(environment: Environment): Diagnosis {
    const quiet = withoutWarnings(environment);
    if (givesNodes(this.tree) && this.tree.type === 'query') return whyNoNodes(this.tree, this.text, quiet);
    return whyNothing(this.tree, this.text, quiet) ?? { message: `${this.text} is nothing` };
  }

  /** What came in place of what a condition wanted, in a few words. */
  whatCame(environment: Environment): string {
    return this.secret ? SECRET : whatCame(this.tree, this.text, withoutWarnings(environment));
  }
}

/** What came is not shown. */
const SECRET = 'another value, which is not shown since a secret is part of it';

function withoutWarnings(environment: Environment): Environment {
  return {
    response: environment.response,
    name: (name) => environment.name(name),
    own: (name) => environment.own?.(name),
    world: environment.world,
    visited: 0,
  };
}

/** An expression, or all that is wrong with it. */
export type Checked =
  | { readonly expression: Expression; readonly problems: readonly Problem[] }
  | { readonly expression?: undefined; readonly problems: readonly Problem[] };

/** Reads and checks an expression. Problems have spans in its text. */
export function checkExpression(text: string, scope: StaticScope, use: Use = {}): Checked {
  const checked = checkAsWritten(text, scope, use);
  if (checked.expression || use.asWritten) return checked;
  return {
    problems: withHabit(text, checked.problems, (other) =>
      weightOf(checkAsWritten(other, scope, use).problems),
    ),
  };
}

/**
 * How much is wrong: what can't be read at all weighs more than anything that is read and makes no sense, and the more the
 * earlier reading stopped.
 */
export function weightOf(problems: readonly Problem[]): number {
  return problems.reduce(
    (sum, { code, span }) => sum + (UNREADABLE.has(code) ? 2 * UNREAD - Math.min(span?.[0] ?? 0, UNREAD) : 1),
    0,
  );
}

const UNREADABLE: ReadonlySet<Problem['code']> = new Set(['bad-syntax', 'filter-not-standard']);

function checkAsWritten(text: string, scope: StaticScope, use: Use): Checked {
  let tree: Tree;
  try {
    tree = parseExpression(text);
  } catch (error) {
    if (error instanceof ProblemError) return { problems: [error.problem] };
    throw error;
  }
  return checkTree(tree, text, scope, use);
}

/** Where a habit of another language, or an open bracket, is behind all that is wrong: that, and the expression put right. */
export function withHabit(
  text: string,
  problems: readonly Problem[],
  weight: (text: string) => number,
): readonly Problem[] {
  const repaired = repair(text, weight);
  if (!repaired) return problems;
  const [{ code }] = problems as [Problem, ...Problem[]];
  const { say: message, span, text: written } = repaired;
  return [{ code, message, hint: written, span, replace: { span: [0, text.length], text: written } }];
}

/** The same for a tree that was read as part of a longer text. */
export function checkTree(tree: Tree, text: string, scope: StaticScope, use: Use = {}): Checked {
  const { kind, problems, secret } = infer(tree, text, scope, use);
  if (problems.length > 0) return { problems };
  return { expression: new Expression(text, tree, givesNodes(tree) ? listOf(kind) : kind, secret), problems };
}
