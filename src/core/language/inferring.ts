import type { Problem, Replacement } from '../problems.ts';
import type { Kind } from './kinds.ts';
import type { StaticScope } from './scope.ts';
import type { Tree } from './tree.ts';

/** Where a part of an expression stands while its kind is found. */
export interface InferContext {
  /** Inside `[?…]`, where the rules of the standard hold and nothing is an error. */
  readonly filter: boolean;
  readonly item: Kind | undefined;
  /** Nothing is looked at here, as on the left of `??`. */
  readonly tolerant: boolean;
  /** It is what something is compared with, so that a bare word there is mostly a text. */
  readonly isCompared?: boolean;
  /** A member of it is asked for. */
  readonly isOwner?: boolean;
  /** It is an item of a list that is written out. */
  readonly isItem?: boolean;
  /** Names of items, with their kinds. */
  readonly names?: ReadonlyMap<string, Kind>;
}

/** What a problem says to do: a hint, or what stands right in its own place or another. */
export type Remedy =
  | string
  | undefined
  | {
      readonly hint?: string | undefined;
      readonly replace?: string | Replacement | undefined;
      /** The name that is spoken of. */
      readonly name?: string | undefined;
    };

/** What the parts that find kinds share. */
export interface Inferring {
  /** What is wrong so far. */
  readonly problems: readonly Problem[];
  /** Whether a secret is used so far. */
  secret: boolean;
  /** The whole expression. */
  readonly text: string;
  readonly scope: StaticScope;
  problem(tree: { span: Tree['span'] }, code: Problem['code'], message: string, way?: Remedy): void;
  /** A part as it is written. */
  source(tree: Tree): string;
  kind(tree: Tree, context: InferContext): Kind;
  /** The kind of a value: of a path that may find several, a list. */
  valueKind(tree: Tree, context: InferContext): Kind;
  condition(tree: Tree, context: InferContext): void;
  response(tree: Tree): Kind;
}
