import type { Team } from './team-ports.ts';
import type { Credential } from './chain/project.ts';
import type { Schema, Violation } from './contract/json-schema.ts';
import type { DigestAlgorithm } from './language/environment.ts';
import type { Formats } from './format-ports.ts';
import type { Ledger, Opener, RunRecord, Sealer, Secrets } from './keeping-ports.ts';
import type { Value, ValueObject } from './language/values.ts';

export type * from './format-ports.ts';
export type * from './keeping-ports.ts';

/** What the engine needs from the world. The core has nothing else of it. */
export interface Ports {
  readonly transport: Transport;
  readonly clock: Clock;
  readonly chance: Chance;
  readonly digests: Digests;
  readonly secrets: Secrets;
  readonly credentials: Credentials;
  readonly files: Files;
  readonly cookies: Cookies;
  readonly formats: Formats;
  /** Files of rows; without it there are none. */
  readonly rows?: Rows;
  /** Without it nothing can call back. */
  readonly callbacks?: Callbacks;
  /** Without it budgets are not kept. */
  readonly ledger?: Ledger;
  /** The other machines that run the project; without it there are none. */
  readonly team?: Team;
  /** Without it nothing of what came is kept. */
  readonly record?: RunRecord;
  /** Without it secret values are not kept for later runs. */
  readonly sealer?: Sealer;
  /** Opens what other machines of the team have sealed. */
  readonly opener?: Opener;
  /** Loads what holds values to schemas; without it they are not. */
  readonly validator?: () => Promise<Validator>;
  /** The User-Agent of requests that name none. */
  readonly agent?: string;
  /** Asks the person a question; undefined where nobody is there, or without it. */
  readonly confirm?: (question: string) => Promise<boolean | undefined>;
  /** Asks the person for a value; undefined where nobody is there, or without it. One question at a time is up to it. */
  readonly ask?: (question: Question, signal: AbortSignal) => Promise<Answer | undefined>;
}

/** Holds values to schemas (JSON Schema 2020-12). */
export interface Validator {
  /** Whether a value fits. */
  fits(schema: Schema, value: Value): boolean;
  /** Where a value is not as a schema wants it, at most 50 places; none if it fits. */
  violations(schema: Schema, value: Value): readonly Violation[];
}

/** What a person is asked. Its texts are masked. */
export interface Question {
  readonly text: string;
  readonly kind: 'text' | 'number' | 'yes-no' | 'choice' | 'secret';
  /** What can be chosen; the answer is the place of one, from 0. */
  readonly choices?: readonly string[];
  /** The answer where nothing is typed: a text, the place of a choice, yes or no. */
  readonly default?: Answer;
  /** What is wrong with an answer; undefined where it will do. */
  readonly check: (answer: Answer) => string | undefined;
}

/** A text as typed, the place of a choice, or yes or no. */
export type Answer = string | number | boolean;

export type HeaderList = readonly (readonly [name: string, value: string])[];

/** A request as it goes over the wire. */
export interface WireRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: HeaderList;
  readonly body?: Uint8Array | StreamedBody;
  /** How to connect; as default without it. */
  readonly connection?: Connection;
  /**
   * Says, once the head of the response is there, what takes the body while it comes, free of any content coding; the response
   * then has an empty one. Undefined where the body is to be read whole.
   */
  readonly receive?: (head: ResponseHead) => Receiver | undefined;
}

/** Takes a body piece by piece, no faster than its promises resolve. */
export type Receiver = (chunk: Uint8Array) => Promise<void>;

/** What comes of a response before its body. */
export interface ResponseHead {
  readonly status: number;
  /** Names in lower case, in the order and number in which they came. */
  readonly headers: HeaderList;
}

/** A body that is read while it is sent, afresh each time. */
export interface StreamedBody {
  /** In bytes. */
  readonly size: number;
  chunks(): AsyncIterable<Uint8Array>;
}

/** How a service is connected to. */
export interface Connection {
  /** Paths of files, from the folder of `near`. */
  readonly tls?: {
    readonly ca?: string;
    readonly cert?: string;
    readonly key?: string;
    readonly pkcs12?: string;
    /** Opens the key, or the file of PKCS #12. */
    readonly password?: string;
    readonly minVersion?: '1.2' | '1.3';
    readonly verify: boolean;
  };
  /** The URL of a proxy, or `none`; without it the variables of the environment say. */
  readonly proxy?: string;
  /** The host and port to connect to, in place of those of the URL; its name stays in TLS and in Host. */
  readonly address?: string;
  /** The file that says so. */
  readonly near: string;
}

