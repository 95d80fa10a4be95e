import type { CredentialSigner, SignerPorts } from './signer.ts';
import { createHash } from 'node:crypto';
import type { OAuthGrant } from '../../core/chain/keys/credential-keys.ts';
import type {
  Authorisation,
  Clock,
  FilledCredential,
  HeaderList,
  Transport,
  UnsignedRequest,
} from '../../core/ports.ts';
import type { KeptTokens, KeptToken } from './kept-tokens.ts';
import { type Problem, ProblemError } from '../../core/problems.ts';
import { GRANTS, refreshKept, tokenOf } from './oauth2-grants.ts';
import { signInProblem } from './oauth2-problems.ts';
import { type Server, serverOf } from './oauth2-server.ts';
import type { Person } from './person.ts';

/** How long before its end a token is renewed, in milliseconds. */
const EARLY = 30_000;

/** Grants whose tokens are kept between runs: a person had to act, or the next refresh token is needed. */
const KEPT: ReadonlySet<OAuthGrant> = new Set(['device', 'browser', 'refresh-token']);

/** Codes of failures before anything was sent. */
const NOT_SENT: ReadonlySet<Problem['code']> = new Set<Problem['code']>([
  'connection-refused',
  'unknown-host',
]);

interface Current {
  readonly token: KeptToken;
  /** It replaced one that was thrown away after a 401, so a 401 now has another reason. */
  readonly renewed: boolean;
  /** A service has accepted it. */
  worked: boolean;
}

/** Tokens of OAuth 2.0: fetched once for all that asks at the same time, renewed before they end and once after a 401. */
export class OAuth2 implements CredentialSigner {
  readonly #transport: Transport;
  readonly #clock: Clock;
  readonly #person: Person;
  readonly #kept: KeptTokens;
  readonly #current = new Map<string, Current>();
  readonly #underWay = new Map<string, Promise<KeptToken>>();
  /** Tokens that were refused, by their credentials. */
  readonly #refused = new Map<string, string>();

  constructor({ transport, clock, person, kept }: SignerPorts) {
    this.#transport = transport;
    this.#clock = clock;
    this.#person = person;
    this.#kept = kept;
  }

  async authorise(filled: FilledCredential, _: UnsignedRequest, signal: AbortSignal): Promise<Authorisation> {
    const { name } = filled.credential;
    const current = this.#current.get(name);
    if (current && this.#isFresh(current.token)) return authorisation(current.token);
    let fetching = this.#underWay.get(name);
    const first = !fetching;
    if (!fetching) {
      fetching = this.#get(filled, signal).finally(() => this.#underWay.delete(name));
      this.#underWay.set(name, fetching);
    }
    const token = await fetching;
    if (first) this.#current.set(name, { token, renewed: this.#refused.delete(name), worked: false });
    const signedIn = {
      ...(token.scope === undefined ? {} : { scope: token.scope }),
      ...(token.until === undefined ? {} : { until: token.until }),
    };
    return first ? { ...authorisation(token), signedIn } : authorisation(token);
  }

  #isFresh({ until }: KeptToken): boolean {
    return until === undefined || until - EARLY > this.#clock.now();
  }

  /** A service has answered a request with the token of a credential otherwise than with 401. */
  accepted(name: string): void {
    const current = this.#current.get(name);
    if (current) current.worked = true;
  }

  /** `sent` are the fields of the request that was refused. */
  renew({ credential: { name } }: FilledCredential, _: readonly string[], sent: HeaderList): boolean {
    const current = this.#current.get(name);
    // Of requests that were under way with one token the first to be refused renews it for all.
    if (!current || !sent.some(([, value]) => value.includes(current.token.text))) return true;
    if (current.renewed && !current.worked) return false;
    this.#current.delete(name);
    this.#refused.set(name, current.token.text);
    return true;
  }

  /** Forgets what is kept of a credential. */
  async forget(filled: FilledCredential): Promise<void> {
    this.#current.delete(filled.credential.name);
    await this.#kept.remove(keyOf(filled));
  }

  /** A token that is kept, one that its refresh token gives, or a new one. */
  async #get(filled: FilledCredential, signal: AbortSignal): Promise<KeptToken> {
    const grant = filled.fields.get('grant') as OAuthGrant;
    if (!this.#keeps(grant)) return this.#fetch(filled, grant, signal);
    // One process renews, the others wait and take its token: a refresh token that rotates may be used once only.
    return this.#kept.alone(keyOf(filled), () => this.#fetch(filled, grant, signal));
  }

  #keeps(grant: OAuthGrant): boolean {
    return this.#kept.keepsAll ?? KEPT.has(grant);
  }

  async #fetch(filled: FilledCredential, grant: OAuthGrant, signal: AbortSignal): Promise<KeptToken> {
    const keeps = this.#keeps(grant);
    const kept = keeps ? await this.#kept.get(keyOf(filled)) : undefined;
    const refused = this.#refused.get(filled.credential.name);
    if (kept && this.#isFresh(kept) && kept.text !== refused) return kept;
    let server: Server | undefined;
    try {
      server = await serverOf(filled, this.#transport, this.#clock, signal);
      const at = server;
      const next = kept?.refresh;
      const refreshed = next === undefined ? undefined : await this.#using(next, () => refreshKept(at, next));
      const world = { clock: this.#clock, person: this.#person, signal };
      const get = (): ReturnType<(typeof GRANTS)[OAuthGrant]> => GRANTS[grant](filled, at, world);
      const first = grant === 'refresh-token' ? filled.fields.get('refresh-token') : undefined;
      const granted = refreshed ?? (await (first === undefined ? get() : this.#using(first, get)));
      // A service that does not rotate refresh tokens sends none (RFC 6749, section 6).
      const before = refreshed && kept?.refresh !== undefined ? { refresh: kept.refresh } : {};
      const token = { ...before, ...tokenOf(granted, this.#clock.now()) };
      if (keeps && (grant !== 'refresh-token' || token.refresh !== undefined))
        await this.#kept.set(keyOf(filled), token);
      return token;
    } catch (error) {
      throw signInProblem(
        error,
        filled,
        server?.url ?? filled.fields.get('token-url') ?? filled.fields.get('issuer')!,
      );
    }
  }

  /** Uses a refresh token, which may be one that can be used only once (RFC 9700, section 4.14). */
  async #using<T extends { readonly refresh_token?: string } | undefined>(
    token: string,
    work: () => Promise<T>,
  ): Promise<T> {
    await this.#kept.claim?.(token);
    try {
      const granted = await work();
      if (granted && (granted.refresh_token ?? token) === token) await this.#kept.release?.(token);
      return granted;
    } catch (error) {
      if (error instanceof ProblemError && NOT_SENT.has(error.problem.code))
        await this.#kept.release?.(token);
      throw error;
    }
  }
}

function authorisation({ text, refresh: next }: KeptToken): Authorisation {
  return {
    headers: [['authorization', `Bearer ${text}`]],
    query: [],
    secrets: [text, ...(next === undefined ? [] : [next])],
  };
}

/** What a kept token is for: another client, address, scope or refresh token makes it another one. */
function keyOf({ credential, fields }: FilledCredential): string {
  const parts = ['issuer', 'token-url', 'client-id', 'scope', 'audience', 'refresh-token'].map(
    (name) => fields.get(name) ?? '',
  );
  return `${credential.name} ${createHash('sha256').update(JSON.stringify(parts)).digest('hex').slice(0, 16)}`;
}
