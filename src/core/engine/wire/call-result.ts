import type { Maybe } from '../../language/values.ts';
import type { WireResponse, HeaderList } from '../../ports.ts';
import type { Problem } from '../../problems.ts';
import type { BuiltRequest } from './built-request.ts';
import type { ReadBody } from './read-response.ts';
import type { SavedBody } from './saved-body.ts';

/** The last response of a call, and what it says by name. */
export interface CallResult {
  readonly response: WireResponse;
  readonly body: ReadBody;
  /** Of the body, in bytes, without content coding. */
  readonly size: number;
  /** The body in a file that has not its real name yet. */
  readonly saved?: SavedBody;
  readonly request: BuiltRequest;
  readonly sentHeaders: HeaderList;
  readonly url: string;
  readonly elapsed: number;
  readonly attempts: number;
  /** The cookies that a request to the same address would carry. */
  readonly jar?: () => readonly (readonly [string, string])[];
  /** Names that only some calls have: gathered, arrived. */
  readonly more?: Readonly<Record<string, Maybe>>;
  /** The states that a poll has seen, in order. */
  readonly states?: string;
  /** How many pages came. */
  readonly pages?: number;
  /** The service said to come back later than the call waits. */
  readonly waitProblem?: Problem;
}

/** Whether a request of an exchange can have reached the service. */
export interface Progress {
  reached: boolean;
  /** Requests so far. */
  attempts: number;
  /** It is sent again, and goes before those that have not been sent yet. */
  again: boolean;
}
