// The grants of the credential oauth2 against a real server, and what a broken one gets to hear.
import { generateKeyPairSync } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { decodeJwt, importSPKI, jwtVerify } from 'jose';
import { readProject } from '../../../src/core/chain/read/read-project.ts';
import type { Clock, FilledCredential } from '../../../src/core/ports.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { RunCredentials } from '../../../src/io/credentials/index.ts';
import type { KeptTokens, KeptToken } from '../../../src/io/credentials/kept-tokens.ts';
import { HttpTransport } from '../../../src/io/http/http.ts';
import { systemClock } from '../../../src/io/world.ts';
import { browse } from '../../peers/browse.ts';
import { startPeer } from '../../peers/peer.ts';

/** Waits go by a hundred times faster. */
const fastClock: Clock = {
  ...systemClock,
  timer: (milliseconds, callback) => systemClock.timer(milliseconds / 100, callback),
};
const request = { method: 'GET', url: 'https://kiln.example/', headers: [] };
const signal = new AbortController().signal;

let issuer: string;
let key: string;
let stop: () => void;
const transport = new HttpTransport();
beforeAll(async () => {
  const peer = await startPeer('oauth-server.mjs');
  ({ issuer, key } = JSON.parse(peer.line) as { issuer: string; key: string });
  ({ stop } = peer);
});
afterAll(async () => {
  stop();
  await transport.close();
});

/** A credential with its fields filled in. */
function filled(fields: Record<string, string>): FilledCredential {
  const { project } = readProject(
    'batharon.yaml',
    `credentials:\n  desk:\n    kind: oauth2\n    grant: client-credentials\n    token-url: https://kiln.example/token\n    client-id: desk\n    client-secret: \${secret.desk}\nsecrets: { desk: env DESK }\n`,
    undefined,
    true,
  );
  return { credential: project.credentials.get('desk')!, fields: new Map(Object.entries(fields)) };
}

const bearer = ({ headers }: { headers: readonly (readonly [string, string])[] }): string =>
  headers[0]![1].replace('Bearer ', '');

/** What the server itself says of a token. */
async function introspect(token: string): Promise<Record<string, unknown>> {
  const response = await fetch(`${issuer}/token/introspection`, {
    method: 'POST',
    headers: { authorization: `Basic ${Buffer.from('desk:desk-secret-0123456789').toString('base64')}` },
    body: new URLSearchParams({ token }),
  });
  return (await response.json()) as Record<string, unknown>;
}

const credentials = (
  person?: ConstructorParameters<typeof RunCredentials>[2],
  kept?: KeptTokens,
): RunCredentials => new RunCredentials(transport, fastClock, person, kept);

function keeping(): KeptTokens & { readonly all: Map<string, KeptToken> } {
  const all = new Map<string, KeptToken>();
  return {
    all,
    get: (name) => all.get(name),
    set: async (name, token) => void all.set(name, token),
    remove: async (name) => void all.delete(name),
    alone: (_, work) => work(),
  };
}

describe('client credentials', () => {
  test.each([
    ['client_secret_basic', { 'client-id': 'desk', 'client-secret': 'desk-secret-0123456789' }],
    [
      'client_secret_post',
      { 'client-id': 'post', 'client-secret': 'post-secret-0123456789', 'client-auth': 'client_secret_post' },
    ],
    ['private_key_jwt', { 'client-id': 'signer', 'client-auth': 'private_key_jwt', 'key-id': 'desk-1' }],
  ])('%s, with the endpoints from the metadata of the issuer', async (method, fields) => {
    const given = {
      grant: 'client-credentials',
      issuer,
      ...fields,
      ...(method === 'private_key_jwt' ? { 'signing-key': key } : {}),
    };
    const added = await credentials().authorise(filled(given), request, signal);
    expect(await introspect(bearer(added))).toMatchObject({ active: true, client_id: fields['client-id'] });
    expect(added.signedIn!.until! - Date.now()).toBeGreaterThan(250_000);
  });

  test('all that asks at the same time shares one token; a 401 gets another one, once', async () => {
    const own = credentials();
    const one = filled({
      grant: 'client-credentials',
      issuer,
      'client-id': 'desk',
      'client-secret': 'desk-secret-0123456789',
    });
    const all = await Promise.all([1, 2, 3, 4].map(() => own.authorise(one, request, signal)));
    expect(new Set(all.map(bearer)).size).toBe(1);
    expect(all.filter(({ signedIn }) => signedIn)).toHaveLength(1);
    expect(own.renew(one, [], all[0]!.headers)).toBe(true);
    const second = await own.authorise(one, request, signal);
    expect(bearer(second)).not.toBe(bearer(all[0]!));
    // Another request with the first token is refused later: the second token is there already.
    expect(own.renew(one, [], all[1]!.headers)).toBe(true);
    expect(bearer(await own.authorise(one, request, signal))).toBe(bearer(second));
    expect(own.renew(one, [], second.headers)).toBe(false);
    own.accepted(one.credential.name);
    expect(own.renew(one, [], second.headers)).toBe(true);
  });
});

