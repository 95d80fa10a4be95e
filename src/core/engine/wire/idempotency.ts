import type { CallStep } from '../../chain/model.ts';
import { isIdempotent } from '../../methods.ts';

/** Whether a request of a step may be sent only once, or again with the same key; undefined if it may be sent again. */
export function resendPolicy(step: CallStep, method: string): 'never' | 'with-key' | undefined {
  if (isIdempotent(method) || step.repeatable) return undefined;
  return step.idempotency ? 'with-key' : 'never';
}
