/** A line that may have been meant, and what then was wrong with the one that is there. */
export interface Slip {
  readonly why: string;
  readonly line: string;
  /** What is likelier than anything that may be known of such a line: a sign that has no place at its end or around it. */
  readonly isPlain?: true;
  /** Only where a setting has the wrong form: elsewhere the rest of the value means something. */
  readonly ofSetting?: true;
  /** Only where YAML or an expression could not be read. */
  readonly ofParser?: true;
  /** What is inserted may go with it: it stands in the lines below. */
  readonly loses?: true;
  /** One of several that may be meant: only where nothing is left wrong with it. */
  readonly isGuess?: true;
  /** As plain, where otherwise several lines would have to become others. */
  readonly ofList?: true;
  /** As plain, where the value should have been a name. */
  readonly ofName?: true;
}

/** A line in its parts: blanks and dashes before it, a key with what parts it from its value, and the value. */
export interface Parts {
  readonly whole: string;
  readonly lead: string;
  /** The key with its colon and blank, or nothing. */
  readonly key: string;
  readonly value: string;
  /** The lines of the file, and the index of this one. */
  readonly lines: readonly string[];
  readonly at: number;
  /** All keys that the file could have where it was read. */
  readonly keys: ReadonlySet<string>;
}

export type SlipReading = (parts: Parts) => Iterable<Slip>;

/** A line with another value. */
export function withValue({ lead, key }: Pick<Parts, 'lead' | 'key'>, value: string): string {
  return lead + key + value;
}

/** A text that may have been meant, and what then was wrong with the one that is there. */
export interface ValueSlip {
  readonly why: string;
  readonly text: string;
  readonly isPlain?: true;
}
