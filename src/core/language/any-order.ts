import { fullDigits } from './numbers.ts';
import { isNumeric, isObject, membersOf, type Value } from './values.ts';
import { writeJson } from './json.ts';

/**
 * A text that two values share when they are equal, the order of items in lists and of members in objects left out of
 * account. Numbers are told apart by value.
 */
export function orderless(value: Value): string {
  if (Array.isArray(value)) return `[${value.map(orderless).sort().join(',')}]`;
  if (isObject(value)) {
    const members = membersOf(value).map(([name, member]) => `${JSON.stringify(name)}:${orderless(member)}`);
    return `{${members.sort().join(',')}}`;
  }
  if (isNumeric(value)) return plainDigits(fullDigits(value));
  return typeof value === 'object' && value !== null
    ? `${value.constructor.name} ${writeJson(value)}`
    : writeJson(value);
}

/** 1.50 and 1.5 are one number, and so are 0 and -0. */
function plainDigits(text: string): string {
  const plain = text.includes('.') ? text.replace(/\.?0+$/, '') : text;
  return plain === '-0' ? '0' : plain;
}

export function equalInAnyOrder(a: Value, b: Value): boolean {
  return orderless(a) === orderless(b);
}

/** The items that only one of two lists holds, each as often as it does so. */
export function itemsApart(
  a: readonly Value[],
  b: readonly Value[],
): { readonly left: Value[]; readonly right: Value[] } {
  const counts = new Map<string, number>();
  for (const item of b) counts.set(orderless(item), (counts.get(orderless(item)) ?? 0) + 1);
  const left = a.filter((item) => {
    const key = orderless(item);
    const count = counts.get(key) ?? 0;
    if (count > 0) counts.set(key, count - 1);
    return count === 0;
  });
  const right = b.filter((item) => {
    const key = orderless(item);
    const count = counts.get(key) ?? 0;
    if (count > 0) counts.set(key, count - 1);
    return count > 0;
  });
  return { left, right };
}
