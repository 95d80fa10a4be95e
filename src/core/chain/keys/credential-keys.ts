import * as z from 'zod';
import { type KeyDefinition, map as mapShape, shapeOf, text } from '../source/key-definition.ts';
import { memberOf } from '../../language/values.ts';

interface CredentialKeys {
  readonly about: string;
  readonly keys: readonly KeyDefinition[];
  readonly example: string;
  /** It is a key that is sent as it is: where, under the name in its key `name`. */
  readonly sentIn?: 'header' | 'query';
  /** A token is got for it, which can be kept between runs. */
  readonly hasToken?: true;
}

const field = (name: string, about: string, required = true): KeyDefinition => ({
  name,
  sort: 'plain text',
  shape: text,
  wants: 'a text',
  about,
  required,
  example: `${name}: …`,
});

const choice = (
  name: string,
  about: string,
  words: readonly [string, ...string[]],
  required = true,
): KeyDefinition => ({
  ...field(name, about, required),
  shape: shapeOf(() => z.enum(words)),
  wants: words.join(', '),
  sort: 'setting',
  example: `${name}: ${words[0]}`,
});

/** One of which the whole worth is that nobody reads it. */
const secretField: typeof field = (name, about, required) => ({
  ...field(name, about, required),
  secret: true,
});

const map = (name: string, about: string, example: string, required = true): KeyDefinition => ({
  name,
  sort: 'plain text',
  shape: mapShape,
  wants: 'a map',
  about,
  required,
  example,
});

/** How a token is got with OAuth. */
export const OAUTH_GRANTS = [
  'client-credentials',
  'refresh-token',
  'password',
  'device',
  'browser',
  'jwt',
] as const;
export type OAuthGrant = (typeof OAUTH_GRANTS)[number];

/** Keys that a grant cannot do without, besides where its endpoints are. */
export const GRANT_NEEDS: Readonly<Record<OAuthGrant, readonly string[]>> = {
  'client-credentials': ['client-id'],
  'refresh-token': ['client-id', 'refresh-token'],
  password: ['user', 'password'],
  device: ['client-id'],
  browser: ['client-id'],
  jwt: ['signing-key', 'issued-by'],
};

const SIGNING = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
  'HS256',
  'HS384',
  'HS512',
] as const;

