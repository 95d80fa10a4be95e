import { TOLD_BY } from '../../contract/normal-schema.ts';
import {
  defOf,
  type JsonSchema,
  type Schema,
  type SchemaObject,
  type Violation,
} from '../../contract/json-schema.ts';
import { bitsOfTypes } from '../../contract/schema-kind.ts';
import { charactersIn, failureWords, typeWords } from '../../contract/violation-words.ts';
import { kindWords } from '../../language/kinds.ts';
import { nearest } from '../../language/nearest.ts';
import { approximately, wholeNumber } from '../../language/numbers.ts';
import { memberText } from '../../language/path-text.ts';
import { isNumeric, type Value } from '../../language/values.ts';
import type { Typed } from '../model.ts';
import { kindOfTyped, literalOf } from './typed-values.ts';

/** So many references are followed into each other, and so many places are told. */
const MOST_LEVELS = 50;
const MOST = 20;

/** Where a typed field can't come to what a schema wants, as far as it is known before anything runs. */
export function misfits(schema: Schema, typed: Typed, path = '$'): Violation[] {
  const found = new Fit(schema).visit(schema.json, typed, path, 0);
  return found.slice(0, MOST);
}

class Fit {
  readonly #schema: Schema;

  constructor(schema: Schema) {
    this.#schema = schema;
  }

  visit(part: unknown, typed: Typed, path: string, level: number): Violation[] {
    if (part === false) return [{ path, says: 'is not wanted there' }];
    if (typeof part !== 'object' || part === null || level > MOST_LEVELS) return [];
    const schema = part as SchemaObject;
    const say = (says: string, at = path): Violation => {
      const spot = this.#schema.at(schema);
      return { path: at, says, ...(spot ? { at: spot } : {}) };
    };
    const found: Violation[] = [];
    if (typeof schema['$ref'] === 'string')
      found.push(...this.visit(defOf(this.#schema.json, schema['$ref']), typed, path, level + 1));
    for (const one of listed(schema, 'allOf')) found.push(...this.visit(one, typed, path, level + 1));
    for (const keyword of ['oneOf', 'anyOf'])
      found.push(
        ...this.#nearest(listed(schema, keyword), schema, typed, (one) =>
          this.visit(one, typed, path, level + 1),
        ),
      );
    const types = typesOf(schema);
    if (types.length > 0 && (bitsOfTypes(types) & kindOfTyped(typed).bits) === 0)
      return [...found, say(`is ${kindWords(kindOfTyped(typed).bits)}, ${typeWords(types)} wanted`)];
    const literal = literalOf(typed);
    if (literal !== undefined) for (const says of ofLiteral(schema, types, literal)) found.push(say(says));
    const members = membersOfTyped(typed);
    if (members) found.push(...this.#members(schema, members, path, { level, say }));
    if (typed.type === 'list' && schema['prefixItems'] === undefined)
      typed.items.forEach((item, i) => {
        found.push(...this.visit(schema['items'], item, `${path}[${i}]`, level + 1));
      });
    return found;
  }

  /** What is wrong with the alternative that is nearest, where none fits. */
  #nearest(
    alternatives: readonly unknown[],
    schema: SchemaObject,
    typed: Typed,
    visit: (one: unknown) => Violation[],
  ): Violation[] {
    const lists = alternatives.map(visit);
    if (lists.length === 0 || lists.some((list) => list.length === 0)) return [];
    const told = schema[TOLD_BY] as { member: string; mapping: Record<string, string> } | undefined;
    const value = told && membersOfTyped(typed)?.find(([name]) => name === told.member)?.[1];
    const named = value && literalOf(value);
    const meant = alternatives.findIndex(
      (one) => typeof named === 'string' && (one as SchemaObject)['$ref'] === told!.mapping[named],
    );
    return lists[meant] ?? lists.toSorted((a, b) => a.length - b.length)[0]!;
  }

  #members(
    schema: SchemaObject,
    members: readonly (readonly [string, Typed])[],
    path: string,
    { level, say }: { readonly level: number; readonly say: (says: string, at?: string) => Violation },
  ): Violation[] {
    const properties = (schema['properties'] ?? {}) as Readonly<Record<string, JsonSchema>>;
    const known = Object.keys(properties);
    const given = new Set(members.map(([name]) => name));
    const found = ((schema['required'] ?? []) as readonly string[])
      .filter((name) => !given.has(name))
      .map((name) =>
        say(
          failureWords({ keyword: 'required', params: { missingProperty: name }, data: {}, schema }),
          path + memberText(name),
        ),
      );
    for (const [name, member] of members) {
      const at = path + memberText(name);
      if (Object.hasOwn(properties, name)) {
        found.push(...this.visit(properties[name], member, at, level + 1));
        continue;
      }
      const isClosed = schema['additionalProperties'] === false && schema['patternProperties'] === undefined;
      // Others may be there, but a name that is nearly a known one is hardly meant.
      const near = nearest(
        name,
        known.filter((one) => !given.has(one)),
      );
      if (isClosed || (near !== undefined && schema['additionalProperties'] === undefined))
        found.push(say(`is not described${near === undefined ? '' : `, the nearest is ${near}`}`, at));
    }
    return found;
  }
}

function membersOfTyped(typed: Typed): readonly (readonly [string, Typed])[] | undefined {
  return typed.type === 'object' ? typed.members : undefined;
}

function listed(schema: SchemaObject, keyword: string): readonly unknown[] {
  const value = schema[keyword];
  return Array.isArray(value) ? (value as unknown[]) : [];
}

function typesOf({ type }: SchemaObject): readonly string[] {
  return typeof type === 'string' ? [type] : Array.isArray(type) ? (type as string[]) : [];
}

/** What is wrong with a value that is known. */
function* ofLiteral(schema: SchemaObject, types: readonly string[], value: Value): Generator<string> {
  const data = isNumeric(value) ? approximately(value) : value;
  const failure = (keyword: string, params: Record<string, unknown>): string =>
    failureWords({ keyword, params, data, schema });
  const isScalar = typeof data !== 'object' || data === null;
  const { enum: values } = schema;
  if (isScalar && Array.isArray(values) && !values.includes(data))
    yield failure('enum', { allowedValues: values });
  if (isScalar && 'const' in schema && schema['const'] !== data)
    yield failure('const', { allowedValue: schema['const'] });
  if (
    isNumeric(value) &&
    !types.includes('number') &&
    types.includes('integer') &&
    wholeNumber(value) === undefined
  )
    yield failure('type', { type: 'integer' });
  const size = typeof data === 'string' ? charactersIn(data) : data;
  const [least, most] = typeof data === 'string' ? ['minLength', 'maxLength'] : ['minimum', 'maximum'];
  if (typeof size !== 'number') return;
  const [from, to] = [schema[least], schema[most]];
  if (typeof from === 'number' && size < from) yield failure(least, { limit: from });
  if (typeof to === 'number' && size > to) yield failure(most, { limit: to });
}
