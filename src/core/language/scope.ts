import type { Kind } from './kinds.ts';
import type { OwnFunction } from './tree.ts';

/** What is known of a name before anything runs. */
export interface StaticName {
  readonly kind: Kind;
  /** Why it may be nothing, as the end of a sentence: "it is kept in a step that may be skipped (line 7)". */
  readonly mayBeNothing?: string;
  /** It is the item of a loop or a stream. */
  readonly item?: boolean;
  /** Its value is a secret, or was computed from one. */
  readonly secret?: boolean;
  /** The language itself gives it here, so that a chain may have something else of this name. */
  readonly given?: boolean;
  /** The chain has given it a name that the language gives elsewhere; its own counts. */
  readonly own?: boolean;
}

/** What an expression may speak of where it stands. */
export interface StaticScope {
  lookup(name: string): StaticName | undefined;
  /** All names that can be used here. */
  names(): readonly string[];
  /** The kind of `$`, or why there is none here and what to write in its place. */
  readonly response: Kind | { readonly missing: string; readonly hint?: string; readonly replace?: string };
  /** Paths of `$`, as they are written, whose values are kept hidden in the same step. */
  readonly secretPaths?: ReadonlySet<string>;
  /** Functions that the chain or project defines, by name. */
  readonly functions?: ReadonlyMap<string, OwnFunction>;
  /** Why a known name of another place can't be used here, if that is so. */
  whyNot?(
    name: string,
  ): { readonly message: string; readonly hint?: string; readonly replace?: string } | undefined;
}

/** A scope without names and with or without a response; for queries that stand alone. */
export function bareScope(response: StaticScope['response']): StaticScope {
  return { lookup: () => undefined, names: () => [], response };
}
