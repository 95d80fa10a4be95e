import { setOwn } from './document.ts';
import { defOf, type JsonSchema, type Schema, type SchemaObject } from './json-schema.ts';

/** So deep is a made-up value; what would lie deeper is left out. */
const MOST_LEVELS = 10;
/** How many members stand in an object of which none is required. */
const MEMBERS = 6;

const FORMATS: Readonly<Record<string, string>> = {
  date: '2026-01-31',
  'date-time': '2026-01-31T12:00:00Z',
  time: '12:00:00Z',
  duration: 'PT1H',
  email: 'someone@emberfold.example',
  hostname: 'emberfold.example',
  ipv4: '192.0.2.1',
  ipv6: '2001:db8::1',
  uri: 'https://emberfold.example/',
  url: 'https://emberfold.example/',
  uuid: '00000000-0000-4000-8000-000000000000',
  byte: 'dGV4dA==',
};

/**
 * A value as a schema wants it, to begin with: its own example or default, or one that is made up with what is required. A
 * pattern is not looked at.
 */
export function sampleOf({ json }: Schema): unknown {
  return sample(json, json, 0) ?? null;
}

function sample(root: JsonSchema, part: unknown, level: number): unknown {
  if (typeof part !== 'object' || part === null) return part === true ? 'text' : undefined;
  const schema = part as SchemaObject;
  if ('const' in schema) return schema['const'];
  const { enum: values, examples } = schema;
  for (const one of [schema['example'], (examples as unknown[] | undefined)?.[0], schema['default']])
    if (one !== undefined) return one;
  if (Array.isArray(values) && values.length > 0) return values.find((one) => one !== null) ?? values[0];
  if (level > MOST_LEVELS) return undefined;
  const parts = [
    ...(typeof schema['$ref'] === 'string' ? [defOf(root, schema['$ref'])] : []),
    ...listed(schema, 'allOf'),
    ...['oneOf', 'anyOf'].flatMap((keyword) => firstOf(root, listed(schema, keyword))),
  ].map((one) => sample(root, one, level + 1));
  const own = typeOf(schema) === undefined && parts.length > 0 ? undefined : ofType(root, schema, level);
  const all = [...parts, own].filter((one) => one !== undefined);
  return all.length > 1 && all.every((one) => typeof one === 'object' && one !== null && !Array.isArray(one))
    ? Object.assign({}, ...all)
    : (all.find((one) => one !== null) ?? all[0]);
}

/** The first alternative that is more than null. */
function firstOf(root: JsonSchema, alternatives: readonly unknown[]): unknown[] {
  const isNull = (one: unknown): boolean => {
    const schema = typeof one === 'object' && one !== null ? (one as SchemaObject) : {};
    const target = typeof schema['$ref'] === 'string' ? defOf(root, schema['$ref']) : schema;
    return (target as SchemaObject)['type'] === 'null';
  };
  const first = alternatives.find((one) => !isNull(one)) ?? alternatives[0];
  return first === undefined ? [] : [first];
}

function listed(schema: SchemaObject, keyword: string): readonly unknown[] {
  const value = schema[keyword];
  return Array.isArray(value) ? (value as unknown[]) : [];
}

function typeOf({ type, properties, items }: SchemaObject): string | undefined {
  const types = (Array.isArray(type) ? type : [type]) as (string | undefined)[];
  const first = types.find((one) => one !== undefined && one !== 'null') ?? types[0];
  return first ?? (properties !== undefined ? 'object' : items !== undefined ? 'array' : undefined);
}

function ofType(root: JsonSchema, schema: SchemaObject, level: number): unknown {
  const number = (keyword: string): number | undefined =>
    typeof schema[keyword] === 'number' ? schema[keyword] : undefined;
  switch (typeOf(schema)) {
    case 'object':
      return object(root, schema, level);
    case 'array': {
      const count = Math.min(Math.max(number('minItems') ?? 1, 1), 5);
      const item = sample(root, schema['items'] ?? true, level + 1);
      return item === undefined ? [] : Array.from({ length: count }, () => item);
    }
    case 'integer':
    case 'number': {
      const step = number('multipleOf');
      const least = number('minimum') ?? (number('exclusiveMinimum') ?? 0) + 1;
      const most = number('maximum') ?? Infinity;
      const value = Math.min(least, most);
      return step === undefined ? value : Math.ceil(value / step) * step;
    }
    case 'boolean':
      return true;
    case 'null':
      return null;
    default: {
      const text = FORMATS[String(schema['format'])] ?? 'text';
      const [least, most] = [number('minLength') ?? 0, number('maxLength') ?? Infinity];
      return text.padEnd(Math.min(least, 200), 'x').slice(0, most);
    }
  }
}

function object(root: JsonSchema, schema: SchemaObject, level: number): Record<string, unknown> {
  const properties = (schema['properties'] ?? {}) as Readonly<Record<string, JsonSchema>>;
  const required = (schema['required'] ?? []) as readonly string[];
  const writable = Object.keys(properties).filter(
    (name) => (properties[name] as SchemaObject)['readOnly'] !== true,
  );
  const names = required.length > 0 || level > 0 ? required : writable.slice(0, MEMBERS);
  const made: Record<string, unknown> = {};
  for (const name of names) {
    const value = sample(root, Object.hasOwn(properties, name) ? properties[name] : true, level + 1);
    if (value !== undefined) setOwn(made, name, value);
  }
  return made;
}
