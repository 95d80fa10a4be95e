import type { Expression } from '../language/expression.ts';
import type { Value } from '../language/values.ts';
import type { Place, Span } from '../problems.ts';

/** An expression with the way back to where it stands. */
export interface PlacedExpression {
  readonly expression: Expression;
  /** The place of a part of its text, or of its beginning. */
  readonly at: (span?: Span) => Place;
}

/** `${ … }` in a text. */
export interface Insertion extends PlacedExpression {
  /** raw(x): reserved characters stay as they are. */
  readonly raw: boolean;
}

/** A text with insertions. */
export interface Template {
  readonly parts: readonly (string | Insertion)[];
  readonly at: Place;
}

/** A value of a typed field: lists and maps of texts, in which a whole `${…}` keeps its kind. */
export type Typed =
  | { readonly type: 'value'; readonly value: Value }
  | { readonly type: 'insertion'; readonly insertion: Insertion }
  | { readonly type: 'template'; readonly template: Template }
  | { readonly type: 'list'; readonly items: readonly Typed[] }
  | { readonly type: 'object'; readonly members: readonly (readonly [string, Typed])[] };

/** The insertions of a typed field, from top to bottom. */
export function insertionsOf(typed: Typed): Insertion[] {
  switch (typed.type) {
    case 'value':
      return [];
    case 'insertion':
      return [typed.insertion];
    case 'template':
      return typed.template.parts.flatMap((part) => (typeof part === 'string' ? [] : [part]));
    case 'list':
      return typed.items.flatMap(insertionsOf);
    case 'object':
      return typed.members.flatMap(([, member]) => insertionsOf(member));
  }
}

/** What a value field holds: an expression, or a list or map of them. */
export type Expressions =
  | { readonly type: 'expression'; readonly value: PlacedExpression }
  | { readonly type: 'list'; readonly items: readonly Expressions[] }
  | { readonly type: 'object'; readonly members: readonly (readonly [string, Expressions])[] };

/** A setting: known from the file, or an insertion that gives it. */
export type Setting<T> = { readonly value: T } | { readonly insertion: Insertion };
