import { brief } from '../language/show.ts';
import type { Value } from '../language/values.ts';
import { defOf, type JsonSchema, type Schema, type SchemaObject } from './json-schema.ts';
import { typeWords } from './violation-words.ts';

/** A part of a schema as a person reads it. */
export interface SchemaRow {
  /** The name of a member; `[]` for the items of a list, `or` for an alternative, empty for the whole. */
  readonly name: string;
  /** How deep it lies, from 0. */
  readonly level: number;
  readonly required: boolean;
  /** What it is, in words: "whole number, 1 to 50". */
  readonly kind: string;
  /** The description's own words. */
  readonly about?: string;
}

const MOST_LEVELS = 6;
const MOST_ROWS = 200;

/** A schema as a tree of its parts; those that lie too deep are left out. */
export function schemaRows({ json }: Schema): SchemaRow[] {
  const rows: SchemaRow[] = [];
  new Rows(json, rows).part(json, { name: '', level: 0, required: false }, []);
  return rows;
}

class Rows {
  readonly #root: JsonSchema;
  readonly #rows: SchemaRow[];

  constructor(root: JsonSchema, rows: SchemaRow[]) {
    this.#root = root;
    this.#rows = rows;
  }

  part(part: unknown, row: Pick<SchemaRow, 'name' | 'level' | 'required'>, around: readonly unknown[]): void {
    if (this.#rows.length >= MOST_ROWS) return;
    const { schema, seen } = this.#whole(part);
    const isAgain = seen.some((one) => around.includes(one));
    const about = firstSentence(schema['description'] ?? schema['title']);
    const items = schema['items'];
    const item = typeof items === 'object' ? this.#whole(items).schema : undefined;
    const kind = kindText(schema, item);
    this.#rows.push({
      ...row,
      kind: isAgain ? `${kind} (as above)` : kind,
      ...(about === undefined ? {} : { about }),
    });
    if (isAgain || row.level >= MOST_LEVELS) return;
    const inside = [...around, ...seen];
    const level = row.level + 1;
    this.#members(schema, level, inside);
    if (item) {
      if (hasParts(item)) {
        const isNamed = item['properties'] !== undefined;
        // Of a list of objects their members say it all.
        if (isNamed) this.#members(item, level, [...inside, ...this.#whole(items).seen], '[].');
        else this.part(items, { name: '[]', level, required: false }, inside);
      }
    }
    for (const keyword of ['oneOf', 'anyOf'])
      for (const one of listed(schema, keyword))
        if (!isNull(this.#whole(one).schema)) this.part(one, { name: 'or', level, required: false }, inside);
  }

  #members(schema: SchemaObject, level: number, around: readonly unknown[], before = ''): void {
    const required = new Set((schema['required'] ?? []) as readonly string[]);
    for (const [name, member] of Object.entries(schema['properties'] ?? {}))
      this.part(member, { name: before + name, level, required: required.has(name) }, around);
    const more = schema['additionalProperties'];
    if (typeof more === 'object') this.part(more, { name: `${before}…`, level, required: false }, around);
  }

  /** A part with what it refers to, and the parts of `allOf`, as one. */
  #whole(part: unknown): { readonly schema: SchemaObject; readonly seen: readonly unknown[] } {
    const seen: unknown[] = [];
    const merge = (one: unknown, depth: number): Record<string, unknown> => {
      if (typeof one !== 'object' || one === null || depth > 20) return {};
      const schema = one as SchemaObject;
      const { $ref, allOf, ...own } = schema;
      let whole: Record<string, unknown> = {};
      if (typeof $ref === 'string') {
        const target = defOf(this.#root, $ref);
        seen.push(target);
        whole = merge(target, depth + 1);
      }
      for (const other of Array.isArray(allOf) ? (allOf as unknown[]) : [])
        whole = together(whole, merge(other, depth + 1));
      return together(whole, own);
    };
    return { schema: merge(part, 0), seen };
  }
}

function together(a: Record<string, unknown>, b: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const properties = {
    ...(a['properties'] as object | undefined),
    ...(b['properties'] as object | undefined),
  };
  const required = [a['required'], b['required']].flatMap((one) => (one ?? []) as string[]);
  return {
    ...a,
    ...b,
    ...(Object.keys(properties).length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
  };
}

function listed(schema: SchemaObject, keyword: string): readonly unknown[] {
  const value = schema[keyword];
  return Array.isArray(value) ? (value as unknown[]) : [];
}

function isNull({ type }: SchemaObject): boolean {
  return type === 'null';
}

function hasParts(schema: SchemaObject): boolean {
  return ['properties', 'items', 'oneOf', 'anyOf', 'additionalProperties'].some(
    (keyword) => typeof schema[keyword] === 'object',
  );
}

/** What a schema wants, in a few words. */
export function kindText(schema: SchemaObject, item?: SchemaObject): string {
  const { enum: values, format, pattern } = schema;
  if ('const' in schema) return `always ${shown(schema['const'])}`;
  if (Array.isArray(values)) {
    const few = values.slice(0, 8).map(shown);
    return `${few.join(', ')}${values.length > few.length ? ` and ${values.length - few.length} more` : ''}`;
  }
  const types = [schema['type']].flat().filter((type): type is string => typeof type === 'string');
  const alternatives = [...listed(schema, 'oneOf'), ...listed(schema, 'anyOf')];
  const hasMembers = schema['properties'] !== undefined;
  const word =
    types.length > 0
      ? typeWords(types)
      : hasMembers
        ? 'object'
        : schema['items'] !== undefined
          ? 'list'
          : alternatives.length > 0
            ? 'one of'
            : 'any value';
  const ofWhat = word.startsWith('list') && item ? ` of ${kindText(item)}` : '';
  const bounds = boundsText(schema);
  return [
    word + ofWhat,
    ...(typeof format === 'string' ? [format] : []),
    ...(bounds === '' ? [] : [bounds]),
    ...(typeof pattern === 'string' && pattern.length <= 40 ? [pattern] : []),
    ...(schema['readOnly'] === true ? ['only read'] : []),
    ...(schema['writeOnly'] === true ? ['only written'] : []),
    ...(schema['deprecated'] === true ? ['deprecated'] : []),
  ].join(', ');
}

function boundsText(schema: SchemaObject): string {
  const range = (from: unknown, to: unknown, unit = ''): string =>
    typeof from === 'number' && typeof to === 'number'
      ? from === to
        ? `${from}${unit}`
        : `${from} to ${to}${unit}`
      : typeof from === 'number'
        ? `at least ${from}${unit}`
        : typeof to === 'number'
          ? `at most ${to}${unit}`
          : '';
  return [
    range(schema['minimum'], schema['maximum']),
    range(schema['minLength'], schema['maxLength'], ' characters'),
    range(schema['minItems'], schema['maxItems'], ' items'),
  ]
    .filter((one) => one !== '')
    .join(', ');
}

function shown(value: unknown): string {
  return typeof value === 'string' && /^[\w.:-]+$/.test(value) ? value : brief(value as Value, 40);
}

function firstSentence(text: unknown): string | undefined {
  return typeof text === 'string' && text.trim() !== '' ? text.trim().split(/\n|(?<=\.) /)[0]! : undefined;
}
