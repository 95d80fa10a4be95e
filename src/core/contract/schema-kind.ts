import { BIT, JSON_VALUE, type Kind } from '../language/kinds.ts';
import { defOf, type Schema, type SchemaObject } from './json-schema.ts';

/** So deep are the members of members known before anything runs, and so many of them. */
const MOST_LEVELS = 8;
const MOST_PARTS = 2_000;

const BITS: Readonly<Record<string, number>> = {
  null: BIT.null,
  boolean: BIT['yes or no'],
  number: BIT.number,
  integer: BIT.number,
  string: BIT.text,
  array: BIT.list,
  object: BIT.object,
};

/** The kind of the values that fit a schema, as far as that is known: a kind says less than a schema. */
export function kindOfSchema({ json, at }: Schema): Kind {
  let parts = 0;
  const visit = (part: unknown, level: number): Kind => {
    if (typeof part !== 'object' || part === null || level > MOST_LEVELS || ++parts > MOST_PARTS)
      return JSON_VALUE;
    const schema = part as SchemaObject;
    let kind = own(schema, level);
    if (typeof schema['$ref'] === 'string') kind = both(kind, visit(defOf(json, schema['$ref']), level + 1));
    for (const one of listed(schema, 'allOf')) kind = both(kind, visit(one, level + 1));
    for (const keyword of ['oneOf', 'anyOf']) {
      const kinds = listed(schema, keyword).map((one) => visit(one, level + 1));
      if (kinds.length > 0) kind = both(kind, kinds.reduce(either));
    }
    return kind;
  };
  const own = (schema: SchemaObject, level: number): Kind => {
    const { properties, items, enum: values } = schema;
    const members =
      typeof properties === 'object' && properties !== null
        ? new Map(Object.entries(properties).map(([name, one]) => [name, visit(one, level + 1)]))
        : undefined;
    const bits = bitsOf(schema, members !== undefined, values);
    const spot = at(schema);
    const more = schema['additionalProperties'];
    const isOpen = (more !== undefined && more !== false) || schema['patternProperties'] !== undefined;
    return {
      bits,
      ...(members && bits & BIT.object
        ? {
            members,
            closed: !isOpen && members.size > 0,
            ...(spot ? { describedAt: `${spot.file}:${spot.line}` } : {}),
          }
        : {}),
      ...(items !== undefined && bits & BIT.list && schema['prefixItems'] === undefined
        ? { item: visit(items, level + 1) }
        : {}),
    };
  };
  return visit(json, 0);
}

function listed(schema: SchemaObject, keyword: string): readonly unknown[] {
  const value = schema[keyword];
  return Array.isArray(value) ? (value as unknown[]) : [];
}

/** The kinds of what JSON Schema calls types. */
export function bitsOfTypes(types: readonly string[]): number {
  return types.reduce((sum, type) => sum | (BITS[type] ?? 0), 0);
}

function bitsOf(schema: SchemaObject, hasMembers: boolean, values: unknown): number {
  const types = schema['type'];
  let bits = JSON_VALUE.bits;
  if (typeof types === 'string') bits = bitsOfTypes([types]);
  else if (Array.isArray(types)) bits = bitsOfTypes(types as string[]);
  // Who writes properties means an object, and who writes items a list, though the standard lets others pass.
  else if (hasMembers) bits = BIT.object;
  else if (schema['items'] !== undefined) bits = BIT.list;
  const listed = Array.isArray(values) ? (values as unknown[]) : 'const' in schema ? [schema['const']] : [];
  return listed.length === 0 ? bits : bits & listed.reduce<number>((sum, one) => sum | bitOfJson(one), 0);
}

function bitOfJson(value: unknown): number {
  if (value === null) return BIT.null;
  if (Array.isArray(value)) return BIT.list;
  const type = typeof value;
  return type === 'object' ? BIT.object : (BITS[type] ?? 0);
}

/** What fits both. A contradiction says nothing of use, so then anything may be there. */
function both(a: Kind, b: Kind): Kind {
  if (a === JSON_VALUE) return b;
  if (b === JSON_VALUE) return a;
  const bits = a.bits & b.bits;
  if (bits === 0) return JSON_VALUE;
  const item = a.item && b.item ? both(a.item, b.item) : (a.item ?? b.item);
  const members =
    a.members && b.members
      ? new Map([
          ...a.members,
          ...[...b.members].map(([name, kind]) => {
            const other = a.members!.get(name);
            return [name, other ? both(other, kind) : kind] as const;
          }),
        ])
      : (a.members ?? b.members);
  const describedAt = a.describedAt ?? b.describedAt;
  // A part without members of its own leaves open what others say.
  const isClosed = (a.closed ?? !a.members) && (b.closed ?? !b.members);
  return {
    bits,
    ...(item ? { item } : {}),
    ...(members ? { members, closed: isClosed, ...(describedAt === undefined ? {} : { describedAt }) } : {}),
  };
}

/** What fits one of two. */
function either(a: Kind, b: Kind): Kind {
  const bits = a.bits | b.bits;
  const [aList, bList] = [a.bits & BIT.list, b.bits & BIT.list];
  const item = aList && bList ? (a.item && b.item ? either(a.item, b.item) : undefined) : (a.item ?? b.item);
  const [aObject, bObject] = [a.bits & BIT.object, b.bits & BIT.object];
  const one = aObject && bObject ? undefined : aObject ? a : b;
  const members = one
    ? one.members
    : a.members && b.members
      ? new Map(
          [...new Set([...a.members.keys(), ...b.members.keys()])].map((name) => {
            const [left, right] = [a.members!.get(name), b.members!.get(name)];
            return [name, left && right ? either(left, right) : JSON_VALUE] as const;
          }),
        )
      : undefined;
  const isClosed = one ? one.closed === true : a.closed === true && b.closed === true;
  const describedAt = one ? one.describedAt : (a.describedAt ?? b.describedAt);
  return {
    bits,
    ...(item ? { item } : {}),
    ...(members ? { members, closed: isClosed, ...(describedAt === undefined ? {} : { describedAt }) } : {}),
  };
}

/** The kind of what fits one of several schemas. */
export function kindOfEither(schemas: readonly Schema[]): Kind {
  return schemas.length === 0 ? JSON_VALUE : schemas.map(kindOfSchema).reduce(either);
}
