import type { Phases } from '../../core/ports.ts';

/** What an HTML report is made of, as small as it can be written. */
export interface PageData {
  readonly runs: readonly PageRun[];
}

export interface PageRun {
  readonly id: string;
  readonly chain: string;
  readonly file: string;
  readonly environment?: string;
  /** Where its services were, by their names. */
  readonly services: Readonly<Record<string, string>>;
  /** A sequence diagram of it, as SVG. */
  readonly drawing: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly outcome: string;
  readonly elapsed: number;
  readonly calls: number;
  readonly resumed: number;
  readonly problem?: PageProblem;
  readonly inputs: Readonly<Record<string, string>>;
  readonly results: Readonly<Record<string, string>>;
  readonly steps: readonly PageStep[];
  readonly undo: readonly PageStep[];
  readonly cleanup: readonly PageStep[];
}

export interface PageProblem {
  readonly code: string;
  readonly message: string;
  readonly hint?: string | undefined;
}

export interface PageStep {
  readonly address: string;
  readonly name: string;
  readonly type: string;
  readonly outcome: string;
  readonly from: number;
  readonly elapsed: number;
  readonly stands: string;
  readonly reason?: string;
  readonly problem?: PageProblem;
  readonly expected?: readonly {
    readonly condition: string;
    readonly passed: boolean;
    readonly got?: string | undefined;
    readonly because?: string | undefined;
    readonly hint?: string | undefined;
  }[];
  readonly kept?: readonly (readonly [name: string, value: string])[];
  /** Said, warnings, states, sign-ins: a label and a text. */
  readonly notes?: readonly (readonly [label: string, text: string])[];
  readonly waits?: readonly { readonly from: number; readonly for: number; readonly why: string }[];
  readonly requests?: readonly PageRequest[];
  readonly steps?: readonly PageStep[];
  readonly iterations?: readonly PageIteration[];
  /** How many iterations there were to be. */
  readonly of?: number;
}

export interface PageIteration {
  readonly iteration: number;
  readonly item?: string;
  readonly outcome: string;
  readonly from: number;
  readonly elapsed: number;
  readonly problem?: PageProblem;
  readonly steps: readonly PageStep[];
  /** Its steps are not in the page: there are too many iterations like it. */
  readonly isBrief?: true;
}

export type PageHeaders = readonly (readonly [name: string, value: string])[];

export interface PageRequest {
  readonly from: number;
  readonly method: string;
  readonly url: string;
  readonly headers: PageHeaders;
  readonly body?: PageBody;
  readonly delayed?: number;
  readonly page?: number;
  readonly response?: {
    readonly status: number;
    readonly headers: PageHeaders;
    readonly body: PageBody;
    readonly phases: Phases;
  };
  readonly elapsed: number;
  readonly problem?: PageProblem;
}

export interface PageBody {
  readonly size: number;
  readonly type?: string;
  readonly text?: string;
  /** Only the beginning. */
  readonly cut?: boolean;
  /** A picture, in base64. */
  readonly picture?: string;
}
