import { setMember } from '../../language/values.ts';
import type { SourceNode } from './source-file.ts';

/** A node as plain data: scalars as texts, an empty value as null. */
export function plainOf(node: SourceNode): unknown {
  switch (node.type) {
    case 'scalar':
      return node.text;
    case 'empty':
      return null;
    case 'list':
      return node.items.map(plainOf);
    case 'map': {
      const object = {};
      for (const { key, value } of node.entries) setMember(object, key.text, plainOf(value) as never);
      return object;
    }
  }
}

/** What a node is, for a message. */
export function formOf(node: SourceNode): string {
  return { scalar: 'a text', map: 'a map', list: 'a list', empty: 'empty' }[node.type];
}