/** The kinds of credential and the keys of each, besides `kind`. */
const KINDS = {
  basic: {
    about: 'User and password (RFC 7617).',
    keys: [field('user', "The user's name; it has no colon."), secretField('password', 'The password.')],
    example: 'office:\n  kind: basic\n  user: anna\n  password: ${secret.office}',
  },
  bearer: {
    about: 'A token in the Authorization field (RFC 6750).',
    keys: [
      secretField('token', 'The token.'),
      field('scheme', 'The word before it, for services that want another than Bearer.', false),
    ],
    example: 'counter:\n  kind: bearer\n  token: ${secret.counter}',
  },
  header: {
    about: 'A key in a header of its own.',
    sentIn: 'header',
    keys: [field('name', 'The name of the field.'), secretField('value', 'Its value.')],
    example: 'counter:\n  kind: header\n  name: Emberfold-Key\n  value: ${secret.counter}',
  },
  query: {
    about: 'A key in a query parameter.',
    sentIn: 'query',
    keys: [field('name', 'The name of the parameter.'), secretField('value', 'Its value.')],
    example: 'counter:\n  kind: query\n  name: key\n  value: ${secret.counter}',
  },
  cookie: {
    about: 'A key in a cookie (RFC 6265).',
    keys: [field('name', 'The name of the cookie.'), secretField('value', 'Its value.')],
    example: 'studio:\n  kind: cookie\n  name: session\n  value: ${secret.session}',
  },
  digest: {
    about:
      'User and password, of which only a digest is sent (RFC 7616): MD5, SHA-256 and SHA-512-256, with or without -sess, and with the body protected where the service wants that (auth-int). The first request asks for the challenge.',
    keys: [field('user', "The user's name."), secretField('password', 'The password.')],
    example: 'archive:\n  kind: digest\n  user: anna\n  password: ${secret.archive}',
  },
  oauth2: {
    hasToken: true,
    about:
      'A token of OAuth 2.0 (RFC 6749), fetched once for all that runs at the same time, renewed before it expires and once after a 401.',
    keys: [
      choice(
        'grant',
        "How the token is got: with the client's own secret, a refresh token, a user's password, on another device (RFC 8628), in the browser (RFC 7636, RFC 8252), or with a signed statement (RFC 7523).",
        OAUTH_GRANTS,
      ),
      field(
        'issuer',
        'The issuer, whose metadata name the endpoints (RFC 8414), in place of the URLs.',
        false,
      ),
      field('token-url', 'The token endpoint.', false),
      field('device-url', 'The device authorization endpoint, for grant device.', false),
      field('authorize-url', 'The authorization endpoint, for grant browser.', false),
      field('client-id', "The client's identifier.", false),
      secretField('client-secret', 'Its secret; a public client has none.', false),
      choice(
        'client-auth',
        'How the client proves who it is; usually client_secret_basic with a secret, none without.',
        ['client_secret_basic', 'client_secret_post', 'private_key_jwt', 'none'],
        false,
      ),
      secretField(
        'signing-key',
        'A private key in PEM (PKCS #8) or as a JWK, for private_key_jwt and grant jwt.',
        false,
      ),
      choice('signing-algorithm', 'What the key signs with; usually what fits it.', SIGNING, false),
      field('key-id', 'The identifier of the key, where the service wants one.', false),
      secretField('refresh-token', 'The refresh token, for grant refresh-token.', false),
      field('user', "The user's name, for grant password.", false),
      secretField('password', "The user's password, for grant password.", false),
      field('issued-by', 'Who makes the statement (iss), for grant jwt.', false),
      field('subject', 'Whom the statement speaks of (sub), for grant jwt; usually issued-by.', false),
      field('scope', 'The scopes that are asked for, with blanks between them.', false),
      field('audience', 'Whom the token is for, where the service wants that said.', false),
      field(
        'port',
        'The loopback port of grant browser, where the service knows only one; usually any.',
        false,
      ),
    ],
    example:
      'desk:\n  kind: oauth2\n  grant: client-credentials\n  token-url: ${services.kiln.url}/token\n  client-id: studio-desk\n  client-secret: ${secret.desk}',
  },
  'message-signature': {
    about: 'Signs each request with a key (RFC 9421); a body is signed by its Content-Digest (RFC 9530).',
    keys: [
      field('key-id', 'The identifier by which the service knows the key.'),
      secretField('key', 'The key: a private one in PEM (PKCS #8), or a shared one in base64.'),
      choice('algorithm', 'What signs.', [
        'hmac-sha256',
        'ed25519',
        'ecdsa-p256-sha256',
        'ecdsa-p384-sha384',
        'rsa-pss-sha512',
        'rsa-v1_5-sha256',
      ]),
      field(
        'covers',
        'What is signed, with blanks between; usually `@method @target-uri` and the digest of a body.',
        false,
      ),
      field('label', 'The name of the signature; usually sig1.', false),
    ],
    example:
      'signer:\n  kind: message-signature\n  key-id: studio-desk\n  algorithm: hmac-sha256\n  key: ${secret.signer}',
  },
  recipe: {
    about:
      'Fields computed from each request, for services with a signature of their own: request.method, request.path, request.query, request.url and request.body, names under let, now() the same throughout one request.',
    keys: [
      map(
        'let',
        'Names for this request, from top to bottom; each is an expression.',
        'let:\n  nonce: uuid()',
        false,
      ),
      map(
        'headers',
        'The fields; insertions use the request, the names under let, and secrets.',
        "headers:\n  X-Signature: ${hex(hmac(secret.desk, request.path, 'sha-256'))}",
      ),
    ],
    example:
      "signed:\n  kind: recipe\n  let:\n    nonce: uuid()\n  headers:\n    Emberfold-Nonce: ${nonce}\n    Emberfold-Signature: ${hex(hmac(secret.desk, join([request.method, request.path, nonce], ':'), 'sha-256'))}",
  },
  chain: {
    about:
      'Another chain signs in; what its results give is sent. It runs once for all that runs at the same time.',
    keys: [
      field('file', 'The chain file that signs in; its path begins at the folder of the project file.'),
      map('inputs', 'Values of its inputs.', 'inputs:\n  user: anna', false),
      map(
        'headers',
        'The fields that are sent; insertions use its results.',
        'headers:\n  Emberfold-Session: ${session}',
      ),
      {
        ...field('renew-when', 'Signs in again where it holds for a response; usually status == 401.', false),
        sort: 'condition',
        example: 'renew-when: status == 401',
      },
    ],
    example:
      'studio:\n  kind: chain\n  file: sign-in.chain.yaml\n  headers:\n    Emberfold-Session: ${session}',
  },
} as const satisfies Readonly<Record<string, CredentialKeys>>;

export type CredentialKind = keyof typeof KINDS;

/** The kinds by name. */
export const credentialKeys: Readonly<Record<CredentialKind, CredentialKeys>> = KINDS;
export const CREDENTIAL_KINDS = Object.keys(KINDS) as CredentialKind[];

/** What is known of a kind; undefined if there is none of that name. */
export function kindOfCredential(kind: string): CredentialKeys | undefined {
  return memberOf<CredentialKeys>(credentialKeys, kind);
}

export const credentialKindKey: KeyDefinition = {
  name: 'kind',
  sort: 'setting',
  shape: shapeOf(() => z.enum(CREDENTIAL_KINDS)),
  wants: CREDENTIAL_KINDS.join(', '),
  required: true,
  about: 'What sort of credential it is.',
  example: 'kind: bearer',
};

export const credentialTestKey: KeyDefinition = {
  name: 'test',
  sort: 'setting',
  shape: shapeOf(() => z.string().regex(/^[A-Z]+ \S/)),
  wants: 'a request, such as GET kiln /me',
  required: false,
  about:
    'What `batharon sign-in` sends with it, to see whether it is accepted. Best a request that changes nothing.',
  example: 'test: GET kiln /me',
};

export const credentialOriginsKey: KeyDefinition = {
  name: 'origins',
  sort: 'setting',
  shape: shapeOf(() => z.array(z.string().refine((one) => originIn(one) !== undefined))),
  wants: 'a list of origins, such as https://api.example.com',
  required: false,
  about:
    'Origins besides those of its services to which it may go by an address out of a response: a next page, the state of a job. Elsewhere it goes only where a step names the host itself.',
  example: 'origins: [https://files.emberfold.example]',
};

/** The origin that a text is (RFC 6454); undefined if it is more, or none of HTTP. */
export function originIn(text: string): string | undefined {
  if (!URL.canParse(text)) return undefined;
  const { origin, protocol, pathname, search, hash, username } = new URL(text);
  return /^https?:$/.test(protocol) && pathname === '/' && search + hash + username === ''
    ? origin
    : undefined;
}
