import * as oauth from 'oauth4webapi';
import type { Authorisation, Clock, FilledCredential, Transport, Watch } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';

/** How long before its end a token is renewed, in milliseconds. */
const EARLY = 30_000;
/** How long a token endpoint may take, in milliseconds. */
const LIMIT = 30_000;

interface Token {
  readonly text: string;
  readonly scope: string | undefined;
  readonly until: number | undefined;
  /** It was thrown away after a 401 once, and what replaced it is not. */
  readonly renewed: boolean;
}

/** Tokens of OAuth 2.0: fetched once for all that asks at the same time, renewed before they end and once after a 401. */
export class OAuth2 {
  readonly #transport: Transport;
  readonly #clock: Clock;
  readonly #tokens = new Map<string, Token>();
  readonly #underWay = new Map<string, Promise<Token>>();
  readonly #thrownAway = new Set<string>();

  constructor(transport: Transport, clock: Clock) {
    this.#transport = transport;
    this.#clock = clock;
  }

  async authorise(filled: FilledCredential, signal: AbortSignal): Promise<Authorisation> {
    const { name } = filled.credential;
    const known = this.#tokens.get(name);
    if (known && (known.until === undefined || known.until - EARLY > this.#clock.now()))
      return authorisation(known);
    let fetching = this.#underWay.get(name);
    const first = !fetching;
    if (!fetching) {
      fetching = this.#fetch(filled, signal).finally(() => this.#underWay.delete(name));
      this.#underWay.set(name, fetching);
    }
    const token = await fetching;
    this.#tokens.set(name, token);
    const signedIn = {
      ...(token.scope === undefined ? {} : { scope: token.scope }),
      ...(token.until === undefined ? {} : { until: token.until }),
    };
    return first ? { ...authorisation(token), signedIn } : authorisation(token);
  }

  renew({ credential: { name } }: FilledCredential): boolean {
    const token = this.#tokens.get(name);
    if (!token || token.renewed) return false;
    this.#tokens.delete(name);
    this.#thrownAway.add(name);
    return true;
  }

  /** The client credentials grant (RFC 6749, section 4.4), the client's secret in a Basic field (section 2.3.1). */
  async #fetch({ credential, fields }: FilledCredential, signal: AbortSignal): Promise<Token> {
    const url = fields.get('token-url')!;
    if (!URL.canParse(url))
      fail('not-a-url', `the token-url of ${credential.name} is no URL: '${url}'`, { place: credential.at });
    const server: oauth.AuthorizationServer = { issuer: new URL(url).origin, token_endpoint: url };
    const client: oauth.Client = { client_id: fields.get('client-id')! };
    const parameters = new URLSearchParams();
    for (const name of ['scope', 'audience']) {
      const value = fields.get(name);
      if (value !== undefined) parameters.set(name, value);
    }
    try {
      const answer = await oauth.clientCredentialsGrantRequest(
        server,
        client,
        oauth.ClientSecretBasic(fields.get('client-secret')!),
        parameters,
        {
          signal,
          [oauth.customFetch]: (target, init) => this.#send(target, init, signal),
          // Whether plain http is allowed is for `check` to say, not for the library.
          // eslint-disable-next-line @typescript-eslint/no-deprecated
          [oauth.allowInsecureRequests]: true,
        },
      );
      const granted = await oauth.processClientCredentialsResponse(server, client, answer);
      return {
        text: granted.access_token,
        scope: granted.scope,
        until: granted.expires_in === undefined ? undefined : this.#clock.now() + granted.expires_in * 1000,
        renewed: this.#thrownAway.delete(credential.name),
      };
    } catch (error) {
      throw tokenProblem(error, credential.name, url);
    }
  }

  /** Carries the library's request over the same transport as all others. */
  async #send(
    url: string,
    init: oauth.CustomFetchOptions<string, URLSearchParams>,
    outer: AbortSignal,
  ): Promise<Response> {
    let stop = (): void => undefined;
    const watch: Watch = {
      stopped: outer.aborted ? (outer.reason as Error) : undefined,
      onStop: (callback) => {
        const onAbort = (): void => callback(outer.reason as Error);
        outer.addEventListener('abort', onAbort, { once: true });
        const cancel = this.#clock.timer(LIMIT, () =>
          callback(
            new ProblemError({
              code: 'time-limit',
              message: `the token endpoint ${url} gave no answer within ${LIMIT / 1000}s`,
            }),
          ),
        );
        stop = () => {
          cancel();
          outer.removeEventListener('abort', onAbort);
        };
      },
      phase: () => undefined,
    };
    try {
      const answer = await this.#transport.send(
        {
          method: init.method,
          url,
          headers: Object.entries(init.headers),
          body: new TextEncoder().encode(init.body.toString()),
        },
        watch,
      );
      return new Response(answer.status === 204 || answer.status === 304 ? null : Buffer.from(answer.body), {
        status: answer.status,
        headers: answer.headers.map(([name, value]): [string, string] => [name, value]),
      });
    } finally {
      stop();
    }
  }
}

function authorisation({ text }: Token): Authorisation {
  return { headers: [['authorization', `Bearer ${text}`]], query: [], secrets: [text] };
}

/** What went wrong at the token endpoint, with what the service said. */
function tokenProblem(error: unknown, name: string, url: string): ProblemError {
  const own = findProblem(error);
  if (own)
    return new ProblemError({
      ...own.problem,
      message: `no token for the credential ${name}: ${own.problem.message}`,
    });
  if (error instanceof oauth.ResponseBodyError) {
    const said =
      error.error_description === undefined ? error.error : `${error.error}, "${error.error_description}"`;
    return new ProblemError({
      code: 'sign-in-refused',
      message: `the token endpoint ${url} refused the credential ${name} with ${error.status}: ${said}`,
      instead:
        error.error === 'invalid_client'
          ? 'the right client-id and client-secret'
          : error.error === 'invalid_scope'
            ? 'a scope that the client may have'
            : 'what the service’s documentation says of this error',
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
      instead: 'the right client-id and client-secret',
    });
  }
  const reason = error instanceof Error ? error.message : String(error);
  return new ProblemError({
    code: 'sign-in-failed',
    message: `the token endpoint ${url} did not answer as RFC 6749 says${status === undefined ? '' : ` (status ${status})`}: ${reason}`,
    instead: `is token-url of ${name} right?`,
  });
}

function findProblem(error: unknown): ProblemError | undefined {
  if (error instanceof ProblemError) return error;
  return error instanceof Error && error.cause !== undefined ? findProblem(error.cause) : undefined;
}
