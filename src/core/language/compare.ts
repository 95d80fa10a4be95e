import { compareNumbers } from './numbers.ts';
import { Duration, isNumeric, isObject, memberOf, Time, type Value } from './values.ts';

/** Whether two values are the same: numbers by value, lists item by item, objects member by member in any order. */
export function equalValues(a: Value, b: Value): boolean {
  if (a === b) return true;
  if (typeof a === 'string' || typeof a === 'boolean') return false;
  if (isNumeric(a))
    return (typeof a !== 'number' || typeof b !== 'number') && isNumeric(b) && compareNumbers(a, b) === 0;
  if (typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) {
    return Array.isArray(b) && a.length === b.length && a.every((item, i) => equalValues(item, b[i]!));
  }
  if (a instanceof Time) return b instanceof Time && a.milliseconds === b.milliseconds;
  if (a instanceof Duration) return b instanceof Duration && a.milliseconds === b.milliseconds;
  if (a instanceof Uint8Array) {
    return b instanceof Uint8Array && a.length === b.length && a.every((byte, i) => byte === b[i]);
  }
  if (!isObject(a) || !isObject(b)) return false;
  const names = Object.keys(a);
  return (
    names.length === Object.keys(b).length &&
    names.every((name) => {
      const other = memberOf(b, name);
      return other !== undefined && equalValues(a[name]!, other);
    })
  );
}

/** Negative, 0 or positive by the order of code points, which is not that of UTF-16 units. */
export function compareTexts(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const left = a.charCodeAt(i);
    const right = b.charCodeAt(i);
    if (left !== right) return rank(left) - rank(right);
  }
  return a.length - b.length;
}

/** Puts surrogates above all other units, as the code points that they begin are. */
function rank(unit: number): number {
  return unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit;
}

/** The order of two values of one kind; undefined if the kinds differ or have no order. */
export function compareValues(a: Value, b: Value): number | undefined {
  if (isNumeric(a)) return isNumeric(b) ? compareNumbers(a, b) : undefined;
  if (typeof a === 'string') return typeof b === 'string' ? compareTexts(a, b) : undefined;
  if (a instanceof Time) return b instanceof Time ? a.milliseconds - b.milliseconds : undefined;
  if (a instanceof Duration) return b instanceof Duration ? a.milliseconds - b.milliseconds : undefined;
  return undefined;
}
