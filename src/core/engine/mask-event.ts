const UNMASKED: ReadonlySet<string> = new Set([
  'event',
  'digest',
  'hash',
  'outcome',
  'code',
  'run',
  'sealed',
]);

/** A copy with every text in it masked, but for the fields that hold words of ours. */
export function maskAll<T>(value: T, mask: (text: string) => string): T {
  if (typeof value === 'string') return mask(value) as T;
  if (Array.isArray(value)) return value.map((item: unknown) => maskAll(item, mask)) as T;
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([name, member]) => [
      name,
      UNMASKED.has(name) ? (member as unknown) : maskAll<unknown>(member, mask),
    ]),
  ) as T;
}
