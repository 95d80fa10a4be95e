import { countOf } from '../count-of.ts';
import { equalValues } from './compare.ts';
import { withoutSecrets } from './hidden.ts';
import { brief } from './show.ts';
import { isObject, membersOf, type Value } from './values.ts';

/** Where two texts differ this much of each is shown around. */
const AROUND = 12;

/** Texts and compositions that are shown whole where both take no more characters. */
const SHORT = 60;

/**
 * Where two values differ that are of one kind, for a message: "they differ at [149].ok: true and false", or the first member, item or character in which they do. Nothing where
 * both are short enough to be seen whole, or of different kinds.
 */
export function differenceOf(left: Value, right: Value): string | undefined {
  if (Math.max(brief(left, 1000).length, brief(right, 1000).length) <= SHORT) return undefined;
  const found = differAt(left, right, '');
  return found !== undefined && /^(?:at|from) /.test(found) ? `they differ ${found}` : found;
}

function differAt(left: Value, right: Value, path: string): string | undefined {
  if (Array.isArray(left) && Array.isArray(right)) return listsDiffer(left, right, path);
  if (isObject(left) && isObject(right)) {
    const missing = membersOf(left).find(([name]) => !Object.hasOwn(right, name));
    if (missing) return `only the left one has ${at(path, missing[0])}: ${brief(missing[1], 60)}`;
    const more = membersOf(right).find(([name]) => !Object.hasOwn(left, name));
    if (more) return `only the right one has ${at(path, more[0])}: ${brief(more[1], 60)}`;
    const other = membersOf(left).find(([name, member]) => !equalValues(member, right[name]!));
    return other && differAt(other[1], right[other[0]]!, at(path, other[0]));
  }
  if (typeof left === 'string' && typeof right === 'string') return textsDiffer(left, right, path);
  return `${path === '' ? '' : `at ${path}: `}${brief(left, 60)} and ${brief(right, 60)}`;
}

function listsDiffer(left: readonly Value[], right: readonly Value[], path: string): string | undefined {
  const index = left.findIndex((item, i) => i >= right.length || !equalValues(item, right[i]!));
  if (left.length === right.length && index >= 0 && left.length <= 1000 && isReordered(left, right))
    return `${path === '' ? 'they hold' : `at ${path} they hold`} the same items in another order, from [${index}] on`;
  if (index >= 0 && index < right.length) return differAt(left[index]!, right[index]!, `${path}[${index}]`);
  const [longer, shorter, side] = left.length > right.length ? [left, right, 'left'] : [right, left, 'right'];
  if (longer.length === shorter.length) return undefined;
  const more = longer.length - shorter.length;
  return `the ${side} one has ${countOf(more, 'item')} more${path === '' ? '' : ` at ${path}`}, the first [${shorter.length}]: ${brief(longer[shorter.length], 60)}`;
}

function isReordered(left: readonly Value[], right: readonly Value[]): boolean {
  const rest = [...right];
  return left.every((item) => {
    const i = rest.findIndex((other) => equalValues(item, other));
    if (i >= 0) rest.splice(i, 1);
    return i >= 0;
  });
}

function textsDiffer(one: string, other: string, path: string): string {
  // Before anything is cut: a part of a secret is not known as one.
  const [left, right] = [withoutSecrets(one), withoutSecrets(other)];
  if (left === right) return `${where(path)}in what is secret`;
  let i = 0;
  while (i < left.length && left[i] === right[i]) i++;
  const part = (text: string): string => {
    const from = Math.max(0, i - AROUND);
    const cut = brief(text.slice(from, i + AROUND), AROUND * 2 + 2).slice(1, -1);
    return `'${from > 0 ? '…' : ''}${cut}${i + AROUND < text.length ? '…' : ''}'`;
  };
  return `${where(path)}from character ${i + 1} on ${part(left)} and ${part(right)}`;
}

function at(path: string, name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? (path === '' ? name : `${path}.${name}`) : `${path}['${name}']`;
}

function where(path: string): string {
  return path === '' ? '' : `at ${path} `;
}
