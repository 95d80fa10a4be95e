export function explain(_word: string | undefined, _options: { all?: boolean }): 0 {
  return 0;
}
