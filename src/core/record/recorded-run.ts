import type { EventOf, ExitCode, Outcome } from '../events.ts';

/** A problem as events carry it. */
export type RecordedProblem = NonNullable<EventOf<'step-ended'>['problem']>;

/** How a run ended; `unfinished` where its record ends before it did. */
export type RunOutcome = Outcome | 'unfinished';

/** A run as its events tell it. Times (`began`) are milliseconds since the run began, pauses before it was resumed left out. */
export interface RecordedRun {
  id: string;
  chain: string;
  file: string;
  environment?: string;
  /** The origins of the services that its chain calls, by their names. */
  services: Readonly<Record<string, string>>;
  /** Milliseconds since 1970. */
  at: number;
  /** When its last event was, in milliseconds since 1970. */
  lastAt: number;
  outcome: RunOutcome;
  exit?: ExitCode;
  elapsed: number;
  calls: number;
  inputs: Readonly<Record<string, string>>;
  /** Values of the project that were computed when it began, as JSON. */
  values: Readonly<Record<string, string>>;
  results: Readonly<Record<string, string>>;
  problem?: RecordedProblem;
  files: NonNullable<EventOf<'run-began'>['files']>;
  /** Only some steps were wanted. */
  part: boolean;
  /** Its work was given to workers. */
  isSpread?: true;
  /** How often it was resumed. */
  resumed: number;
  steps: RecordedStep[];
  /** What took back what the run did. */
  undo: RecordedStep[];
  cleanup: RecordedStep[];
  /** Undo that was booked and has not been carried out. */
  booked: EventOf<'undo-booked'>[];
  /** It was told to leave undo and cleanup, with these names. */
  left?: EventOf<'undo-left'>;
  warnings: EventOf<'warning'>[];
}

export interface RecordedStep {
  readonly address: string;
  /** What the iteration that it stands in is called: its title, or its item. */
  readonly item?: string;
  began: EventOf<'step-began'>;
  /** Milliseconds since the run began. */
  from: number;
  /** Nothing while it has not ended. */
  outcome?: Outcome;
  /** Of the last time that it was carried out. */
  elapsed: number;
  /** What it came to before the run was resumed, where it was carried out again since. */
  before?: Before;
  reason?: string;
  problem?: RecordedProblem;
  /** Those before the run was resumed come first. */
  readonly attempts: RecordedAttempt[];
  readonly waits: RecordedWait[];
  readonly kept: Map<string, EventOf<'kept'>>;
  expected: EventOf<'expected'>[];
  readonly said: string[];
  readonly warnings: EventOf<'warning'>[];
  readonly signIns: EventOf<'signed-in'>[];
  readonly saved: EventOf<'saved'>[];
  row?: EventOf<'row-written'>;
  readonly arrived: EventOf<'callback-received'>[];
  states?: string;
  pages?: EventOf<'page-received'>;
  /** The steps inside a group or a chain that is followed. */
  readonly steps: RecordedStep[];
  /** The iterations of a loop, by their numbers. */
  readonly iterations: RecordedIteration[];
  iterationsBegan?: EventOf<'loop-began'>;
  iterationsEnded?: EventOf<'step-ended'>['iterations'];
}

/** What a step came to before the run was resumed. */
export interface Before {
  readonly outcome: RunOutcome;
  /** Milliseconds, all times together. */
  readonly elapsed: number;
  /** How many of the attempts were made then. */
  readonly attempts: number;
  readonly problem?: RecordedProblem;
}

export interface RecordedIteration {
  readonly iteration: number;
  /** What tells its item from the others. */
  readonly item?: string;
  /** What the chain calls it. */
  readonly title?: string;
  from: number;
  outcome?: Outcome;
  elapsed: number;
  failed?: string;
  problem?: RecordedProblem;
  /** Empty where only the outlines of a run were read. */
  readonly steps: RecordedStep[];
}

/** A request, and what came of it. */
export interface RecordedAttempt {
  readonly sent: EventOf<'request-sent'>;
  from: number;
  response?: EventOf<'response-received'>;
  failed?: EventOf<'request-failed'>;
  redirected?: EventOf<'redirected'>;
  /** What came bit by bit, as far as it was told. */
  items?: RecordedItem[];
}

export interface RecordedItem {
  readonly nth: number;
  readonly item: string;
  /** Milliseconds since the request was sent. */
  readonly after: number;
}

export interface RecordedWait {
  readonly event: EventOf<'waiting'>;
  from: number;
}

/** How many iterations a loop had, and how many of them did not hold; also where only the outline of a run was read. */
export function iterationCounts({ iterations, iterationsEnded }: RecordedStep): {
  readonly all: number;
  readonly failed: number;
} {
  const failed = iterations.filter(({ outcome }) => outcome !== 'passed').length;
  return {
    all: Math.max(iterations.length, (iterationsEnded?.passed ?? 0) + (iterationsEnded?.failed ?? 0)),
    failed: Math.max(failed, iterationsEnded?.failed ?? 0),
  };
}
