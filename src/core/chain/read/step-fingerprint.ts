import { callKeys } from '../keys/call-keys.ts';
import { fingerprint } from '../source/fingerprint.ts';
import type { KeyDefinition } from '../source/key-definition.ts';
import { eachKeys, followKeys, repeatKeys, repeatStepKeys } from '../keys/loop-keys.ts';
import type { MapNode, SourceNode } from '../source/source-file.ts';
import { groupKeys, stepKeys } from '../keys/step-keys.ts';
import { plainOf } from '../source/node-data.ts';
import type { OwnFunction } from '../../language/tree.ts';
import { streamKeys } from '../keys/stream-keys.ts';
import { pagesKeys, pollKeys } from '../keys/traffic-keys.ts';

const mannerOf = (...keys: readonly (readonly KeyDefinition[])[]): ReadonlySet<string> =>
  new Set(keys.flat().flatMap(({ manner, name }) => (manner ? [name] : [])));

/** Keys of steps that say only how. */
const MANNER = mannerOf(stepKeys, callKeys, eachKeys, repeatStepKeys, followKeys, groupKeys);

/** The same inside of keys that hold settings. */
const INSIDE: Readonly<Record<string, ReadonlySet<string>>> = {
  repeat: mannerOf(repeatKeys),
  poll: mannerOf(pollKeys),
  pages: mannerOf(pagesKeys),
  stream: mannerOf(streamKeys),
};

/** A mark of a step as written, made when it is first asked for: two steps with one mark do the same. */
export function fingerprintOf(node: MapNode, functions: ReadonlyMap<string, OwnFunction>): () => string {
  let made: string | undefined;
  return () => (made ??= fingerprint(withDefinitions(JSON.stringify(essence(node)), functions)));
}

/** A step that calls a definition does something else once that is changed, or one that it uses. */
function withDefinitions(text: string, functions: ReadonlyMap<string, OwnFunction>): string {
  let all = text;
  // Each uses only those above it.
  for (const { name, parameters, text: meaning } of [...functions.values()].toReversed())
    if (all.includes(`${name}(`)) all += `\n${name}(${parameters.join()}) ${meaning}`;
  return all;
}

function essence(node: SourceNode, manner = MANNER): unknown {
  if (node.type !== 'map') return plainOf(node);
  return node.entries
    .filter(({ key }) => !manner.has(key.text))
    .map(({ key, value }) => [key.text, essenceOf(key.text, value)]);
}

function essenceOf(key: string, value: SourceNode): unknown {
  if (STEPS.has(key) && value.type === 'list') return value.items.map((item) => essence(item));
  const inside = Object.hasOwn(INSIDE, key) ? INSIDE[key] : undefined;
  return inside ? essence(value, inside) : plainOf(value);
}

const STEPS: ReadonlySet<string> = new Set(['steps', 'else']);
