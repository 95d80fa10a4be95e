import type { Outcome } from '../events.ts';
import type { Value } from '../language/values.ts';
import type { HeaderList, Phases } from '../ports.ts';

/** Why a step counts as passed whose request a person says was processed. */
export const SAID_PROCESSED = 'it was said to have been processed';

/** Whether a step is not carried out again: it passed, or its failure was accepted. */
export function isDone(outcome: Outcome | undefined): boolean {
  return outcome === 'passed' || outcome === 'accepted';
}

/** What a run had done when it failed or was interrupted, for it to go on from. Addresses are those at run time: `fire[7].load`. */
export interface Past {
  /** When the run began, in milliseconds since 1970. */
  readonly started: number;
  /** Values of the project that were computed when it began. */
  readonly values: ReadonlyMap<string, Value>;
  step(address: string): PastStep | undefined;
  /** The mark of a step by its address as written, as it was the last time. */
  hashOf(written: string): string | undefined;
  /** An iteration of a loop, by the address of the loop; how it ended, and what told its item from others. */
  iteration(loop: string, iteration: number): PastIteration | undefined;
  /** The names that a repeat began with. */
  startOf(loop: string): ReadonlyMap<string, Value> | undefined;
  /** Secrets that were learned, and by which label they are masked. */
  readonly learned: readonly (readonly [label: string, secret: string])[];
  /** Undo that was booked, with the names that it needs. */
  readonly booked: readonly { readonly step: string; readonly names: ReadonlyMap<string, Value> }[];
  /** Cookies that answers set, in order. */
  readonly cookies: readonly {
    readonly jar: string;
    readonly url: string;
    readonly fields: readonly string[];
    /** The jar was emptied before. */
    readonly isNew?: boolean;
  }[];
}

/** Responses to requests that were sent before, for such as are not sent again. */
export interface PastResponses {
  /** The response to a request of a step, by its address; each is given once. */
  take(address: string, isSame: (request: PastRequest) => boolean): PastResponse | undefined;
}

export interface PastIteration {
  readonly outcome?: Outcome;
  readonly item?: string;
}

export interface PastStep {
  /** Nothing where the step had not ended. */
  readonly outcome?: Outcome;
  /** The mark of the step as it was then. */
  readonly fingerprint: string;
  /** What it kept, and as what. */
  readonly kept: ReadonlyMap<string, Value>;
  /** What later steps can say of it by its name. */
  readonly named?: Value;
  /** The URL of its last request. */
  readonly url?: string;
  /** The key by which the service knows its requests. */
  readonly key?: string;
  /** Requests that may be sent only once and may have been processed, in order, that have not been taken yet. */
  readonly sent: PastRequest[];
  readonly row?: PastRow;
  /** A person has said that the request without a response was processed. */
  readonly taken: boolean;
  /** It is not known whether a request was processed that may be sent only once, and nobody has said so. */
  readonly isUndecided?: true;
}

/** A row that a step was about to write. */
export interface PastRow {
  /** It was about to be added to a file with so many rows like it; as JSON. */
  readonly meant?: { readonly row: string; readonly alike: number };
  readonly written: boolean;
}

/** A request that may be sent only once. */
export interface PastRequest {
  readonly method: string;
  readonly url: string;
  /** Its body as it was shown. */
  readonly text?: string;
  readonly digest?: string;
  readonly response: PastResponse;
}

export interface PastResponse {
  /** Only the beginning of its body was kept, so it can't stand for the response. */
  readonly isBeginning?: true;
  readonly status: number;
  readonly headers: HeaderList;
  readonly body: Uint8Array;
  readonly phases: Phases;
}
