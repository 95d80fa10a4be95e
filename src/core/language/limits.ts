import { fail } from '../problems.ts';
import type { Environment } from './environment.ts';

/** The most nodes that one evaluation visits. */
export const MAXIMUM_VISITED = 10_000_000;
/** The most items of a list that an expression makes. */
export const MAXIMUM_ITEMS = 1_000_000;
/** The longest text that an expression makes, in UTF-16 units. */
export const MAXIMUM_TEXT = 64 * 1024 * 1024;

/** Counts visited nodes; throws `too-many-nodes`. */
export function visit(environment: Environment, nodes: number): void {
  if ((environment.visited += nodes) > MAXIMUM_VISITED) {
    fail('too-many-nodes', `the expression visits more than ${MAXIMUM_VISITED.toLocaleString('en')} nodes`, {
      hint: 'a path that names more of its members looks at fewer',
    });
  }
}

/** Throws `list-too-long`. */
export function boundList(items: number): void {
  if (items > MAXIMUM_ITEMS)
    fail('list-too-long', `the list would have more than ${MAXIMUM_ITEMS.toLocaleString('en')} items`);
}

/** Throws `text-too-long`. */
export function boundText(length: number): void {
  if (length > MAXIMUM_TEXT) fail('text-too-long', 'the text would be longer than 64 MiB');
}
