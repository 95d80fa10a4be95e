import type { EventBody, EventOf, RunEvent } from '../../events.ts';
import type { Problem } from '../../problems.ts';
import type { RunContext } from '../scope/context.ts';

/** Events of a chain that signs in which are told; the others are about the run that it is no part of. */
const TOLD: ReadonlySet<RunEvent['event']> = new Set([
  'step-began',
  'request-sent',
  'response-received',
  'request-failed',
  'redirected',
  'waiting',
  'expected',
  'kept',
  'signed-in',
  'warning',
  'loop-began',
  'iteration-began',
  'iteration-ended',
  'state-seen',
  'page-received',
  'item-received',
  'step-ended',
]);

/** So many events of one sign-in are told; of one that has more, why it failed as well. */
export const MOST_TOLD = 2000;

/** Whether an event says why its run failed. */
export function whyItFailed(event: RunEvent): boolean {
  return (event.event === 'step-ended' || event.event === 'run-ended') && event.problem !== undefined;
}

/** Tells what a chain has done that signed in, under the step that needed it: `list@office.login`. */
export function tellSignIn(
  context: RunContext,
  address: string,
  credential: string,
  told: readonly RunEvent[],
): void {
  const under = `${address}@${credential}`;
  const count = context.countSignIn(under);
  const prefix = count === 1 ? under : `${under}_${count}`;
  for (const event of told) {
    if (!TOLD.has(event.event) || !('step' in event) || event.step === undefined) continue;
    context.log.pass(maskedAnew(context, { ...event, step: `${prefix}.${event.step}` }));
  }
}

/**
 * An event as it can be told now that it is known what is secret. What was written down whole goes; where a body is interrupted, a
 * part of what is secret may stand at its end.
 */
function maskedAnew({ hidden }: RunContext, event: RunEvent): RunEvent {
  const masked = (body: EventBody): EventBody => {
    const { text, ...rest } = body;
    return text === undefined || body.cut ? rest : { ...rest, text: hidden.body(text, body.type) };
  };
  switch (event.event) {
    case 'kept': {
      const rest = { ...event };
      delete rest.sealed;
      delete rest.typed;
      return rest;
    }
    case 'loop-began': {
      const { start: _, ...rest } = event;
      return rest;
    }
    case 'response-received':
      return { ...event, headers: hidden.fields(event.headers), body: masked(event.body) };
    case 'request-sent':
      return event.body ? { ...event, body: masked(event.body) } : event;
    case 'request-failed':
      return event.partial
        ? { ...event, partial: { ...event.partial, body: masked(event.partial.body) } }
        : event;
    default:
      return event;
  }
}

/** Why a chain did not sign in: which call, where it stands, and what was wrong. */
export function whySignInFailed(told: readonly RunEvent[]): Problem {
  const broken = told.find(
    (event): event is EventOf<'step-ended'> => event.event === 'step-ended' && event.problem !== undefined,
  );
  const ended = told.find((event): event is EventOf<'run-ended'> => event.event === 'run-ended');
  const problem = broken?.problem ?? ended?.problem;
  if (!problem) return { code: 'sign-in-failed', message: 'its chain failed' };
  const began = told.find(
    (event): event is EventOf<'step-began'> => event.event === 'step-began' && event.step === broken?.step,
  );
  const place = problem.place ?? began?.place;
  const where = place === undefined ? '' : ` (${place.file}:${place.line}:${place.column})`;
  return {
    ...(problem as Problem),
    message: began ? `${began.title}${where}: ${problem.message}` : `${problem.message}${where}`,
  };
}
