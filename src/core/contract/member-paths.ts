import { memberText } from '../language/path-text.ts';
import { isObject, type Maybe } from '../language/values.ts';
import { defOf, type Schema, type SchemaObject } from './json-schema.ts';

/** So many members of one schema are counted, and so deep. */
const MOST = 500;
const MOST_LEVELS = 10;

/** The paths of the members that a schema describes, `[]` for the items of a list: `$.pieces[].price`. */
export function describedMembers({ json }: Schema): string[] {
  const paths = new Set<string>();
  const visit = (part: unknown, path: string, around: readonly unknown[]): void => {
    if (typeof part !== 'object' || part === null || paths.size >= MOST) return;
    // A schema that holds itself goes on for ever.
    if (around.length > MOST_LEVELS || around.filter((one) => one === part).length > 0) return;
    const schema = part as SchemaObject;
    const inside = [...around, part];
    if (typeof schema['$ref'] === 'string') visit(defOf(json, schema['$ref']), path, inside);
    for (const keyword of ['allOf', 'oneOf', 'anyOf']) {
      const parts = schema[keyword];
      if (Array.isArray(parts)) for (const one of parts as unknown[]) visit(one, path, inside);
    }
    for (const [name, member] of Object.entries(schema['properties'] ?? {})) {
      const below = path + memberText(name);
      if ((member as SchemaObject)['writeOnly'] === true) continue;
      if (paths.size < MOST) paths.add(below);
      visit(member, below, inside);
    }
    if (schema['items'] !== undefined) visit(schema['items'], `${path}[]`, inside);
  };
  visit(json, '$', []);
  return [...paths];
}

/** Adds the paths of the members that stand in a value; of long lists the first 200 items are looked at. */
export function takeMembers(value: Maybe, into: Set<string>, path = '$', level = 0): void {
  if (level > 2 * MOST_LEVELS || into.size > 20 * MOST) return;
  if (Array.isArray(value))
    for (const item of value.slice(0, 200)) takeMembers(item, into, `${path}[]`, level + 1);
  else if (isObject(value))
    for (const [name, member] of Object.entries(value)) {
      const below = path + memberText(name);
      into.add(below);
      takeMembers(member, into, below, level + 1);
    }
}
