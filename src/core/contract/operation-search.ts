import type { Description, OperationHead } from './description.ts';

/**
 * The operations in which each of some words stands: in path, method, id, summary, tags or names of parameters. An
 * operation whose id or `METHOD /path` is what was asked for stands alone.
 */
export function findOperations(
  { operations }: Pick<Description, 'operations'>,
  words: readonly string[],
): readonly OperationHead[] {
  const whole = words.join(' ');
  const exact = operations.filter(({ id, method, path }) => id === whole || `${method} ${path}` === whole);
  if (exact.length === 1) return exact;
  const wanted = words.map((word) => word.toLowerCase());
  return operations.filter((head) => {
    const text = [
      head.method,
      head.path,
      head.id ?? '',
      head.summary ?? '',
      ...head.tags,
      ...head.parameters,
      head.incoming ?? '',
    ]
      .join(' ')
      .toLowerCase();
    return wanted.every((word) => text.includes(word));
  });
}
