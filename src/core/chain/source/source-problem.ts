/** A change of a file: what stands between two offsets becomes another text. */

import type { Problem } from '../../problems.ts';

export interface Fix {
  readonly range: readonly [start: number, end: number];
  readonly text: string;
  /** What YAML is then to read there. */
  readonly means: string;
}

/** A problem with the change that would mend it, where there is one. */
export interface SourceProblem extends Problem {
  readonly fix?: Fix;
}
