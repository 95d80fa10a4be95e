import type { Operation } from '../../contract/description.ts';
import type { Spot } from '../../contract/document.ts';
import type { Findings } from '../source/findings.ts';
import type { SourceNode } from '../source/source-file.ts';

/** Something that is not as a description says. */
export interface FoundDeviation {
  readonly where: SourceNode;
  readonly code: 'not-described' | 'not-as-described';
  readonly message: string;
  readonly hint?: string | undefined;
  /** Where the description says otherwise. */
  readonly at?: Spot | undefined;
}

/** A finding that stops a run where the contract is strict. */
export function sayDeviation(
  findings: Findings,
  level: 'strict' | 'warn',
  { where, code, message, hint, at }: FoundDeviation,
): void {
  const whole = at ? `${message} (${spotText(at)})` : message;
  if (level === 'strict') findings.problem(where, code, whole, hint);
  else findings.warn(where, code, whole, hint);
}

/** A place in a description, as text. */
export function spotText({ file, line }: Spot): string {
  return `${file}:${line}`;
}

/** What an operation is called in a message. */
export function operationText({ head: { method, path } }: Operation): string {
  return `${method} ${path}`;
}
