import type { Operation } from '../../contract/description.ts';
import type { Spot } from '../../contract/document.ts';
import type { Findings } from '../source/findings.ts';
import type { SourceNode } from '../source/source-file.ts';

/** A finding that stops a run where the contract is strict. */
export function sayDeviation(
  findings: Findings,
  level: 'strict' | 'warn',
  where: SourceNode,
  code: 'not-described' | 'not-as-described',
  message: string,
  { hint, at }: { readonly hint?: string | undefined; readonly at?: Spot | undefined } = {},
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
