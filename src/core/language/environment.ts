import type { WarningCode } from '../problem-codes.ts';
import type { Markup } from './markup.ts';
import type { Maybe, Value } from './values.ts';

/** Digest algorithms by their names of the IANA registry for digest fields. */
export const DIGEST_ALGORITHMS = ['sha-256', 'sha-384', 'sha-512', 'sha', 'md5'] as const;
export type DigestAlgorithm = (typeof DIGEST_ALGORITHMS)[number];

/** Where a value is not as a schema wants it: a path of `$`, and what is wrong there. */
export interface Misfit {
  readonly path: string;
  readonly says: string;
}

/** What an expression may ask of the world besides values. */
export interface World {
  /** The current time in milliseconds; the same throughout one request. */
  now(): number;
  /** A number from 0 up to, not including, 1. */
  chance(): number;
  digest(algorithm: DigestAlgorithm, data: Uint8Array): Uint8Array;
  hmac(algorithm: DigestAlgorithm, key: Uint8Array, data: Uint8Array): Uint8Array;
  /** The content of a file below the folder of the chain. Throws `file-not-found`. */
  readonly file?: (path: string) => Uint8Array;
  /** Reads XML and HTML; there where an expression of the file asks for it. */
  readonly markup?: Markup;
  /** Where a value is not as a schema of this name wants it; there where an expression of the chain asks for one. */
  readonly fits?: (value: Value, schema: string) => readonly Misfit[];
  /** The IANA name of the zone in which dates are shown. */
  readonly zone: string;
}

/** Something that is not an error, but that a person should know. */
export interface Warning {
  readonly code: WarningCode;
  readonly message: string;
}

/** What one evaluation sees. */
export interface Environment {
  /** `$` */
  readonly response: Maybe;
  /** The value of a name; undefined if it has none. */
  name(name: string): Maybe;
  /** The value of a name that the chain has given, whatever else is called so. */
  own?(name: string): Maybe;
  readonly world: World;
  /** Where warnings go; without it none are looked for. */
  readonly warn?: ((warning: Warning) => void) | undefined;
  /** Is told what an expression gives that uses a secret. */
  readonly secret?: ((expression: string, value: Value) => void) | undefined;
  /** Is told what a function gives, and of what. */
  readonly derived?: ((args: readonly unknown[], result: Value) => void) | undefined;
  /** How many nodes this evaluation has visited. */
  visited: number;
}

/** The same with some names more, such as those of items or of the arguments of a definition. */
export class WithNames implements Environment {
  readonly #outer: Environment;
  readonly #names: ReadonlyMap<string, Maybe>;

  constructor(outer: Environment, names: ReadonlyMap<string, Maybe>) {
    this.#outer = outer;
    this.#names = names;
  }

  get response(): Maybe {
    return this.#outer.response;
  }

  name(name: string): Maybe {
    return this.#names.has(name) ? this.#names.get(name) : this.#outer.name(name);
  }

  own(name: string): Maybe {
    return this.#names.has(name) ? this.#names.get(name) : this.#outer.own?.(name);
  }

  get world(): World {
    return this.#outer.world;
  }

  get warn(): Environment['warn'] {
    const outer = this.#outer;
    return outer.warn && ((warning) => outer.warn!(warning));
  }

  get secret(): Environment['secret'] {
    const outer = this.#outer;
    return outer.secret && ((expression, value) => outer.secret!(expression, value));
  }

  get derived(): Environment['derived'] {
    const outer = this.#outer;
    return outer.derived && ((args, result) => outer.derived!(args, result));
  }

  get visited(): number {
    return this.#outer.visited;
  }

  set visited(nodes: number) {
    this.#outer.visited = nodes;
  }
}
