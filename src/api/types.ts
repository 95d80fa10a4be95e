import type { RunEvent } from '../core/events.ts';
import type { ReportName } from '../report/index.ts';

/** How to open a project. */
export interface OpenOptions {
  /** Variables that secrets may come from; `process.env` by default. */
  readonly variables?: Readonly<Record<string, string | undefined>>;
  /** Let the project file run its commands and read files outside its folder, as `--trust` does. */
  readonly trust?: boolean;
  /** Receives warnings that belong to no run, such as a folder that can't be written. They are dropped by default. */
  readonly warn?: (message: string) => void;
}

/** A place in a file of the project. */
export interface Place {
  /** Path of the file, relative to the working folder if it is below it. */
  readonly file: string;
  /** Counted from 1. */
  readonly line: number;
  /** Counted from 1. */
  readonly column: number;
}

/** What is wrong, as every message of Batharon says it. */
export interface Failure {
  /** The code that `batharon explain` knows. */
  readonly code: string;
  /** One sentence: what is wrong and why. */
  readonly message: string;
  /** What to do about it, or what to write. */
  readonly hint?: string;
  /** Where it is written. */
  readonly place?: Place;
}

/** Something that a check found. */
export interface Finding extends Failure {
  /** A problem keeps a chain from running, a warning doesn't. */
  readonly level: 'problem' | 'warning';
  /** The line as it should be written, where that is known. */
  readonly instead?: string;
  /** How such a line is written, where this one can't be put right. */
  readonly example?: string;
}

/** A chain, as its file describes it. */
export interface ChainInfo {
  /** What the file says after `chain:`. */
  readonly title: string;
  /** Path of the file, relative to the working folder if it is below it. */
  readonly file: string;
  /** The tags of the chain. */
  readonly tags: readonly string[];
  /** The names of its inputs. */
  readonly inputs: readonly string[];
  /** The names of its results. */
  readonly results: readonly string[];
  /** Its steps in order, without those inside of loops and groups. */
  readonly steps: readonly StepInfo[];
}

/** A step of a chain. */
export interface StepInfo {
  /** Its address: its name, or its position from 0 if it has none. */
  readonly address: string;
  /** What a person calls it: its name, or what it does. */
  readonly title: string;
}

/** How to run a chain. */
export interface RunOptions {
  /** Values of inputs. A value must fit the kind of its input; `rows` take the path of a file. */
  readonly inputs?: Readonly<Record<string, unknown>>;
  /** Answers to the questions of the chain, by the names of the steps that ask, as `--give` takes them. Nobody else is asked. */
  readonly answers?: Readonly<Record<string, string>>;
  /** The environment to use; by default the one that the project names. */
  readonly environment?: string;
  /** Aborting it interrupts the run: undo and cleanup are still carried out. */
  readonly signal?: AbortSignal;
  /** What it means where a call is not as the description of its service says, whatever the project says of it. */
  readonly contract?: 'strict' | 'warn' | 'off';
  /** Skip undo and cleanup; `batharon cleanup` carries them out later. */
  readonly leave?: boolean;
}

/** How a step of a run ended. */
export interface StepResult extends StepInfo {
  /** `accepted`: it failed, and the chain says that it may. */
  readonly outcome: 'passed' | 'failed' | 'skipped' | 'interrupted' | 'accepted';
  /** In milliseconds. */
  readonly elapsed: number;
  /** Why it failed, where the step itself did. */
  readonly failure?: Failure;
}

/** How a run ended. */
export interface RunResult {
  readonly outcome: 'passed' | 'failed' | 'interrupted';
  /** The exit code that `batharon run` would give. */
  readonly exit: number;
  /**
   * The results of the chain. Numbers that a JavaScript number would damage are texts, times are texts of RFC 3339, bytes
   * are a `Uint8Array`.
   */
  readonly results: Readonly<Record<string, unknown>>;
  /** Every step that ran, as it ended, in that order; those of loops and groups stand before them. */
  readonly steps: readonly StepResult[];
  /** Why the run failed: one for each step that failed by itself, or one for the run. */
  readonly failures: readonly (Failure & { readonly step?: string })[];
  /** The id of the run, by which `batharon view` and `report` find its record. */
  readonly record: string;
}

/**
 * A run under way: iterate over it for its events as they happen, await it for its result, or both. It begins with the
 * first of them.
 */
export interface Run extends AsyncIterable<RunEvent>, PromiseLike<RunResult> {
  /** The chain that runs. */
  readonly chain: ChainInfo;
}

/** A project that was opened. Close it when nothing runs any more. */
export interface OpenedProject extends AsyncDisposable {
  /** The folder of the project. */
  readonly folder: string;
  /** Everything known to be wrong with some files or folders before a request is sent; with all chains by default. */
  check(files?: readonly string[]): readonly Finding[];
  /** The chains of some files or folders, by default all; those with problems are left out. */
  chains(files?: readonly string[]): readonly ChainInfo[];
  /** Runs a chain and records the run. A problem of the chain or its inputs is thrown as a `BatharonError` when the run begins. */
  run(file: string, options?: RunOptions): Run;
  /** A report of recorded runs, of a kind such as `html` or `junit`. A run is its id, the start of one, or `last`. */
  report(runs: string | readonly string[], kind: ReportName): Promise<string>;
  /** Closes connections, and the practice service if the project uses it. */
  close(): Promise<void>;
}
