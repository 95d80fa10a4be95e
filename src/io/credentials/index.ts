import type { CredentialKind } from '../../core/chain/model.ts';
import type { Authorisation, Clock, Credentials, FilledCredential, Transport } from '../../core/ports.ts';
import { basic } from './basic.ts';
import { bearer } from './bearer.ts';
import { header } from './header.ts';
import type { OAuth2 } from './oauth2.ts';
import { query } from './query.ts';

/** Kinds that need nothing but their own texts. */
const SIMPLE: Readonly<
  Record<Exclude<CredentialKind, 'oauth2'>, (filled: FilledCredential) => Authorisation>
> = { basic, bearer, header, query };

/** All credentials of a run. */
export class RunCredentials implements Credentials {
  readonly #transport: Transport;
  readonly #clock: Clock;
  #oauth2: OAuth2 | undefined;

  constructor(transport: Transport, clock: Clock) {
    this.#transport = transport;
    this.#clock = clock;
  }

  async authorise(filled: FilledCredential, signal: AbortSignal): Promise<Authorisation> {
    const { kind } = filled.credential;
    if (kind !== 'oauth2') return SIMPLE[kind](filled);
    if (!this.#oauth2) {
      const { OAuth2 } = await import('./oauth2.ts');
      this.#oauth2 ??= new OAuth2(this.#transport, this.#clock);
    }
    return this.#oauth2.authorise(filled, signal);
  }

  renew(filled: FilledCredential): boolean {
    return filled.credential.kind === 'oauth2' && (this.#oauth2?.renew(filled) ?? false);
  }
}
