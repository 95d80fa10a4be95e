import type { ExitCode, RunEvent } from '../events.ts';
import type { Value } from '../language/values.ts';
import type { WrittenRow } from '../ports.ts';
import type { Problem } from '../problems.ts';
import type { Past } from './past-run.ts';

/** An item, and what stands before it where the loop has two names: its count, or its key. */
export type Item = readonly [first: Value, second?: Value];

/** Why steps were not carried on with: the step that failed, by its address at run time. */
export interface Stop {
  readonly address: string;
  readonly problem: Problem;
}

/** What came of a part of a loop; its iterations are counted from the first one of the part. */
export interface BlockDone {
  readonly passed: number;
  readonly failed: number;
  readonly begun: number;
  /** An iteration said that it is enough. */
  readonly isEnough: boolean;
  /** For each name that the loop gathers under, the values of the iterations that have one. */
  readonly gathered: readonly (readonly (readonly [iteration: number, value: Value])[])[];
  /** What the chain can say of each iteration, where it does. */
  readonly iterations?: readonly (readonly [iteration: number, value: Value])[];
  /** Of the iterations that failed the first one, by its count in the loop. */
  readonly stop?: Stop & { readonly iteration: number };
  readonly ofIteration?: { readonly iteration: number; readonly problem: Problem };
}

/** Gives parts of a run to other machines. */
export interface Spread {
  /** The run has begun, with this. */
  begin(setup: RunSetup): void;
  /** How many blocks may be given at the same time; it changes as workers come and go. */
  readonly width: number;
  /** Calls back, once, when `width` may have changed. */
  whenWider(callback: () => void): () => void;
  /**
   * Has a block carried out; resolves when that has ended, wherever and however often it was begun. Throws `no-worker`, `team-away`,
   * `defect`.
   */
  carryOut(block: Block, giver: BlockGiver): Promise<BlockResult>;
  /** No further iteration of a loop is begun anywhere. */
  halt(loop: string): void;
}

/** What a run began with. */
export interface RunSetup {
  /** Milliseconds since 1970. */
  readonly started: number;
  /** Values of the project, once they are computed. */
  readonly values: ReadonlyMap<string, Value>;
  readonly inputs: Readonly<Record<string, Value>>;
}

/** What a block tells and asks while it is carried out. */
export interface BlockGiver {
  /** What happens in it, masked by the machine that carries it out. */
  take(event: RunEvent): void;
  /** Writes a row here; each step writes one, however often its block is begun. */
  write(order: RowOrder): Promise<WrittenRow>;
}

/** Some iterations of a loop, with all that they need of the run. */
export interface Block {
  /** The address of the loop at run time. */
  readonly loop: string;
  /** The count of the first item. */
  readonly first: number;
  readonly items: readonly Item[];
  readonly names: readonly BlockName[];
  readonly atOnce: number;
  /** What fails in it is accepted. */
  readonly isAccepting: boolean;
  /** Secrets that the run has learned so far. */
  readonly learned: readonly (readonly [label: string, secret: string])[];
  readonly cookies: Past['cookies'];
}

/** A name in reach of the loop. */
export interface BlockName {
  readonly name: string;
  readonly value?: Value;
  /** The URL of the response that it came from. */
  readonly origin?: string;
  /** It was lost with a step that failed. */
  readonly lost?: { readonly step: string; readonly isAccepted: boolean };
}

export interface BlockResult {
  readonly done: BlockDone;
  /** The exit code that it has raised the run to. */
  readonly exit: ExitCode;
  readonly missing?: Problem;
}

/** A row that a step of a block writes. Values are texts in the notation of JSON. */
export interface RowOrder {
  readonly step: string;
  readonly path: string;
  /** The file that the path begins beside. */
  readonly near: string;
  readonly row: string;
  readonly onePer: readonly string[];
}