test('a token is renewed before it ends', async () => {
  let later = 0;
  const clock: Clock = { ...systemClock, now: () => Date.now() + later };
  const own = new RunCredentials(transport, clock);
  const one = filled({
    grant: 'client-credentials',
    issuer,
    'client-id': 'desk',
    'client-secret': 'desk-secret-0123456789',
  });
  const tokens: string[] = [];
  for (later of [0, 260_000, 275_000, 280_000])
    tokens.push(bearer(await own.authorise(one, request, signal)));
  // It lives for 300 seconds, and is renewed 30 before that.
  expect([tokens[1] === tokens[0], tokens[2] === tokens[1], tokens[3] === tokens[2]]).toEqual([
    true,
    false,
    true,
  ]);
});

test('browser: code with PKCE on a loopback port, and its refresh token afterwards', async () => {
  const kept = keeping();
  const told: string[] = [];
  const person = {
    tell: (text: string) => void told.push(text),
    open: (url: string) => void browse(url),
  };
  const one = filled({
    grant: 'browser',
    issuer,
    'client-id': 'browser',
    scope: 'openid offline_access firings:write',
  });
  const first = await credentials(person, kept).authorise(one, request, signal);
  expect(await introspect(bearer(first))).toMatchObject({ active: true, client_id: 'browser' });
  expect(told[0]).toContain(`${issuer}/auth`);
  expect([...kept.all.values()][0]!.refresh).toBeDefined();

  // A later run takes what is kept; when that has ended, its refresh token; nobody is asked.
  const again = await credentials(undefined, kept).authorise(one, request, signal);
  expect(bearer(again)).toBe(bearer(first));
  const [name, token] = [...kept.all][0]!;
  await kept.set(name, { ...token, until: Date.now() - 1 });
  const refreshed = await credentials(undefined, kept).authorise(one, request, signal);
  expect(bearer(refreshed)).not.toBe(bearer(first));
  expect(await introspect(bearer(refreshed))).toMatchObject({ active: true });
  expect(kept.all.get(name)!.refresh).not.toBe(token.refresh);

  // The same refresh token by itself, and one that is used up.
  const refresh = kept.all.get(name)!.refresh!;
  const direct = { grant: 'refresh-token', issuer, 'client-id': 'browser', 'refresh-token': refresh };
  expect(bearer(await credentials().authorise(filled(direct), request, signal))).toBeDefined();
  await expect(credentials().authorise(filled(direct), request, signal)).rejects.toMatchObject({
    problem: { code: 'sign-in-refused', message: expect.stringContaining('invalid_grant') as unknown },
  });
});

test('device: the code is shown, and the service is asked until somebody has entered it', async () => {
  const told: string[] = [];
  const kept = keeping();
  const person = {
    tell: (text: string) => void told.push(text),
    open: (url: string) => void setTimeout(() => void browse(url), 200),
  };
  const one = filled({ grant: 'device', issuer, 'client-id': 'device', scope: 'openid offline_access' });
  const added = await credentials(person, kept).authorise(one, request, signal);
  expect(await introspect(bearer(added))).toMatchObject({ active: true, client_id: 'device' });
  expect(told[0]).toMatch(/enter the code [A-Z]{4}-[A-Z]{4}/);
  expect(kept.all.size).toBe(1);
});

