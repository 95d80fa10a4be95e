import type { Step } from '../../chain/model.ts';
import type { CallResult } from '../wire/call-result.ts';
import type { RunContext } from '../scope/context.ts';
import { refusedAdvice } from './refused-advice.ts';
import type { StepOutcome } from './outcome.ts';
import { whatItSaid } from '../wire/error-summary.ts';

/** Elsewhere no credential was carried along. */
export function isSameOrigin(one: string, other: string): boolean {
  return new URL(one).origin === new URL(other).origin;
}

/** The service did not take the credential of the request. */
export function isRefused(step: Step & { type: 'call' }, status: number, context: RunContext): boolean {
  const as = step.as ?? context.serviceOf(step)?.as;
  return status === 401 && as !== undefined && as !== 'nobody';
}
export function defaultExpectations(
  context: RunContext,
  step: Step & { type: 'call' },
  { response, body, request, waitProblem, url }: CallResult,
  outcome: StepOutcome,
): void {
  if (step.expectsSuccess && response.status >= 400) {
    const said = `${whatItSaid(body)}${waitProblem ? `; ${waitProblem.message}` : ''}`;
    const hint = response.status === 401 ? refusedAdvice(step, context, response.headers) : waitProblem?.hint;
    outcome.failed('status < 400', `${response.status}${said}`, {
      code:
        waitProblem?.code ??
        (isRefused(step, response.status, context) && isSameOrigin(url, request.url)
          ? 'sign-in-refused'
          : 'status-not-expected'),
      ...(hint === undefined ? {} : { hint }),
    });
  }
  if (body.problem)
    outcome.failed(body.problem.expected, body.problem.got, {
      code: 'response-not-as-typed',
      hint: `read-as: ${body.text === undefined ? 'bytes takes' : 'text reads'} it as it is`,
    });
}
