import * as z from 'zod';
import type { KeyDefinition } from '../chain/source/key-definition.ts';

/** A JSON Schema of the draft 2020-12, as far as it is made here. */
export interface FileSchema {
  readonly $schema?: string;
  readonly $ref?: string;
  readonly $defs?: Readonly<Record<string, FileSchema>>;
  readonly title?: string;
  readonly description?: string;
  readonly type?: string | readonly string[];
  readonly pattern?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly items?: FileSchema;
  readonly minItems?: number;
  readonly minProperties?: number;
  readonly properties?: Readonly<Record<string, FileSchema>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: FileSchema | boolean;
  readonly anyOf?: readonly FileSchema[];
}

/**
 * The form of a key's value, as JSON Schema. Shapes look at scalars as texts; an editor's YAML reads a figure as a number and
 * `true` as a Boolean, so those are let through where the text of one would be.
 */
export function schemaOfShape({ shape }: Pick<KeyDefinition, 'shape'>): FileSchema {
  const { $schema: _, ...schema } = z.toJSONSchema(shape(), { unrepresentable: 'any', io: 'input' });
  return withScalars(schema as FileSchema);
}

/** Figures, one of which some pattern takes that takes any. */
const FIGURES = ['0', '5', '50', '503', '1000', '2.5'];

function withScalars(schema: FileSchema): FileSchema {
  if (schema.enum) return { enum: schema.enum.flatMap(spellings) };
  if (schema.const !== undefined) return { enum: spellings(schema.const) };
  if (schema.anyOf) return { anyOf: schema.anyOf.map(withScalars) };
  if (schema.type === 'string') {
    const { pattern } = schema;
    const takes = (text: string): boolean => pattern === undefined || new RegExp(pattern, 's').test(text);
    const types = [
      'string',
      ...(FIGURES.some(takes) ? ['number'] : []),
      ...(takes('true') ? ['boolean'] : []),
    ];
    return {
      type: types.length === 1 ? 'string' : types,
      ...(pattern === undefined ? {} : { pattern }),
    };
  }
  if (schema.type === 'array')
    return {
      type: 'array',
      ...(schema.items ? { items: withScalars(schema.items) } : {}),
      ...(schema.minItems === undefined ? {} : { minItems: schema.minItems }),
    };
  if (schema.type === 'object') {
    const { properties, required, additionalProperties } = schema;
    return {
      type: 'object',
      ...(properties
        ? {
            properties: Object.fromEntries(
              Object.entries(properties).map(([name, one]) => [name, withScalars(one)]),
            ),
          }
        : {}),
      ...(required ? { required } : {}),
      ...(additionalProperties === undefined
        ? {}
        : {
            additionalProperties:
              typeof additionalProperties === 'object'
                ? withScalars(additionalProperties)
                : additionalProperties,
          }),
    };
  }
  return {};
}

/** A word as YAML may read it: `true` without quotes is no text. */
function spellings(value: unknown): unknown[] {
  if (value === 'true') return ['true', true];
  if (value === 'false') return ['false', false];
  return [value];
}