// ---- servers that a test scripts

type Script = (
  form: URLSearchParams,
  nth: number,
) => { status?: number; type?: string; body: unknown; headers?: Record<string, string> };
const servers: Server[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) server.close();
});

async function scripted(script: Script): Promise<{ url: string; forms: URLSearchParams[] }> {
  const forms: URLSearchParams[] = [];
  const server = createServer((incoming, outgoing) => {
    let text = '';
    incoming.on('data', (data: Buffer) => (text += data.toString()));
    incoming.on('end', () => {
      forms.push(new URLSearchParams(text));
      const {
        status = 200,
        type = 'application/json',
        body,
        headers = {},
      } = script(forms.at(-1)!, forms.length - 1);
      outgoing.writeHead(status, { 'content-type': type, ...headers });
      outgoing.end(typeof body === 'string' ? body : JSON.stringify(body));
    });
  });
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, forms };
}

const granted = { access_token: 'token-0123456789', token_type: 'Bearer', expires_in: 60 };

test('password and audience, as the service gets them', async () => {
  const { url, forms } = await scripted(() => ({ body: { ...granted, id_token: 'whatever' } }));
  const one = filled({
    grant: 'password',
    'token-url': url,
    'client-id': 'desk',
    user: 'anna',
    password: 'clay & water',
    scope: 'a b',
    audience: 'kiln',
  });
  await credentials().authorise(one, request, signal);
  expect(Object.fromEntries(forms[0]!)).toEqual({
    grant_type: 'password',
    client_id: 'desk',
    username: 'anna',
    password: 'clay & water',
    scope: 'a b',
    audience: 'kiln',
  });
});

test.each(['rsa', 'ec', 'ed25519'])('jwt: a statement signed with a key of %s', async (type) => {
  const pair = generateKeyPairSync(type as 'rsa', {
    modulusLength: 2048,
    ...(type === 'ec' ? { namedCurve: 'P-256' } : {}),
  });
  const { url, forms } = await scripted(() => ({ body: granted }));
  const pem = pair.privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
  const one = filled({
    grant: 'jwt',
    'token-url': url,
    'signing-key': pem,
    'issued-by': 'desk@kiln.example',
    scope: 'firings',
  });
  await credentials().authorise(one, request, signal);
  const assertion = forms[0]!.get('assertion')!;
  const algorithm = { rsa: 'RS256', ec: 'ES256', ed25519: 'EdDSA' }[type]!;
  const publicKey = await importSPKI(
    pair.publicKey.export({ type: 'spki', format: 'pem' }) as string,
    algorithm,
  );
  const { payload } = await jwtVerify(assertion, publicKey, { audience: url, issuer: 'desk@kiln.example' });
  expect(payload).toMatchObject({ sub: 'desk@kiln.example', scope: 'firings' });
  expect(decodeJwt(assertion).exp! - decodeJwt(assertion).iat!).toBe(300);
});

test('device: slow_down adds five seconds to each wait (RFC 8628, section 3.5)', async () => {
  const waits: number[] = [];
  const clock: Clock = {
    ...systemClock,
    timer: (milliseconds, callback) => {
      if (milliseconds < 30_000) waits.push(milliseconds);
      return systemClock.timer(milliseconds < 30_000 ? 1 : milliseconds, callback);
    },
  };
  const { url } = await scripted((form, nth) => {
    if (form.get('grant_type') === null)
      return {
        body: {
          device_code: 'd',
          user_code: 'ABCD',
          verification_uri: 'https://kiln.example/d',
          expires_in: 600,
          interval: 2,
        },
      };
    if (nth === 3) return { body: granted };
    return { status: 400, body: { error: nth === 1 ? 'slow_down' : 'authorization_pending' } };
  });
  const one = filled({ grant: 'device', 'token-url': url, 'device-url': url, 'client-id': 'device' });
  await new RunCredentials(transport, clock).authorise(one, request, signal);
  expect(waits).toEqual([2000, 7000, 7000]);
});

