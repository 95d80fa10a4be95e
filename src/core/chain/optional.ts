/** A member of an object that is left out where it has no value. */
export function optional<K extends string, T>(key: K, value: T | undefined): Partial<Record<K, T>> {
  return value === undefined ? {} : ({ [key]: value } as Record<K, T>);
}

/** An object of which members may be undefined, as one of which they may be missing. */
type Compact<T> = { [K in keyof T as undefined extends T[K] ? never : K]: T[K] } & {
  [K in keyof T as undefined extends T[K] ? K : never]?: Exclude<T[K], undefined>;
};

/** A copy without the members that are undefined; cheaper than {@link optional} for each of many. */
export function compact<T extends object>(object: T): Compact<T> {
  const result: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(object)) if (value !== undefined) result[key] = value;
  return result as Compact<T>;
}
