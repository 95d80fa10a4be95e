import type { CredentialKind } from '../../core/chain/keys/credential-keys.ts';
import { memberOf } from '../../core/language/values.ts';
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
import { header } from './header.ts';
import { noKeptTokens } from './kept-tokens.ts';
import { nobody } from './person.ts';
import { query } from './query.ts';
import { whyUnanswered } from './unanswered.ts';
import type { CredentialSigner, SignerPorts } from './signer.ts';

type MakeSigner = (ports: SignerPorts) => CredentialSigner | Promise<CredentialSigner>;

/** A kind that needs nothing but its own texts. */
const simple =
  (authorise: (filled: FilledCredential) => Authorisation): MakeSigner =>
  () => ({ authorise });

/** What each kind does; those that a recipe or a chain signs are the engine's. */
const SIGNERS: Readonly<Record<Exclude<CredentialKind, 'recipe' | 'chain'>, MakeSigner>> = {
  basic: simple(basic),
  bearer: simple(bearer),
  header: simple(header),
  query: simple(query),
  cookie: simple(cookie),
  digest: async () => new (await import('./digest.ts')).DigestCredentials(),
  oauth2: async (ports) => new (await import('./oauth2.ts')).OAuth2(ports),
  'message-signature': async (ports) => (await import('./message-signature.ts')).messageSigner(ports),
};

/** All credentials of a run. */
export class RunCredentials implements Credentials {
  readonly #ports: SignerPorts;
  readonly #signers = new Map<string, CredentialSigner>();

  constructor(transport: Transport, clock: Clock, person = nobody, kept = noKeptTokens) {
    this.#ports = { transport, clock, person, kept };
  }

  async authorise(
    filled: FilledCredential,
    request: UnsignedRequest,
    signal: AbortSignal,
  ): Promise<Authorisation> {
    return (await this.#signer(filled)).authorise(filled, request, signal);
  }

  accepted(name: string): void {
    for (const signer of this.#signers.values()) signer.accepted?.(name);
  }

  renew(filled: FilledCredential, challenges: readonly string[], sent: HeaderList): boolean {
    return this.#signers.get(filled.credential.kind)?.renew?.(filled, challenges, sent) ?? false;
  }

  whyUnanswered(kind: string, challenges: readonly string[]): string | undefined {
    return whyUnanswered(kind, challenges);
  }

  async verify(filled: FilledCredential, request: UnsignedRequest): Promise<string | undefined> {
    const { verifySignature } = await import('./verify-signature.ts');
    return verifySignature(filled, request, this.#ports.clock.now());
  }

  /** Forgets what is kept of a credential between runs. */
  async forget(filled: FilledCredential): Promise<void> {
    await (await this.#signer(filled)).forget?.(filled);
  }

  /** The one that signs for a kind; it is made, and its code loaded, when the first request needs it. */
  async #signer({ credential: { kind, name } }: FilledCredential): Promise<CredentialSigner> {
    const make = memberOf<MakeSigner>(SIGNERS, kind);
    if (!make)
      return fail('sign-in-failed', `the credential ${name} of kind ${kind} does not sign by itself`);
    let signer = this.#signers.get(kind);
    if (!signer) {
      const made = await make(this.#ports);
      // Another request may have made it meanwhile.
      signer = this.#signers.get(kind) ?? made;
      this.#signers.set(kind, signer);
    }
    return signer;
  }
}