test('browser: a response with another state is not taken', async () => {
  const { url } = await scripted(() => ({ body: granted }));
  const person = {
    tell: () => undefined,
    open: (address: string) => {
      const back = new URL(new URL(address).searchParams.get('redirect_uri')!);
      back.search = 'code=stolen&state=another';
      void fetch(back);
    },
  };
  const one = filled({
    grant: 'browser',
    'token-url': url,
    'authorize-url': `${url}/auth`,
    'client-id': 'browser',
  });
  await expect(credentials(person).authorise(one, request, signal)).rejects.toMatchObject({
    problem: { code: 'sign-in-failed', message: expect.stringContaining('state') as unknown },
  });
});

describe('what a token endpoint can do', () => {
  const desk = (url: string): FilledCredential =>
    filled({
      grant: 'client-credentials',
      'token-url': url,
      'client-id': 'desk',
      'client-secret': 'wrong-secret-01',
    });
  test.each([
    [
      'refuse',
      { status: 401, body: { error: 'invalid_client', error_description: 'no such client' } },
      'sign-in-refused',
      /desk with 401: invalid_client, "no such client"/,
    ],
    [
      'response HTML',
      { status: 200, type: 'text/html', body: '<h1>Kiln closed</h1>' },
      'sign-in-failed',
      /did not answer as RFC 6749 says/,
    ],
    [
      'break down',
      { status: 503, type: 'text/plain', body: 'out of gas' },
      'sign-in-failed',
      /\(status 503\)/,
    ],
    ['give no token', { body: { token_type: 'Bearer' } }, 'sign-in-failed', /access_token/],
  ] as const)('%s', async (_, response, code, message) => {
    const { url } = await scripted(() => response);
    const problem = await credentials()
      .authorise(desk(url), request, signal)
      .catch((error: unknown) => (error as ProblemError).problem);
    expect(problem).toMatchObject({ code, message: expect.stringMatching(message) as unknown });
    expect(JSON.stringify(problem)).not.toContain('wrong-secret-01');
  });

  test('be down, or silent', async () => {
    await expect(
      credentials().authorise(desk('http://127.0.0.1:1/token'), request, signal),
    ).rejects.toMatchObject({
      problem: {
        code: 'connection-refused',
        message: expect.stringContaining('no token for the credential desk') as unknown,
      },
    });
    const silent = createServer(() => undefined);
    servers.push(silent);
    await new Promise<void>((resolve) => silent.listen(0, '127.0.0.1', resolve));
    const url = `http://127.0.0.1:${(silent.address() as AddressInfo).port}`;
    await expect(credentials().authorise(desk(url), request, signal)).rejects.toMatchObject({
      problem: { code: 'time-limit' },
    });
    silent.closeAllConnections();
  });

  test('be reached over plain http by nobody but this machine, unless the service allows it', async () => {
    const sent: string[] = [];
    const watched = {
      send: (one: { url: string }) => (sent.push(one.url), Promise.reject(new Error('down'))),
    };
    const one = desk('http://kiln.example/token');
    const run = (filledIn: FilledCredential) =>
      new RunCredentials(watched, fastClock)
        .authorise(filledIn, request, signal)
        .catch((error: unknown) => (error as ProblemError).problem.code);
    expect([await run(one), sent.length]).toEqual(['plain-http', 0]);
    await run({ ...one, insecure: true });
    expect(sent).toEqual(['http://kiln.example/token']);
  });

  test('a key that is none is not quoted', async () => {
    const one = filled({
      grant: 'jwt',
      'token-url': 'https://kiln.example',
      'signing-key': 'not-a-key-0123456789',
      'issued-by': 'x',
    });
    const problem = await credentials()
      .authorise(one, request, signal)
      .catch((error: unknown) => (error as ProblemError).problem);
    expect(problem).toMatchObject({
      message:
        'no token for the credential desk: the signing-key of desk is no private key in PEM or as a JWK',
    });
  });
});
