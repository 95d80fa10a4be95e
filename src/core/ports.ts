import type { Credential } from './chain/model.ts';
import type { DigestAlgorithm } from './language/environment.ts';

/** What the engine needs from the world. The core has nothing else of it. */
export interface Ports {
  readonly transport: Transport;
  readonly clock: Clock;
  readonly chance: Chance;
  readonly digests: Digests;
  readonly secrets: Secrets;
  readonly credentials: Credentials;
}

export type HeaderList = readonly (readonly [name: string, value: string])[];

/** A request as it goes over the wire. */
export interface WireRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: HeaderList;
  readonly body?: Uint8Array;
}

/** The parts of a request's time, in milliseconds; those that a kept connection saves are missing. */
export interface Phases {
  /** Looking up the host's name. */
  name?: number;
  /** Connecting. */
  connect?: number;
  /** The TLS handshake. */
  tls?: number;
  /** From sending until the first byte of the answer. */
  firstByte?: number;
  /** From the first byte until the end of the body. */
  body?: number;
}

export type Phase = keyof Phases;

export interface WireAnswer {
  readonly status: number;
  /** Names in lower case, in the order and number in which they came. */
  readonly headers: HeaderList;
  /** Whole and without any content coding. */
  readonly body: Uint8Array;
  readonly phases: Phases;
}

/** Watches one request while it is under way. */
export interface Watch {
  /** Why the request is to end, once that is so. */
  readonly stopped: Error | undefined;
  /** Calls back, once, when the request is to end. */
  onStop(callback: (reason: Error) => void): void;
  /** A phase has begun. */
  phase(phase: Phase): void;
}

export interface Transport {
  /**
   * Sends one request and reads its answer whole. Follows no redirect and repeats nothing. Throws a ProblemError with a
   * code of the transport (`connection-refused`, `unknown-host`, `body-too-large` …), or the reason for which the watch stopped it.
   */
  send(request: WireRequest, watch: Watch): Promise<WireAnswer>;
}

export interface Clock {
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  now(): number;
  /** Milliseconds on a scale that never jumps. */
  elapsed(): number;
  /** Calls back after so many milliseconds, unless the function it gives is called first. */
  timer(milliseconds: number, callback: () => void): () => void;
}

export interface Chance {
  /** From 0 up to, not including, 1. */
  next(): number;
}

export interface Digests {
  /** The SHA-256 digest in hexadecimal digits, by which a body is known. */
  identify(data: Uint8Array): string;
  digest(algorithm: DigestAlgorithm, data: Uint8Array): Uint8Array;
  hmac(algorithm: DigestAlgorithm, key: Uint8Array, data: Uint8Array): Uint8Array;
}

export interface Secrets {
  /** The value of a secret of the project. Throws `secret-missing`. */
  get(name: string): Promise<string>;
}

/** A credential with the texts of its fields, secrets inserted. */
export interface FilledCredential {
  readonly credential: Credential;
  readonly fields: ReadonlyMap<string, string>;
}

/** What a credential adds to a request. */
export interface Authorisation {
  readonly headers: HeaderList;
  readonly query: HeaderList;
  /** Texts that are secret, besides the fields of the credential. */
  readonly secrets: readonly string[];
  /** A token was fetched for this request. */
  readonly signedIn?: SignIn;
}

export interface SignIn {
  readonly scope?: string;
  /** Milliseconds since 1970; nothing where the service does not say. */
  readonly until?: number;
}

export interface Credentials {
  /** Throws `sign-in-refused`, `sign-in-failed` or a problem of the transport. */
  authorise(credential: FilledCredential, signal: AbortSignal): Promise<Authorisation>;
  /** The service answered 401: whether another try with a new token may help. It does so once for each token. */
  renew(credential: FilledCredential): boolean;
}
