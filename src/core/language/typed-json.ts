import { decodeBase64, encodeBase64 } from './encodings.ts';
import { parseJson, writeJson } from './json.ts';
import { Exact } from './numbers.ts';
import {
  Duration,
  isObject,
  memberOf,
  membersOf,
  objectOf,
  Time,
  type Value,
  type ValueObject,
} from './values.ts';

/**
 * Writes any value as JSON from which `readTyped` makes the same one: a time, a duration and bytes as an object with one
 * member, `$time`, `$duration` (both in milliseconds) or `$bytes` (base64); an object that looks like one of these as
 * `{"$object": …}`.
 */
export function writeTyped(value: Value): string {
  return writeJson(isSimple(value) ? value : tag(value));
}

/** Whether JSON as it is says all of a value. */
export function isSimple(value: Value): boolean {
  if (typeof value !== 'object' || value === null || value instanceof Exact) return true;
  if (Array.isArray(value)) return value.every(isSimple);
  if (!isObject(value)) return false;
  for (const name in value) if (name.startsWith('$') || !isSimple(value[name]!)) return false;
  return true;
}

function tag(value: Value): Value {
  if (value instanceof Time) return { $time: value.milliseconds };
  if (value instanceof Duration) return { $duration: value.milliseconds };
  if (value instanceof Uint8Array) return { $bytes: encodeBase64(value) };
  if (Array.isArray(value)) return value.map(tag);
  if (!isObject(value)) return value;
  const tagged = objectOf(membersOf(value).map(([name, member]) => [name, tag(member)]));
  return tagOf(tagged) === undefined ? tagged : { $object: tagged };
}

const TAGS: ReadonlySet<string> = new Set(['$time', '$duration', '$bytes', '$object']);

function tagOf(value: ValueObject): string | undefined {
  const [name, ...others] = Object.keys(value);
  return name !== undefined && others.length === 0 && TAGS.has(name) ? name : undefined;
}

/** Reads what `writeTyped` wrote. Throws `not-json`. */
export function readTyped(text: string): Value {
  const value = parseJson(text);
  return text.includes('"$') ? untag(value) : value;
}

function untag(value: Value): Value {
  if (Array.isArray(value)) return value.map(untag);
  if (!isObject(value)) return value;
  const name = tagOf(value);
  const inner = name === undefined ? undefined : memberOf(value, name)!;
  if (name === '$time' && typeof inner === 'number') return new Time(inner);
  if (name === '$duration' && typeof inner === 'number') return new Duration(inner);
  if (name === '$bytes' && typeof inner === 'string') return decodeBase64(inner) ?? new Uint8Array();
  const object = name === '$object' && isObject(inner) ? inner : value;
  return objectOf(membersOf(object).map(([own, member]) => [own, untag(member)]));
}
