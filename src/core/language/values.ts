import { Exact, type Numeric } from './numbers.ts';

/** An instant, in milliseconds since 1970-01-01T00:00:00Z. */
export class Time {
  readonly #milliseconds: number;

  constructor(milliseconds: number) {
    this.#milliseconds = milliseconds;
  }

  get milliseconds(): number {
    return this.#milliseconds;
  }
}

/** A length of time in milliseconds; may be negative. */
export class Duration {
  readonly #milliseconds: number;

  constructor(milliseconds: number) {
    this.#milliseconds = milliseconds;
  }

  get milliseconds(): number {
    return this.#milliseconds;
  }
}

export interface ValueObject {
  [name: string]: Value;
}

export type Value = null | boolean | string | Numeric | Time | Duration | Uint8Array | Value[] | ValueObject;

/** What an expression gives: a value, or nothing (`undefined`), which is not null. */
export type Maybe = Value | undefined;

export type KindName =
  'nothing' | 'null' | 'yes or no' | 'number' | 'text' | 'list' | 'object' | 'time' | 'duration' | 'bytes';

/** The kind of a value, as `kind()` and messages name it. */
export function kindOf(value: Maybe): KindName {
  switch (typeof value) {
    case 'undefined':
      return 'nothing';
    case 'string':
      return 'text';
    case 'number':
      return 'number';
    case 'boolean':
      return 'yes or no';
    default:
      if (value === null) return 'null';
      if (Array.isArray(value)) return 'list';
      if (value instanceof Exact) return 'number';
      if (value instanceof Time) return 'time';
      if (value instanceof Duration) return 'duration';
      if (value instanceof Uint8Array) return 'bytes';
      return 'object';
  }
}

/** An object whose members are looked up by name, as opposed to every other value that JavaScript calls an object. */
export function isObject(value: Maybe): value is ValueObject {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Exact) &&
    !(value instanceof Time) &&
    !(value instanceof Duration) &&
    !(value instanceof Uint8Array)
  );
}

export function isNumeric(value: Maybe): value is Numeric {
  return typeof value === 'number' || value instanceof Exact;
}

/** A member that the object itself has; what it inherits does not count. */
export function memberOf<T>(object: { readonly [name: string]: T }, name: string): T | undefined {
  return Object.hasOwn(object, name) ? object[name] : undefined;
}

/** The order of members where JavaScript has another: it puts names that are digits first. */
const orders = new WeakMap<object, string[]>();

/** Whether JavaScript takes a name for an index, and so out of its order. */
function isIndex(name: string): boolean {
  const code = name.charCodeAt(0);
  return code >= 48 && code <= 57 && /^(?:0|[1-9][0-9]{0,9})$/.test(name);
}

/** The names of an object's members, in the order in which they were set or came. */
export function namesOf(object: ValueObject): string[] {
  const names = Object.keys(object);
  return names.length > 1 && isIndex(names[0]!) ? (orders.get(object) ?? names) : names;
}

/** The members of an object, in their order. */
export function membersOf(object: ValueObject): [string, Value][] {
  return namesOf(object).map((name) => [name, object[name]!]);
}

/** Whether the order of members is another than that in which JavaScript goes through them. */
export function hasOwnOrder(object: ValueObject): boolean {
  return orders.has(object);
}

/** Sets a member, also one named `__proto__`. */
export function setMember(object: ValueObject, name: string, value: Value): void {
  const order = orders.get(object);
  if (order) {
    if (!Object.hasOwn(object, name)) order.push(name);
  } else if (isIndex(name) && !Object.hasOwn(object, name)) {
    // In the order of JavaScript it would come before what is there.
    orders.set(object, [...Object.keys(object), name]);
  }
  if (name === '__proto__') {
    Object.defineProperty(object, name, { value, enumerable: true, configurable: true, writable: true });
  } else {
    object[name] = value;
  }
}

/** An object of the given members, in their order. */
export function objectOf(members: Iterable<readonly [string, Value]>): ValueObject {
  const object: ValueObject = {};
  for (const [name, value] of members) setMember(object, name, value);
  return object;
}