/** The parts of a request's time, in milliseconds; those that a kept connection saves are missing. */
export interface Phases {
  /** Looking up the host's name. */
  name?: number;
  /** Connecting. */
  connect?: number;
  /** The TLS handshake. */
  tls?: number;
  /** From sending until the first byte of the response. */
  firstByte?: number;
  /** From the first byte until the end of the body. */
  body?: number;
}

export type Phase = keyof Phases;

export interface WireResponse extends ResponseHead {
  /** Whole and without any content coding that is known. */
  readonly body: Uint8Array;
  /** Fields that came after the body (RFC 9110, section 6.5). */
  readonly trailers?: HeaderList;
  /** A content coding that is not known, in which the body still is. */
  readonly undecoded?: string;
  readonly phases: Phases;
}

/** A response that broke off. */
export interface PartialResponse extends ResponseHead {
  /** What came of the body, as it got: still in its content coding. */
  readonly body: Uint8Array;
}

/** Watches one request while it is under way. */
export interface Watch {
  /** Why the request is to end, once that is so. */
  readonly stopped: Error | undefined;
  /** Calls back, once, when the request is to end; several may ask for that. */
  onStop(callback: (reason: Error) => void): void;
  /** A phase has begun. */
  phase(phase: Phase): void;
  /** So much of a body that is received chunk by chunk has come, in bytes; of how much, where the response says so. */
  received?: ((bytes: number, of: number | undefined) => void) | undefined;
  /** What has come of a response that is not whole and never will be; said before the request fails. */
  partial?: PartialResponse | undefined;
}

