import type {
  Authorisation,
  Clock,
  FilledCredential,
  HeaderList,
  Transport,
  UnsignedRequest,
} from '../../core/ports.ts';
import type { KeptTokens } from './kept-tokens.ts';
import type { Person } from './person.ts';

/** What a kind of credential may use. */
export interface SignerPorts {
  readonly transport: Transport;
  readonly clock: Clock;
  readonly person: Person;
  readonly kept: KeptTokens;
}

/** What a kind of credential does. One for a run, for all credentials of the kind. */
export interface CredentialSigner {
  /** What a request carries. Throws `sign-in-refused`, `sign-in-failed`, `bad-insertion`, or a problem of the transport. */
  authorise(
    filled: FilledCredential,
    request: UnsignedRequest,
    signal: AbortSignal,
  ): Authorisation | Promise<Authorisation>;
  /** After a 401 to a request with the headers `sent`: whether another try may help. It doesn't by default. */
  renew?(filled: FilledCredential, challenges: readonly string[], sent: HeaderList): boolean;
  /** A service answered a request with this credential otherwise than with 401. */
  accepted?(name: string): void;
  /** Forgets what is kept of a credential between runs. */
  forget?(filled: FilledCredential): Promise<void>;
}
