/** A number with its noun: "1 request", "3 requests"; `many` where the plural is not made with an s. */
export function countOf(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`;
}
