import type { Environment } from '../environment.ts';
import { ANY, BIT, type Kind } from '../kinds.ts';
import type { Numeric } from '../numbers.ts';
import type { Duration, Maybe, Time, Value, ValueObject } from '../values.ts';

/** How an argument reaches a function. */
export type Passing =
  /** Its value; where it is nothing the function is not called and gives nothing. */
  | 'value'
  /** Its value or nothing. */
  | 'maybe'
  /** The nodes that a path finds, as a list. */
  | 'nodes'
  /** A function that evaluates it when asked. */
  | 'later'
  /** A function from an item (`@`) to a value. */
  | 'each'
  /** A function from an item (`@`) to true, false or nothing. */
  | 'test'
  /** True, false or nothing. */
  | 'condition'
  /** A name, or a function that finds the places of what a path on `@` finds. */
  | 'name or path';

/** The names and indexes that lead to a part of a value. */
export type Location = readonly (string | number)[];

/** Finds the places of parts of a value. */
export type FindPlaces = (value: Value) => readonly Location[];

export interface FunctionParameter<T = unknown> {
  readonly name: string;
  readonly passing: Passing;
  /** The kinds it takes, as bits. */
  readonly bits: number;
  readonly optional?: boolean;
  readonly repeats?: boolean;
  /** A literal here is looked at by `check`. */
  readonly literal?:
    'pattern' | 'digest' | 'date-pattern' | 'format' | 'zone' | { readonly oneOf: readonly string[] };
  /** Carries the type of the argument and is never there. */
  readonly type?: T;
}

export interface FunctionDefinition {
  readonly name: string;
  readonly family: string;
  readonly about: string;
  readonly parameters: readonly FunctionParameter[];
  /** What it gives, from the kinds of its arguments. */
  readonly returns: (kinds: readonly Kind[]) => Kind;
  /** Expressions with their results as JSON; `undefined` stands for nothing. The tests run them. */
  readonly examples: readonly (readonly [expression: string, result: string])[];
  readonly evaluate: (environment: Environment, args: readonly unknown[]) => Maybe;
}

type Arguments<P extends readonly FunctionParameter[]> = {
  [I in keyof P]: P[I] extends FunctionParameter<infer T> ? T : never;
};

interface Definition<P extends readonly FunctionParameter[]> {
  about: string;
  parameters: readonly [...P];
  returns: Kind | ((kinds: readonly Kind[]) => Kind);
  examples: readonly (readonly [string, string])[];
  evaluate: (args: Arguments<P>, environment: Environment) => Maybe;
}

/** Defines one function; its parameters say which types its arguments have. */
export function define<const P extends readonly FunctionParameter[]>(
  family: string,
  name: string,
  { evaluate, returns, ...rest }: Definition<P>,
): FunctionDefinition {
  return {
    ...rest,
    name,
    family,
    returns: typeof returns === 'function' ? returns : () => returns,
    evaluate: (environment, args) => evaluate(args as Arguments<P>, environment),
  };
}

const parameter =
  <T>(bits: number, passing: Passing = 'value') =>
  (name: string, more: Pick<FunctionParameter, 'literal'> = {}): FunctionParameter<T> => ({
    name,
    passing,
    bits,
    ...more,
  });

export const takes = {
  any: parameter<Value>(ANY.bits),
  maybe: parameter<Maybe>(ANY.bits, 'maybe'),
  text: parameter<string>(BIT.text),
  number: parameter<Numeric>(BIT.number),
  list: parameter<Value[]>(BIT.list),
  object: parameter<ValueObject>(BIT.object),
  time: parameter<Time>(BIT.time),
  duration: parameter<Duration>(BIT.duration),
  bytes: parameter<Uint8Array>(BIT.bytes),
  textOrBytes: parameter<string | Uint8Array>(BIT.text | BIT.bytes),
  textOrList: parameter<string | Value[]>(BIT.text | BIT.list),
  textOrNumber: parameter<string | Numeric>(BIT.text | BIT.number),
  timeOrNumber: parameter<Time | Numeric>(BIT.time | BIT.number),
  listOrObject: parameter<Value[] | ValueObject>(BIT.list | BIT.object),
  nodes: parameter<Value[]>(ANY.bits, 'nodes'),
  later: parameter<() => Maybe>(ANY.bits, 'later'),
  each: parameter<(item: Value) => Maybe>(ANY.bits, 'each'),
  test: parameter<(item: Value) => boolean | undefined>(BIT['yes or no'], 'test'),
  condition: parameter<boolean | undefined>(BIT['yes or no'], 'condition'),
  nameOrPath: parameter<string | FindPlaces>(BIT.text, 'name or path'),
};

export function optionalParameter<T>(inner: FunctionParameter<T>): FunctionParameter<T | undefined> {
  return { ...inner, optional: true };
}

/** Any number of further arguments; the function sees each as an argument of its own. */
export function repeated<T>(inner: FunctionParameter<T>): FunctionParameter<T> {
  return { ...inner, optional: true, repeats: true };
}

/** `name(first, second?)` for messages and documentation. */
export function signature({ name, parameters }: FunctionDefinition): string {
  const list = parameters.map((p) => p.name + (p.repeats ? '…' : p.optional ? '?' : ''));
  return `${name}(${list.join(', ')})`;
}
