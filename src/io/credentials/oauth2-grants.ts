import { randomUUID } from 'node:crypto';
import { SignJWT } from 'jose';
import * as oauth from 'oauth4webapi';
import type { OAuthGrant } from '../../core/chain/keys/credential-keys.ts';
import { Bound } from '../../core/engine/time/bound.ts';
import type { Clock, FilledCredential } from '../../core/ports.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import type { KeptToken } from './kept-tokens.ts';
import { listenForRedirect } from './loopback.ts';
import { type Server, signingKey } from './oauth2-server.ts';
import type { Person } from './person.ts';

/** What getting a token needs besides the server. */
export interface GrantWorld {
  readonly clock: Clock;
  readonly person: Person;
  readonly signal: AbortSignal;
}

type Grant = (
  filled: FilledCredential,
  server: Server,
  world: GrantWorld,
) => Promise<oauth.TokenEndpointResponse>;

/** How long a person has to sign in in a browser, in milliseconds. */
const PERSON_LIMIT = 5 * 60_000;

/** How each grant gets a token. */
export const GRANTS: Readonly<Record<OAuthGrant, Grant>> = {
  /** RFC 6749, section 4.4. */
  'client-credentials': async (filled, { server, client, auth, options }) => {
    const response = await oauth.clientCredentialsGrantRequest(server, client, auth, wanted(filled), options);
    return oauth.processClientCredentialsResponse(server, client, response);
  },

  /** RFC 6749, section 6. */
  'refresh-token': (filled, server) => refresh(server, filled.fields.get('refresh-token')!, wanted(filled)),

  /** RFC 6749, section 4.3. */
  password: (filled, server) =>
    generic(filled, server, 'password', {
      username: filled.fields.get('user')!,
      password: filled.fields.get('password')!,
    }),

  /** RFC 7523, section 2.1. */
  jwt: async (filled, server, { clock }) => {
    const { fields } = filled;
    const { key, algorithm } = await signingKey(filled);
    const now = Math.floor(clock.now() / 1000);
    const kid = fields.get('key-id');
    const scope = fields.get('scope');
    const assertion = await new SignJWT(scope === undefined ? {} : { scope })
      .setProtectedHeader({ alg: algorithm, typ: 'JWT', ...(kid === undefined ? {} : { kid }) })
      .setIssuer(fields.get('issued-by')!)
      .setSubject(fields.get('subject') ?? fields.get('issued-by')!)
      .setAudience(fields.get('audience') ?? server.url)
      .setIssuedAt(now)
      .setExpirationTime(now + 300)
      .setJti(randomUUID())
      .sign(key);
    return generic(filled, server, 'urn:ietf:params:oauth:grant-type:jwt-bearer', { assertion });
  },

  /** RFC 8628. */
  device: async (filled, { server, client, auth, options, url }, { clock, person, signal }) => {
    if (server.device_authorization_endpoint === undefined)
      return fail('sign-in-failed', `the metadata of the issuer name no device endpoint`, {
        hint: 'device-url: https://…',
      });
    const asked = await oauth.deviceAuthorizationRequest(server, client, auth, wanted(filled), options);
    const device = await oauth.processDeviceAuthorizationResponse(server, client, asked);
    const { user_code: code, verification_uri: address, verification_uri_complete: whole } = device;
    person.tell(
      `to sign in as ${filled.credential.name}, open ${address} and enter the code ${code}${whole === undefined ? '' : `\n(or open ${whole})`}`,
    );
    person.open(whole ?? address);
    const bound = new Bound(clock, { within: device.expires_in * 1000 });
    for (let interval = Math.max(1, device.interval ?? 5) * 1000; ;) {
      await sleep(clock, interval, signal);
      try {
        const response = await oauth.deviceCodeGrantRequest(
          server,
          client,
          auth,
          device.device_code,
          options,
        );
        return await oauth.processDeviceCodeResponse(server, client, response);
      } catch (error) {
        if (!(error instanceof oauth.ResponseBodyError)) throw error;
        // Section 3.5: five seconds more, for this request and all that follow.
        if (error.error === 'slow_down') interval += 5000;
        else if (error.error !== 'authorization_pending') throw error;
      }
      if (!bound.take())
        throw new ProblemError({
          code: 'sign-in-failed',
          message: `nobody entered the code for ${filled.credential.name} at ${address} within ${device.expires_in}s (token endpoint ${url})`,
          hint: 'batharon sign-in, and the code entered sooner',
        });
    }
  },

  /** The code grant with PKCE on a loopback port (RFC 6749, 4.1; RFC 7636; RFC 8252, 7.3). */
  browser: async (filled, { server, client, auth, options }, { clock, person, signal }) => {
    const { fields } = filled;
    if (server.authorization_endpoint === undefined)
      return fail('sign-in-failed', `the metadata of the issuer name no authorization endpoint`, {
        hint: 'authorize-url: https://…',
      });
    const verifier = oauth.generateRandomCodeVerifier();
    const state = oauth.generateRandomState();
    const listener = await listenForRedirect(Number(fields.get('port') ?? 0));
    const limit = personLimit(clock, filled, signal);
    try {
      const address = new URL(server.authorization_endpoint);
      for (const [name, value] of Object.entries({
        response_type: 'code',
        client_id: client.client_id,
        redirect_uri: listener.address,
        code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
        code_challenge_method: 'S256',
        state,
        ...Object.fromEntries(wanted(filled)),
      }))
        address.searchParams.set(name, value);
      person.tell(`to sign in as ${filled.credential.name}, open\n${address.href}`);
      person.open(address.href);
      const got = await Promise.race([listener.redirected, limit.reached]);
      const parameters = oauth.validateAuthResponse(server, client, got, state);
      const response = await oauth.authorizationCodeGrantRequest(
        server,
        client,
        auth,
        parameters,
        listener.address,
        verifier,
        options,
      );
      return await oauth.processAuthorizationCodeResponse(server, client, response);
    } finally {
      limit.cancel();
      listener.close();
    }
  },
};

