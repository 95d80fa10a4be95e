/** Something that `explain` can say. */
export interface Topic {
  /** By which it is asked for. */
  readonly word: string;
  /** What sort of thing it is and where it stands. */
  readonly what: string;
  readonly group: string;
  readonly about: string;
  readonly details: readonly (readonly [label: string, text: string])[];
  readonly examples: readonly string[];
  /** Other words by which people look for it. */
  readonly also?: readonly string[];
}
