import type { WarningCode } from '../../problem-codes.ts';
import type { SourceProblem } from './source-problem.ts';

/** What `check` finds: a problem stops a run, a warning does not. */
export type Finding =
  | (SourceProblem & { readonly level: 'problem' })
  | (Omit<SourceProblem, 'code'> & { readonly code: WarningCode; readonly level: 'warning' });