export interface Transport {
  /**
   * Sends one request and reads its response whole. Follows no redirect and repeats nothing. Throws a ProblemError with a
   * code of the transport (`connection-refused`, `unknown-host`, `body-too-large` …), or the reason for which the watch stopped it.
   */
  send(request: WireRequest, watch: Watch): Promise<WireResponse>;
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

/** Files that chains read and write; a relative path begins at the folder of the file `near`. */
export interface Files {
  /** A file, or the bytes of it from an offset up to, not including, another. Throws `file-not-found`. */
  open(
    path: string,
    near: string,
    range?: { readonly from: number; readonly to: number },
  ): Promise<StreamedBody>;
  /** Begins a file under a temporary name beside its real one; folders are made. Throws `file-not-written`. */
  create(path: string, near: string): Promise<FileSink>;
  /**
   * Begins a download that goes on where an earlier one of the same address was cut. Without it each begins anew. Throws
   * `file-not-written`.
   */
  resume?(path: string, near: string, address: string): Promise<ResumableSink>;
  /** The content of a file below the folder of `near`. Throws `file-not-found`. Without it expressions read none. */
  bytes?(path: string, near: string): Uint8Array;
}

/** A file that is downloaded, and may be gone on with where it was cut. */
export interface ResumableSink extends FileSink {
  /** What an earlier download has left, and by which validator it is known (RFC 9110, section 13.1.5). */
  readonly left: { readonly size: number; readonly validator: string } | undefined;
  /** The body begins: behind what was left, or anew. Without a validator nothing can be gone on with later. */
  begin(goesOn: boolean, validator: string | undefined): Promise<void>;
  /** Leaves what has come for a later download. */
  keep(): Promise<void>;
}

export interface FileSink {
  /** Throws `file-not-written`. */
  write(chunk: Uint8Array): Promise<void>;
  /** Returns the file its real name, in place of one that has it. Throws `file-not-written`. */
  commit(): Promise<void>;
  /** Takes the file away. */
  discard(): Promise<void>;
}

/** Files of rows, read one row after the other and written row by row. */
export interface Rows {
  /** CSV with names in its first row, JSON Lines, or a JSON list, by the ending of the path. Throws `file-not-found`. */
  open(path: string, near: string): Promise<RowSource>;
  /**
   * Writes one row into a file, which takes the place of the one before in one move; other rows, columns and line ends stay.
   * Throws `row-not-fitting`, `file-not-written`.
   */
  write(path: string, near: string, row: NewRow): Promise<WrittenRow>;
}

/** A row to be written. Of a file of CSV all values are texts. */
export interface NewRow {
  readonly row: ValueObject;
  /** A row with the same values in these columns is brought up to date. */
  readonly onePer: readonly string[];
  /** Called before the row is added, with the number of rows like it that the file has. */
  readonly before?: (alike: number) => Promise<void>;
  /** It may be there already: it is, where the file has more rows like this one than it had. */
  readonly meant?: { readonly row: ValueObject; readonly alike: number };
}

export interface WrittenRow {
  readonly change: 'added' | 'changed' | 'same';
  /** Which row of the file it is, from 1. */
  readonly nth: number;
}

export interface RowSource {
  /** The next row; nothing at the end. Throws `response-not-as-typed`. */
  next(): ValueObject | undefined | Promise<ValueObject | undefined>;
  /** How much of it has been read, from 0 to 1, where its length is known. */
  share?(): number | undefined;
  close(): Promise<void>;
}

/** A listener for requests that services send. */
export interface Callbacks {
  /**
   * An address of its own for one step. `take` is given each request that comes in and says with which status it is
   * answered. Throws `listener-failed`.
   */
  open(take: (arrived: ArrivedRequest) => Promise<number>): Promise<{ readonly url: string; close(): void }>;
}

export interface ArrivedRequest {
  readonly method: string;
  /** The whole URL as the service used it. */
  readonly url: string;
  readonly headers: HeaderList;
  readonly body: Uint8Array;
}

/** Jars of cookies (RFC 6265), by a key of the engine's. */
export interface Cookies {
  /** The Cookie field for a request; undefined if no cookie fits. */
  header(jar: string, url: string): string | undefined;
  /** Takes the Set-Cookie fields of a response. */
  store(jar: string, url: string, fields: readonly string[]): Promise<void>;
  empty(jar: string): void;
  /** All that are there now, as `store` takes them. */
  all?(): { readonly jar: string; readonly url: string; readonly fields: readonly string[] }[];
}

/** A credential with the texts of its fields, secrets inserted. */
export interface FilledCredential {
  readonly credential: Credential;
  readonly fields: ReadonlyMap<string, string>;
  /** It may go over plain http to another machine. */
  readonly insecure?: boolean;
  /** How the service is connected to, for requests of the sign-in to the same origin. */
  readonly connection?: { readonly origin: string; readonly how: Connection };
}

/** The request that a credential is added to. */
export interface UnsignedRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: HeaderList;
  /** Nothing where there is none, or it is streamed. */
  readonly body?: Uint8Array;
  readonly isStreamed?: boolean;
}

/** What a credential adds to a request. */
export interface Authorisation {
  readonly headers: HeaderList;
  readonly query: HeaderList;
  /** Texts that are secret, besides the fields of the credential. */
  readonly secrets: readonly string[];
  /** Texts that were computed from a secret for just this request. */
  readonly computed?: readonly string[];
  /** A token was fetched for this request. */
  readonly signedIn?: SignIn;
}

export interface SignIn {
  readonly scope?: string;
  /** Milliseconds since 1970; undefined if the service does not say. */
  readonly until?: number;
}

export interface Credentials {
  /** Throws `sign-in-refused`, `sign-in-failed` or a problem of the transport. */
  authorise(
    credential: FilledCredential,
    request: UnsignedRequest,
    signal: AbortSignal,
  ): Promise<Authorisation>;
  /**
   * The service answered 401 to a request with the fields `sent`: whether another try may help, with a new token (once for
   * each that was never accepted) or with what the service
   * asked for in its WWW-Authenticate fields.
   */
  renew(credential: FilledCredential, challenges: readonly string[], sent: HeaderList): boolean;
  /**
   * Why a credential of a kind can't answer what WWW-Authenticate fields ask for, as what follows "the service"; undefined where
   * it can, or where nothing tells.
   */
  whyUnanswered?(kind: string, challenges: readonly string[]): string | undefined;
  /** A service answered a request with this credential otherwise than with 401. */
  accepted(name: string): void;
  /** Why a request is not signed with a credential of kind message-signature; undefined if it is. */
  verify(credential: FilledCredential, request: UnsignedRequest): Promise<string | undefined>;
}
