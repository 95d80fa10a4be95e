import type { ProblemCode } from './problem-codes.ts';

/** A position in a file that a person wrote. Line and column count from 1. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/**
 * An error as a value: what a person is told. `message` says what and why, `hint` what to do.
 * `span` is a part of the text of an expression (offsets in UTF-16 units) until a reader turns it into a `place`.
 */
export interface Problem {
  readonly code: ProblemCode;
  readonly message: string;
  readonly hint?: string;
  readonly place?: Place;
  readonly span?: Span;
  /** What puts an expression right: another text in the place of a part of it. */
  readonly replace?: Replacement;
  /** The name that it speaks of: where its definition is at fault, this only follows from that. */
  readonly name?: string;
}

/** A part of an expression, and what should stand there. */
export interface Replacement {
  readonly span: Span;
  readonly text: string;
}

/** Start and end offset in a text, end excluded. */
export type Span = readonly [start: number, end: number];

/** How much of the stack V8 writes down for an error; other engines look at nothing of the kind. */
const STACKS = Error as { stackTraceLimit?: number | undefined };

/** Carries a {@link Problem} up to where it is reported. */
export class ProblemError extends Error {
  override readonly name = 'ProblemError';
  readonly problem: Problem;

  constructor(problem: Problem) {
    // It says where a person went wrong, not the program; a stack would cost more than finding that out.
    const limit = STACKS.stackTraceLimit;
    STACKS.stackTraceLimit = 0;
    super(problem.message);
    STACKS.stackTraceLimit = limit;
    this.problem = problem;
  }
}

/** Throws a problem; for places where nothing sensible could be returned. */
export function fail(
  code: ProblemCode,
  message: string,
  more: Omit<Problem, 'code' | 'message'> = {},
): never {
  throw new ProblemError({ code, message, ...more });
}

/** The problem that an error carries; any other error is a defect of the program, and a failure like others. */
export function problemOf(error: unknown): Problem {
  if (error instanceof ProblemError) return error.problem;
  const what = error instanceof Error ? `${error.name}: ${error.message}` : String(error);
  return {
    code: 'defect',
    message: `Batharon met a defect of its own: ${what}`,
    hint: REPORT,
  };
}

/** Where a defect is to be reported. */
export const REPORT =
  'please report it to the maintainers of Batharon, with this message and what batharon view shows of the run';
