import type { Duration } from '../language/values.ts';
import type { PlacedExpression, Setting, Template, Typed } from './templates.ts';

/** What a request is repeated for. */
export const REPEAT_ON = ['no-response', '429', '5xx'] as const;

export interface Retry {
  /** How many requests in all. */
  readonly attempts: Setting<number>;
  /** `no-response`, a status, or a class of them such as 5xx. */
  readonly on: readonly string[];
  readonly wait: Pause;
  /** A response for which it holds is repeated as well. */
  readonly when?: PlacedExpression;
  /** How long it waits in all when the service says to. */
  readonly retryAfter: Setting<Duration>;
}

/** A wait that is always the same, or doubles up to `most` milliseconds. */
export interface Pause {
  readonly least: Setting<Duration>;
  readonly most?: number;
}

export interface Poll {
  readonly until: PlacedExpression;
  readonly while?: PlacedExpression;
  readonly giveUpWhen?: PlacedExpression;
  readonly every: Pause;
  readonly within: Setting<Duration>;
  /** Where the state is asked for, if not where the request was sent. */
  readonly at?: PlacedExpression;
  /** A condition of it speaks of status, so that one of 400 or more does not end it. */
  readonly speaksOfStatus: boolean;
  /** What its conditions compare, for the line that shows the states. */
  readonly state?: PlacedExpression;
}

export interface Pages {
  readonly next?: PlacedExpression;
  readonly nextQuery?: Typed;
  readonly nextJson?: Typed;
  readonly items?: PlacedExpression;
  readonly until?: PlacedExpression;
  /** How many pages at most. */
  readonly upTo: Setting<number>;
  /** More pages than that are no failure. */
  readonly enough: boolean;
  /** The way to the next page comes from the response, so an empty page is not yet the end. */
  readonly fromResponse: boolean;
}

/** How a response is read bit by bit. */
export interface Stream {
  readonly until?: PlacedExpression;
  readonly within: Setting<Duration>;
  /** The longest silence between two items. */
  readonly quiet?: Setting<Duration>;
  readonly upTo: Setting<number>;
  /** What has come will do where a bound is reached. */
  readonly enough: boolean;
  /** How many of the newest items are held; all without it. */
  readonly newest?: Setting<number>;
  /** What each item adds to the text that is shown while it comes. */
  readonly live?: Template;
}

export interface Callback {
  readonly within: Setting<Duration>;
  readonly when?: PlacedExpression;
  /** A credential of kind message-signature with which the request that comes in has to be signed. */
  readonly signedBy?: string;
}

export interface Idempotency {
  readonly header: string;
  /** Without it a key is made up. */
  readonly key?: Template;
}
