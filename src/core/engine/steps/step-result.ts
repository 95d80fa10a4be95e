import type { Value } from '../../language/values.ts';
import type { Chain, Step } from '../../chain/model.ts';
import type { ExitCode } from '../../events.ts';
import type { Problem } from '../../problems.ts';
import type { Past } from '../past-run.ts';
import type { Stop } from '../spread.ts';
import type { RunContext } from '../scope/context.ts';
import type { CallResult } from '../wire/call-result.ts';

/** What a step did besides holding or not. */
export interface Done {
  readonly call?: CallResult;
  /** What went wrong inside it. */
  readonly stop?: Stop;
  /** What is wrong with the step itself. */
  readonly problem?: Problem;
  /** What is wrong with an iteration of it, and with no step of that iteration: what it gathers, or whether it was the last. */
  readonly ofIteration?: Problem;
  /** It goes on although something inside it failed: the step is broken, the run is not. */
  readonly tolerated?: boolean;
  /** Members of the name of the step that only its kind has. */
  readonly members?: readonly (readonly [string, Value])[];
  /** Iterations of a loop, for the event. */
  readonly iterations?: { readonly passed: number; readonly failed: number; readonly notBegun?: number };
}

/** Carries out the steps of what holds steps: a loop, a chain that is followed. */
export interface Steps {
  /** Carries steps out in order; returns why it stopped, if it did. */
  steps(context: RunContext, steps: readonly Step[]): Promise<Stop | undefined>;
  /** Of several problems the exit code is the highest of 130, 4, 2, 3, 1. */
  raise(exit: ExitCode): void;
  /** What could not be done for want of a name that no failure explains. */
  missing: Problem | undefined;
  readonly undo: {
    bookCleanup(context: RunContext, chain: Chain): void;
    /** Books undo that has been booked elsewhere. Returns the addresses of steps that the chain does not have. */
    bookPast(context: RunContext, undo: Past['booked']): string[];
  };
}
