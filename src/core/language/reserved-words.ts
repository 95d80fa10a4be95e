/** Words of the grammar. */
export const RESERVED_WORDS: ReadonlySet<string> = new Set([
  'true',
  'false',
  'null',
  'nothing',
  'in',
  'and',
  'or',
  'not',
]);

/** Whether a word can't be a name because the grammar uses it, or wants to warn of it. */
export function isReservedWord(word: string): boolean {
  return RESERVED_WORDS.has(word);
}
