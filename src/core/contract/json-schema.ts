import type { DescriptionWarning, Spot } from './document.ts';

/** A JSON Schema (2020-12): an object of keywords, or true for any value, false for none. */
export type JsonSchema = boolean | SchemaObject;

export interface SchemaObject {
  readonly [keyword: string]: unknown;
}

/**
 * A schema that stands alone: all that it refers to is under its `$defs`, and the alternatives of `oneOf` and `anyOf` are
 * references into that.
 */
export interface Schema {
  readonly json: JsonSchema;
  /** Where a part of it is written; undefined for what has no place. */
  readonly at: (part: unknown) => Spot | undefined;
  readonly warnings: readonly DescriptionWarning[];
}

/** Where a value is not as a schema wants it. */
export interface Violation {
  /** A path of `$`, as the language writes it. */
  readonly path: string;
  /** What is wrong there: "is a text, number wanted". */
  readonly says: string;
  /** Where the schema says so. */
  readonly at?: Spot;
}

/** The schema that a part stands for once its `$ref` is followed; a schema that names itself wants nothing. */
export function resolved(root: JsonSchema, part: unknown): JsonSchema {
  let at = part;
  for (let i = 0; i < 100; i++) {
    if (typeof at === 'boolean') return at;
    if (typeof at !== 'object' || at === null) return true;
    const { $ref } = at as { $ref?: unknown };
    if (typeof $ref !== 'string' || Object.keys(at).length > 1) return at as SchemaObject;
    at = defOf(root, $ref);
  }
  return true;
}

/** What a reference into `$defs` leads to. */
export function defOf(root: JsonSchema, ref: string): unknown {
  if (typeof root === 'boolean') return true;
  if (ref === '#') return root;
  const name = /^#\/\$defs\/([^/]+)$/.exec(ref)?.[1];
  const defs = root['$defs'] as Readonly<Record<string, unknown>> | undefined;
  return name === undefined ? true : (defs?.[name] ?? true);
}
