import type { CallStep } from '../../chain/model.ts';
import { fillCredential, renews } from '../sign-in/authorise.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import { Bound } from '../time/bound.ts';
import type { RunContext } from '../scope/context.ts';
import type { CallResult, Progress } from '../wire/call-result.ts';
import { sendFollowing } from './follow-redirects.ts';

/**
 * Sends a request, follows redirects, renews a credential once after a 401. Throws problems of the request itself with a
 * place, those of the transport and of sign-in without one.
 */
export function exchange(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  { progress, patience }: { readonly progress: Progress; readonly patience: number },
): Promise<CallResult> {
  return request.as === undefined
    ? sendFollowing(context, step, request, { progress, patience })
    : sendSigned(context, step, request, { as: request.as, progress, patience });
}

async function sendSigned(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  { as, progress, patience }: { readonly as: string; readonly progress: Progress; readonly patience: number },
): Promise<CallResult> {
  const renewals = new Bound(context.ports.clock, { times: 1 });
  for (;;) {
    const result = await sendFollowing(context, step, request, { progress, patience });
    const { status, headers } = result.response;
    const all = [as, ...(request.also ?? [])];
    if (status !== 401) for (const one of all) context.ports.credentials.accepted(one);
    if (status !== 401 && !all.some((one) => context.project.credentials.get(one)!.signIn)) return result;
    const challenges = headers.flatMap(([name, value]) => (name === 'www-authenticate' ? [value] : []));
    // What came bit by bit has come.
    if (request.intake?.head || !renewals.take()) return result;
    let isRenewed = false;
    for (const one of all) {
      const filled = fillCredential(context, { ...request, as: one });
      if (await renews(context, step, filled, { result, challenges })) isRenewed = true;
    }
    if (!isRenewed) return result;
    await result.saved?.discard();
  }
}
