import { type Value, isObject } from '../../core/language/values.ts';

/** A step of a path as a person writes it: `.name`, or `['a name']` where that is no name. */
export function pathStep(name: string): string {
  return /^[A-Za-z_][A-Za-z0-9_]*$/.test(name)
    ? `.${name}`
    : `['${name.replace(/[\\']/g, '\\$&').replace(/[\u0000-\u001f]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`)}']`;
}

/** Every scalar in a value with the path to it. */
export function* scalarsOf(
  value: Value,
  path = '$',
): Generator<readonly [path: string, value: Value, within?: Value]> {
  if (Array.isArray(value)) for (const [i, item] of value.entries()) yield* scalarsOf(item, `${path}[${i}]`);
  else if (isObject(value))
    for (const [name, member] of Object.entries(value)) yield* scalarsOf(member, path + pathStep(name));
  else yield [path, value];
}

/** The names and indexes of a path that {@link scalarsOf} gave. */
export function parsePath(path: string): (string | number)[] {
  return [...path.matchAll(/\.([A-Za-z_]\w*)|\[(\d+)\]|\['((?:[^'\\]|\\.)*)'\]/g)].map(
    ([, name, index, quoted]) =>
      index !== undefined
        ? Number(index)
        : (name ??
          quoted!.replace(/\\u([0-9a-f]{4})|\\(.)/g, (_, code?: string, char?: string) =>
            code === undefined ? char! : String.fromCharCode(parseInt(code, 16)),
          )),
  );
}
