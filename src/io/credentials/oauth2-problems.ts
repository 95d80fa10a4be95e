import * as oauth from 'oauth4webapi';
import type { FilledCredential } from '../../core/ports.ts';
import { ProblemError } from '../../core/problems.ts';
import { findProblem } from './oauth2-server.ts';
import { memberOf } from '../../core/language/values.ts';

const ADVICE: Readonly<Record<string, string>> = {
  invalid_client: 'the right client-id and client-secret, and client-auth as the service wants it',
  invalid_scope: 'a scope that the client may have',
  invalid_grant: 'a new refresh token, code or password: this one is wrong, used up or too old',
  unauthorized_client: 'another grant: the client may not use this one',
  unsupported_grant_type: 'another grant: the service does not know this one',
  access_denied: 'somebody who may agree, or who does',
  expired_token: 'batharon sign-in, and the code typed in before it is too old',
};

/** What went wrong while signing in, with what the service said. */
export function signInProblem(error: unknown, { credential }: FilledCredential, url: string): ProblemError {
  const { name, at: place } = credential;
  const own = findProblem(error);
  if (own)
    return new ProblemError({
      place,
      ...own.problem,
      message: `no token for the credential ${name}: ${own.problem.message}`,
    });
  if (error instanceof oauth.ResponseBodyError || error instanceof oauth.AuthorizationResponseError) {
    const said =
      error.error_description === undefined ? error.error : `${error.error}, "${error.error_description}"`;
    const where =
      error instanceof oauth.ResponseBodyError
        ? `the token endpoint ${url} refused the credential ${name} with ${error.status}`
        : `the service refused the credential ${name}`;
    return new ProblemError({
      code: 'sign-in-refused',
      message: `${where}: ${said}`,
      hint: memberOf(ADVICE, error.error) ?? "what the service's documentation says of this error",
      place,
    });
  }
  const status =
    error instanceof oauth.WWWAuthenticateChallengeError
      ? error.status
      : ((error as { cause?: { status?: unknown } }).cause?.status as number | undefined);
  if (status === 401 || status === 403) {
    return new ProblemError({
      code: 'sign-in-refused',
      message: `the token endpoint ${url} refused the credential ${name} with ${status}`,
      hint: ADVICE.invalid_client!,
      place,
    });
  }
  const reason = error instanceof Error ? error.message : String(error);
  return new ProblemError({
    code: 'sign-in-failed',
    message: `the token endpoint ${url} did not answer as RFC 6749 says${status === undefined ? '' : ` (status ${status})`}: ${reason}`,
    hint: `is token-url of ${name} right?`,
    place,
  });
}