/** RFC 6749, section 6. Without a scope the service grants what it granted before. */
async function refresh(
  { server, client, auth, options }: Server,
  token: string,
  additionalParameters: URLSearchParams,
): Promise<oauth.TokenEndpointResponse> {
  const response = await oauth.refreshTokenGrantRequest(server, client, auth, token, {
    ...options,
    additionalParameters,
  });
  return oauth.processRefreshTokenResponse(server, client, response);
}

/** What a kept refresh token gives; undefined if the service does not take it any more. */
export async function refreshKept(
  server: Server,
  token: string,
): Promise<oauth.TokenEndpointResponse | undefined> {
  try {
    return await refresh(server, token, new URLSearchParams());
  } catch (error) {
    if (error instanceof oauth.ResponseBodyError && error.error === 'invalid_grant') return undefined;
    throw error;
  }
}

async function generic(
  filled: FilledCredential,
  { server, client, auth, options }: Server,
  grant: string,
  parameters: Readonly<Record<string, string>>,
): Promise<oauth.TokenEndpointResponse> {
  const all = wanted(filled);
  for (const [name, value] of Object.entries(parameters)) all.set(name, value);
  const response = await oauth.genericTokenEndpointRequest(server, client, auth, grant, all, options);
  return oauth.processGenericTokenEndpointResponse(server, client, response);
}

/** What is asked for. */
function wanted({ fields }: FilledCredential): URLSearchParams {
  const parameters = new URLSearchParams();
  for (const name of ['scope', 'audience']) {
    const value = fields.get(name);
    if (value !== undefined) parameters.set(name, value);
  }
  return parameters;
}

function sleep(clock: Clock, milliseconds: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      cancel();
      reject(signal.reason as Error);
    };
    const cancel = clock.timer(milliseconds, () => {
      signal.removeEventListener('abort', stop);
      resolve();
    });
    if (signal.aborted) stop();
    else signal.addEventListener('abort', stop, { once: true });
  });
}

/** Fails when nobody has signed in for too long, or when the run is interrupted. */
function personLimit(
  clock: Clock,
  { credential }: FilledCredential,
  signal: AbortSignal,
): { readonly reached: Promise<never>; cancel(): void } {
  let cancel = (): void => undefined;
  const reached = new Promise<never>((_, reject) => {
    const stop = (): void => reject(signal.reason as Error);
    const cancelTimer = clock.timer(PERSON_LIMIT, () =>
      reject(
        new ProblemError({
          code: 'sign-in-failed',
          message: `nobody signed in as ${credential.name} in the browser within ${PERSON_LIMIT / 60_000} minutes`,
          hint: 'batharon sign-in, where there is a browser; grant: device where there is none',
        }),
      ),
    );
    signal.addEventListener('abort', stop, { once: true });
    cancel = () => {
      cancelTimer();
      signal.removeEventListener('abort', stop);
    };
  });
  return { reached, cancel };
}

/** What a token endpoint granted. */
export function tokenOf(granted: oauth.TokenEndpointResponse, now: number): KeptToken {
  return {
    text: granted.access_token,
    ...(granted.scope === undefined ? {} : { scope: granted.scope }),
    ...(granted.expires_in === undefined ? {} : { until: now + granted.expires_in * 1000 }),
    ...(granted.refresh_token === undefined ? {} : { refresh: granted.refresh_token }),
  };
}
