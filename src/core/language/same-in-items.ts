/** What is said of a place in a value, and in how many more items of lists it is so. */
export interface SaidOfPlace {
  readonly path: string;
  readonly says: string;
  readonly also?: number;
}

/** The same that is said of several items of a list as one, with how many more there are. */
export function sameInItems<T extends SaidOfPlace>(found: readonly T[]): T[] {
  const byPlace = new Map<string, T>();
  for (const one of found) {
    const key = `${one.path.replace(/\[\d+\]/g, '[*]')} ${one.says}`;
    const first = byPlace.get(key);
    byPlace.set(key, first ? { ...first, also: (first.also ?? 0) + 1 } : one);
  }
  return [...byPlace.values()];
}

/** That sentence: "$.pieces[0].price is a text, number wanted, and so in 2 more items". */
export function saidOfPlace({ path, says, also }: SaidOfPlace): string {
  return `${path} ${says}${also === undefined ? '' : `, and so in ${also} more ${also === 1 ? 'item' : 'items'}`}`;
}
