import type { DescriptionWarning, Ref, Spot } from './document.ts';
import type { Schema } from './json-schema.ts';

/** What a description calls an operation: enough to find it, and to say where it stands. */
export interface OperationHead {
  /** In capitals. */
  readonly method: string;
  /** With `{…}` for what is filled in. */
  readonly path: string;
  readonly id?: string;
  readonly summary?: string;
  readonly tags: readonly string[];
  readonly deprecated: boolean;
  /** Names of its parameters. */
  readonly parameters: readonly string[];
  /** Where it lives, if elsewhere than the others. */
  readonly servers?: readonly string[];
  /** A request that the service sends: its name, or the operation that brings it about. */
  readonly incoming?: string;
  /** Where the path item and the operation stand. */
  readonly item: Ref;
  readonly ref: Ref;
  readonly at: Spot;
}

export interface DescribedParameter {
  readonly name: string;
  readonly in: 'path' | 'query' | 'header' | 'cookie' | 'querystring';
  readonly required: boolean;
  readonly deprecated: boolean;
  readonly about?: string;
  /** How lists and objects are written: `form`, `simple`, `deepObject` …, and whether each item stands alone. */
  readonly style: string;
  readonly explode: boolean;
  readonly schema?: Ref;
  readonly example?: unknown;
  readonly at: Spot;
}

/** A body of one media type. */
export interface DescribedContent {
  /** As written, without parameters and in small letters; may have `*`. */
  readonly type: string;
  readonly schema?: Ref;
  readonly example?: unknown;
}

export interface DescribedBody {
  readonly required: boolean;
  readonly about?: string;
  readonly content: readonly DescribedContent[];
  readonly at: Spot;
}

export interface DescribedHeader {
  readonly name: string;
  readonly required: boolean;
  readonly about?: string;
  readonly schema?: Ref;
  readonly at: Spot;
}

export interface DescribedResponse {
  /** `200`, a class such as `4XX`, or `default`. */
  readonly status: string;
  readonly about?: string;
  readonly headers: readonly DescribedHeader[];
  readonly content: readonly DescribedContent[];
  readonly at: Spot;
}

/** An operation with all that is said of it. */
export interface Operation {
  readonly head: OperationHead;
  readonly about?: string;
  readonly parameters: readonly DescribedParameter[];
  readonly body?: DescribedBody;
  readonly responses: readonly DescribedResponse[];
  /** Sets of schemes, one of which is needed; none at all where nobody has to sign in. */
  readonly security: readonly (readonly SecurityNeed[])[];
}

export interface SecurityNeed {
  readonly scheme: string;
  readonly scopes: readonly string[];
}

/** How a client signs in. */
export interface SecurityScheme {
  readonly name: string;
  readonly type: string;
  readonly in?: string;
  /** The name of the header, parameter or cookie of a key. */
  readonly parameter?: string;
  /** An authentication scheme of HTTP, in small letters. */
  readonly scheme?: string;
  readonly about?: string;
  readonly flows: readonly OAuthFlow[];
  /** Where an OpenID provider describes itself. */
  readonly provider?: string;
}

export interface OAuthFlow {
  readonly kind: string;
  readonly tokenUrl?: string;
  readonly authorizationUrl?: string;
  readonly deviceUrl?: string;
  readonly scopes: readonly string[];
}

/** What is known of a description without reading its operations. */
export interface DescriptionHead {
  /** `3.0`, `3.1` or `3.2`. */
  readonly specification: string;
  readonly title: string;
  readonly version: string;
  readonly operations: readonly OperationHead[];
  /** Where the service lives, variables filled with their defaults. */
  readonly servers: readonly string[];
  readonly schemes: readonly SecurityScheme[];
  /** Names of `components/schemas`. */
  readonly schemas: readonly string[];
  readonly warnings: readonly DescriptionWarning[];
}

/** Which way a value goes: what is read-only is not wanted of a request, what is write-only not of a response. */
export type Direction = 'request' | 'response';

/** A description of a service, whose parts are read when they are asked for. */
export interface Description extends DescriptionHead {
  /** The file, as the project names it. */
  readonly file: string;
  operation(head: OperationHead): Operation;
  schema(ref: Ref, direction: Direction): Schema;
  /** What is written at a place. */
  data(ref: Ref): unknown;
}

/** What a deviation from the description of a service means: the step fails, a warning, or nothing. */
export const CONTRACTS = ['strict', 'warn', 'off'] as const;
export type ContractLevel = (typeof CONTRACTS)[number];
