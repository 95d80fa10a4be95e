import type { Problem } from '../../problems.ts';

/** A change of a file: what stands between two offsets becomes another text. */
export interface Change {
  readonly range: readonly [start: number, end: number];
  readonly text: string;
}

/** A change that `check --fix` writes. */
export interface Fix extends Change {
  /** What YAML is then to read there. */
  readonly means: string;
}

/** A problem with the change that would mend it, where there is one. */
export interface SourceProblem extends Problem {
  readonly fix?: Fix;
  /** The line as it should stand. */
  readonly instead?: string;
  /** The column at which that line begins, where its own blanks can't say so: the first. */
  readonly begins?: 1;
  /** How such a key is written, where the line itself can't be put right. */
  readonly example?: string;
}

/** What a finding says to do: a hint, the change that puts the line right, or an example where nothing can. */
export type Advice =
  | string
  | {
      readonly hint?: string | undefined;
      readonly change?: Change | undefined;
      readonly example?: string;
      /** The name that is spoken of: where its definition is at fault, this only follows from that. */
      readonly name?: string;
    };
