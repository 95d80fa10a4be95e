import type { ContractLevel, Description } from '../contract/description.ts';
import type { Schema } from '../contract/json-schema.ts';
import type { Shapes } from '../contract/shapes.ts';
import type { Kind } from '../language/kinds.ts';
import type { OwnFunction } from '../language/tree.ts';
import type { Place } from '../problems.ts';
import type {
  CarriedCredentials,
  Expectation,
  Field,
  Parameter,
  PlacedExpression,
  Retry,
  Template,
  Timeouts,
  Typed,
} from './model.ts';

export interface Service extends CarriedCredentials {
  readonly name: string;
  /** `practice` stands for the practice service, which is started with the run. */
  readonly url: Template | 'practice';
  readonly headers: readonly Field[];
  /** Parameters of each of its requests, where a call does not set them itself. */
  readonly query: readonly Parameter[];
  readonly timeouts: Timeouts;
  /** What holds for each of its calls. */
  readonly expect: readonly Expectation[];
  readonly retry?: Retry;
  readonly pace?: PaceSetting;
  readonly tls?: Tls;
  readonly proxy?: Template;
  /** Where it is connected to, if not where its URL says: a host and a port. */
  readonly address?: Template;
  readonly redirects?: number;
  /** A credential may go to it over plain http. */
  readonly insecure: boolean;
  /** Names of the secrets that its texts insert, and of those in its URL; `*` where one inserts them all. */
  readonly secrets: ReadonlySet<string>;
  readonly urlSecrets: ReadonlySet<string>;
  /** Where its description is. */
  readonly description?: DescriptionSetting;
  /** What a deviation from the description means; without it `warn`. */
  readonly contract?: ContractLevel;
  readonly at: Place;
}

export interface DescriptionSetting {
  /** A path that begins at the folder of the project file, or a URL. */
  readonly from: string;
  readonly at: Place;
}

/** The descriptions of a project's services, each read when it is first asked for. */
export interface Descriptions {
  /** That of a service; undefined if there is none, or none that can be read. */
  of(service: string): Description | undefined;
}

/** How fast a service may be asked. */
export interface PaceSetting {
  /** So many calls in so many milliseconds. */
  readonly rate?: { readonly count: number; readonly period: number };
  /** How many of them may go at the same moment. */
  readonly burst: number;
  readonly atOnce?: number;
  readonly budget?: { readonly count: number; readonly period: 'hour' | 'day' };
}

/** How a service proves who it is, and the client to it; texts are paths of PEM files. */
/** The oldest version of TLS that can be asked for is the oldest that is spoken at all. */
export const TLS_VERSIONS = ['1.2', '1.3'] as const;
export type TlsVersion = (typeof TLS_VERSIONS)[number];

export interface Tls {
  readonly ca?: Template;
  readonly cert?: Template;
  readonly key?: Template;
  /** A file of PKCS #12, with the certificate and its key. */
  readonly pkcs12?: Template;
  /** What opens the key, or the file of PKCS #12. */
  readonly keyPassword?: Template;
  readonly minVersion?: TlsVersion;
  /** False: the certificate of the service is not looked at. */
  readonly verify: boolean;
}

export interface Credential {
  readonly name: string;
  readonly kind: string;
  /** Its other keys, as texts with insertions. */
  readonly fields: ReadonlyMap<string, Template>;
  /** Origins to which it may go besides those of its services. */
  readonly origins: ReadonlySet<string>;
  /** A request with which it is tried: `GET kiln /me`. */
  readonly test?: string;
  /** A recipe: names for one request, and fields that are computed from it. */
  readonly recipe?: Recipe;
  /** Another chain signs in; its results are what is sent. */
  readonly signIn?: SignInChain;
  /** Names of the secrets that its texts insert; `*` where one inserts them all. */
  readonly secrets: ReadonlySet<string>;
  readonly at: Place;
}

export interface Recipe {
  readonly let: readonly { readonly name: string; readonly value: PlacedExpression }[];
  readonly headers: readonly Field[];
}

export interface SignInChain {
  /** The path of the chain file, as written. */
  readonly file: string;
  readonly inputs: readonly (readonly [string, Typed])[];
  /** The fields that are sent; names of results stand in insertions. */
  readonly headers: readonly Field[];
  readonly renewWhen?: PlacedExpression;
}

export const SECRET_SOURCES = ['env', 'file', 'command', 'ask', 'locked'] as const;

export interface SecretSource {
  readonly name: string;
  readonly from: (typeof SECRET_SOURCES)[number];
  /** The name of the variable, the path, the command, the question, or the name under which it is locked. */
  readonly where: string;
  readonly at: Place;
}

export const GUARDS = ['none', 'ask', 'reads-only'] as const;
export type Guard = (typeof GUARDS)[number];

export interface Project {
  /** Where the file stands; nothing without one. */
  readonly file?: string;
  /** What it defines for all chains. */
  readonly functions: ReadonlyMap<string, OwnFunction>;
  readonly services: ReadonlyMap<string, Service>;
  readonly credentials: ReadonlyMap<string, Credential>;
  readonly secrets: ReadonlyMap<string, SecretSource>;
  readonly environments: readonly string[];
  /** The one that is in force. */
  readonly environment?: string;
  /** What keeps requests that are not safe from being sent, in the environment that is in force. */
  readonly guard: Guard;
  readonly values: ReadonlyMap<string, Typed>;
  readonly zone: string;
  /** Names of members whose values are secrets besides the default ones, and such as are not. */
  readonly mask: { readonly also: ReadonlySet<string>; readonly never: ReadonlySet<string> };
  /** Some expression reads XML. */
  readonly readsMarkup: boolean;
  /** The shapes that it defines for all chains. */
  readonly shapes: Shapes;
  /** The schemas that its own expressions hold values to, by the names that they say. */
  readonly schemas: ReadonlyMap<string, Schema>;
  /** Where the listener for callbacks is, and where services elsewhere reach it. */
  readonly callbacks?: CallbackSetting;
  /** The machines that share pace, budgets, tokens and work. */
  readonly team?: TeamSetting;
  readonly descriptions?: Descriptions;
  /** The kinds of responses are not taken from descriptions. */
  readonly ignoresDescribedKinds?: true;
  /** The kind of the latest recorded response of a step, which a description says less surely. */
  readonly recordedKinds?: (file: string, address: string) => Kind | undefined;
  /** How many runs are recorded at most, and how much they may take, in bytes. */
  readonly records?: { readonly runs?: number; readonly size?: number };
}

export interface CallbackSetting {
  readonly host: string;
  readonly port: number;
  readonly publicUrl?: string;
}

export const TEAM_WITHOUT = ['stop', 'go-on'] as const;

/** Where the machines of a team share what holds for all of them. */
export interface TeamSetting {
  /** The URL of Redis or Valkey. */
  readonly redis: Template;
  /** What is stored there is sealed with it. */
  readonly key: Template;
  /** The path of a PEM file that is trusted besides what the system trusts, from the folder of the project file. */
  readonly ca?: string;
  /** What a run that has begun does while it is away. */
  readonly without: (typeof TEAM_WITHOUT)[number];
  /** After how long a machine that says nothing counts as lost, in milliseconds. */
  readonly lease: number;
  /** A folder that all machines see under one path: files that are saved there stay there. */
  readonly sharedFolder?: string;
  /** Names of the secrets that its texts insert. */
  readonly secrets: ReadonlySet<string>;
  readonly at: Place;
}
