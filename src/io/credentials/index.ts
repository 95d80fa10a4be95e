import type { CredentialKind } from '../../core/chain/project.ts';
import type {
  Authorisation,
  Clock,
  Credentials,
  FilledCredential,
  HeaderList,
  Transport,
  UnsignedRequest,
} from '../../core/ports.ts';
import { fail } from '../../core/problems.ts';
import { basic } from './basic.ts';
import { bearer } from './bearer.ts';
import { cookie } from './cookie.ts';
import type { DigestCredentials } from './digest.ts';
import { header } from './header.ts';
import { type KeptTokens, noKeptTokens } from './kept-tokens.ts';
import type { OAuth2 } from './oauth2.ts';
import { type Person, nobody } from './person.ts';
import { query } from './query.ts';

type Simple = (filled: FilledCredential) => Authorisation;

/** Kinds that need nothing but their own texts. */
const SIMPLE: Partial<Record<CredentialKind, Simple>> = { basic, bearer, header, query, cookie };

/** All credentials of a run. */
export class RunCredentials implements Credentials {
  readonly #transport: Transport;
  readonly #clock: Clock;
  readonly #person: Person;
  readonly #kept: KeptTokens;
  #oauth2: OAuth2 | undefined;
  #digest: DigestCredentials | undefined;

  constructor(transport: Transport, clock: Clock, person = nobody, kept = noKeptTokens) {
    this.#transport = transport;
    this.#clock = clock;
    this.#person = person;
    this.#kept = kept;
  }

  async authorise(
    filled: FilledCredential,
    request: UnsignedRequest,
    signal: AbortSignal,
  ): Promise<Authorisation> {
    const { kind, name } = filled.credential;
    const simple = SIMPLE[kind];
    if (simple) return simple(filled);
    switch (kind) {
      case 'oauth2':
        return (await this.#tokens()).authorise(filled, signal);
      case 'digest': {
        const { DigestCredentials } = await import('./digest.ts');
        this.#digest ??= new DigestCredentials();
        return this.#digest.authorise(filled, request);
      }
      case 'message-signature': {
        const { messageSignature } = await import('./message-signature.ts');
        return messageSignature(filled, request, this.#clock.now());
      }
      default:
        return fail('sign-in-failed', `the credential ${name} of kind ${kind} is not sent by itself`);
    }
  }

  accepted(name: string): void {
    this.#oauth2?.accepted(name);
  }

  renew(filled: FilledCredential, challenges: readonly string[], sent: HeaderList): boolean {
    const { kind } = filled.credential;
    if (kind === 'digest') return this.#digest?.renew(filled, challenges) ?? false;
    return kind === 'oauth2' && (this.#oauth2?.renew(filled, sent) ?? false);
  }

  async verify(filled: FilledCredential, request: UnsignedRequest): Promise<string | undefined> {
    const { verifySignature } = await import('./verify-signature.ts');
    return verifySignature(filled, request, this.#clock.now());
  }

  /** Forgets what is kept of a credential between runs. */
  async forget(filled: FilledCredential): Promise<void> {
    if (filled.credential.kind === 'oauth2') await (await this.#tokens()).forget(filled);
  }

  async #tokens(): Promise<OAuth2> {
    const { OAuth2 } = await import('./oauth2.ts');
    return (this.#oauth2 ??= new OAuth2(this.#transport, this.#clock, this.#person, this.#kept));
  }
}
