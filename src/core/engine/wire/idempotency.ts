import type { CallStep } from '../../chain/model.ts';

/** Methods that may be sent twice (RFC 9110, section 9.2.2). */
const IDEMPOTENT: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE', 'PUT', 'DELETE']);

/** Methods that change nothing (RFC 9110, section 9.2.1). */
const SAFE: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/** Whether a request changes nothing at the service. */
export function isSafe(method: string): boolean {
  return SAFE.has(method);
}

/** Whether a request of a step may be sent only once, or again with the same key; undefined if it may be sent again. */
export function resendPolicy(step: CallStep, method: string): 'never' | 'with-key' | undefined {
  if (IDEMPOTENT.has(method) || step.repeatable) return undefined;
  return step.idempotency ? 'with-key' : 'never';
}
