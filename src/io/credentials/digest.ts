import type { CredentialSigner } from './signer.ts';
import { createHash, randomBytes } from 'node:crypto';
import type { Authorisation, FilledCredential, UnsignedRequest } from '../../core/ports.ts';
import { memberOf } from '../../core/language/values.ts';
import { type Challenge, challengesOf } from './challenges.ts';

/** Algorithms that are known, the one that is preferred first (RFC 7616, section 3.3). */
const ALGORITHMS: Readonly<Record<string, string>> = {
  'sha-512-256': 'sha512-256',
  'sha-256': 'sha256',
  md5: 'md5',
};

/** What a service asked for, and how often it has been answered. */
interface Asked {
  readonly challenge: Challenge;
  answered: number;
}

/** User and password of which only a digest is sent (RFC 7616). */
export class DigestCredentials implements CredentialSigner {
  readonly #asked = new Map<string, Asked>();

  /** Nothing before the service has asked. */
  authorise(
    { credential, fields }: FilledCredential,
    { body, isStreamed, method, url }: UnsignedRequest,
  ): Authorisation {
    const asked = this.#asked.get(credential.name);
    // A body that is read while it is sent can't be protected by a digest before it.
    if (!asked || !canAnswer(asked.challenge, isStreamed !== true))
      return { headers: [], query: [], secrets: [] };
    asked.answered++;
    const { pathname, search } = new URL(url);
    const value = digestField(asked.challenge, {
      user: fields.get('user')!,
      password: fields.get('password')!,
      method,
      body: body ?? new Uint8Array(),
      uri: pathname + search,
      count: asked.answered,
      nonce: randomBytes(16).toString('hex'),
    });
    const computed = /response="([^"]+)"/.exec(value)![1]!;
    return { headers: [['authorization', value]], query: [], secrets: [], computed: [computed] };
  }

  /** Takes what the service asks for; false where it has been answered already and was not only too old. */
  renew({ credential: { name } }: FilledCredential, fields: readonly string[]): boolean {
    const offered = challengesOf(fields).filter(({ scheme }) => scheme === 'digest');
    const challenge = Object.keys(ALGORITHMS)
      .map((algorithm) => offered.find((one) => baseOf(one) === algorithm && canAnswer(one, true)))
      .find((one) => one !== undefined);
    const before = this.#asked.get(name);
    if (!challenge) return false;
    const stale = challenge.parameters.get('stale')?.toLowerCase() === 'true';
    if (before && before.answered > 0 && !stale) {
      this.#asked.delete(name);
      return false;
    }
    this.#asked.set(name, { challenge, answered: 0 });
    return true;
  }
}

/** The algorithm without -sess; MD5 where none is named. */
function baseOf({ parameters }: Challenge): string {
  return (parameters.get('algorithm') ?? 'MD5').toLowerCase().replace(/-sess$/, '');
}

/** What a challenge wants to be protected (RFC 7616, section 3.3): the first that is known; none where it does not say. */
function protectionOf({ parameters }: Challenge): 'auth' | 'auth-int' | 'none' | 'unknown' {
  const qop = parameters.get('qop');
  if (qop === undefined) return 'none';
  const offered = new Set(qop.split(',').map((one) => one.trim().toLowerCase()));
  return (['auth', 'auth-int'] as const).find((one) => offered.has(one)) ?? 'unknown';
}

/** Whether a challenge can be answered; `hasBody` says that the body is known before it is sent. */
export function canAnswer(challenge: Challenge, hasBody: boolean): boolean {
  const protection = protectionOf(challenge);
  if (protection === 'unknown' || (protection === 'auth-int' && !hasBody)) return false;
  return memberOf(ALGORITHMS, baseOf(challenge)) !== undefined;
}

/** What the response to a challenge is computed from. */
export interface DigestInput {
  readonly user: string;
  readonly password: string;
  readonly method: string;
  readonly uri: string;
  /** It counts where the service wants it protected. */
  readonly body?: Uint8Array;
  /** How often the nonce of the service has been used, this time included. */
  readonly count: number;
  /** The nonce of the client. */
  readonly nonce: string;
}

/** The Authorization field for a challenge (RFC 7616, section 3.4). */
export function digestField(
  challenge: Challenge,
  { body = new Uint8Array(), user, password, method, uri, count, nonce: clientNonce }: DigestInput,
): string {
  const { parameters } = challenge;
  const algorithm = parameters.get('algorithm');
  const name = ALGORITHMS[baseOf(challenge)]!;
  const hash = (data: string | Uint8Array): string => createHash(name).update(data).digest('hex');
  const realm = parameters.get('realm') ?? '';
  const nonce = parameters.get('nonce') ?? '';
  const opaque = parameters.get('opaque');
  const protection = protectionOf(challenge);
  const qop = protection === 'none' ? undefined : protection;
  const hashesUser = parameters.get('userhash')?.toLowerCase() === 'true';
  const nc = count.toString(16).padStart(8, '0');
  const plain = hash(`${user}:${realm}:${password}`);
  const first = /-sess$/i.test(algorithm ?? '') ? hash(`${plain}:${nonce}:${clientNonce}`) : plain;
  const second = hash(qop === 'auth-int' ? `${method}:${uri}:${hash(body)}` : `${method}:${uri}`);
  const response = hash(
    qop ? [first, nonce, nc, clientNonce, qop, second].join(':') : [first, nonce, second].join(':'),
  );
  const shownUser = hashesUser ? hash(`${user}:${realm}`) : user;
  // A name that is no ASCII goes in the extended notation of RFC 8187.
  const isPlain = /^[\x20-\x7e]*$/.test(shownUser);
  const members = [
    isPlain ? `username="${quoted(shownUser)}"` : `username*=UTF-8''${encodeURIComponent(shownUser)}`,
    `realm="${quoted(realm)}"`,
    `uri="${uri}"`,
    ...(algorithm === undefined ? [] : [`algorithm=${algorithm}`]),
    `nonce="${quoted(nonce)}"`,
    ...(qop ? [`nc=${nc}`, `cnonce="${clientNonce}"`, `qop=${qop}`] : []),
    `response="${response}"`,
    ...(opaque === undefined ? [] : [`opaque="${quoted(opaque)}"`]),
    ...(hashesUser ? ['userhash=true'] : []),
  ];
  return `Digest ${members.join(', ')}`;
}

function quoted(text: string): string {
  return text.replace(/["\\]/g, '\\$&');
}
