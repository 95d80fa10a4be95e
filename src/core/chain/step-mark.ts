import { fingerprint } from './fingerprint.ts';
import type { MapNode, SourceNode } from './source.ts';
import { plainOf } from './structure.ts';

/** Keys that say how a step goes about it, or what a person is told: with others of these it would have done the same. */
const MANNER: ReadonlySet<string> = new Set([
  'about',
  'at-once',
  'at-least',
  'idempotency',
  'on-fail',
  'retry',
  'redirects',
  'repeatable',
  'show',
  'timeout',
  'turns-on-fail',
  'up-to',
  'every',
  'within',
]);

/** A mark of a step as written: two steps with one mark do the same. */
export function markOf(node: MapNode): string {
  return fingerprint(JSON.stringify(essence(node)));
}

function essence(node: SourceNode): unknown {
  if (node.type !== 'map') return plainOf(node);
  return node.entries
    .filter(({ key }) => !MANNER.has(key.text))
    .map(({ key, value }) => [
      key.text,
      STEPS.has(key.text) && value.type === 'list' ? value.items.map(essence) : plainOf(value),
    ]);
}

const STEPS: ReadonlySet<string> = new Set(['steps', 'else']);
