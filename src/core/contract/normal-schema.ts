import type { Direction } from './description.ts';
import {
  type DataObject,
  dataEntries,
  dataMember,
  type DescriptionSource,
  followed,
  isData,
  lineOfData,
  pointerPart,
  type Ref,
  refTarget,
  setOwn,
  type Spot,
  textMember,
  withoutLines,
  type DescriptionWarning,
} from './document.ts';
import { nearest } from '../language/nearest.ts';
import { memberOf } from '../language/values.ts';
import type { JsonSchema, Schema } from './json-schema.ts';
import {
  ALTERNATIVE_SCHEMAS,
  NAMED_SCHEMAS,
  ONE_SCHEMA,
  OTHER_KEYWORDS,
  OTHER_TYPES,
  PLAIN_KEYWORDS,
  SCHEMA_KEYWORDS,
  SCHEMA_TYPES,
  SEVERAL_SCHEMAS,
  UNSUPPORTED_KEYWORDS,
} from './schema-keywords.ts';

const UNSUPPORTED: ReadonlySet<string> = new Set(UNSUPPORTED_KEYWORDS);

/** How a schema is read. */
export interface SchemaReading {
  readonly source: DescriptionSource;
  /** In OpenAPI 3.0 a schema is another thing: `nullable`, `exclusiveMaximum: true`, nothing beside a `$ref`. */
  readonly isOld: boolean;
  readonly direction: Direction;
  /** The name of a file, for people. */
  readonly fileName: (file: string) => string;
  /** It is written for us by hand, so that what is like a keyword is hardly meant as something else. */
  readonly isOurs?: boolean;
  /** References are looked at, and not followed: what they lead to is read on its own. */
  readonly isShallow?: boolean;
}

/** The member that names the alternative of a value: `{ member, mapping }`, from values to definitions. */
export const TOLD_BY = 'x-told-by';

/** So many parts and levels are read of one schema; what is beyond is not looked at. */
const MOST_PARTS = 50_000;
const MOST_LEVELS = 200;

/**
 * The schema at a place of a description as one of JSON Schema 2020-12 that stands alone. What is not as its keyword wants it
 * is left out, with a warning.
 */
export function normalSchema(reading: SchemaReading, ref: Ref): Schema {
  const normal = new Normal(reading);
  const json = normal.whole(ref);
  return { json, at: (part) => normal.spots.get(part as object), warnings: normal.warnings };
}

class Normal {
  readonly #reading: SchemaReading;
  readonly #defs: Record<string, unknown> = {};
  /** The names of definitions, by the places that they stand for. */
  readonly #names = new Map<string, string>();
  readonly spots = new WeakMap<object, Spot>();
  readonly warnings: DescriptionWarning[] = [];
  #parts = 0;

  constructor(reading: SchemaReading) {
    this.#reading = reading;
  }

  whole(ref: Ref): JsonSchema {
    const json = this.#schema(this.#reading.source.at(ref.file, ref.pointer), ref, 1, 0);
    if (typeof json === 'boolean' || Object.keys(this.#defs).length === 0) return json as JsonSchema;
    return Object.assign(json as object, { $defs: this.#defs });
  }

  #warn(ref: Ref, line: number, message: string): void {
    this.warnings.push({ message, at: { file: this.#reading.fileName(ref.file), line } });
  }

  #schema(node: unknown, ref: Ref, around: number, level: number): unknown {
    if (typeof node === 'boolean') return node;
    if (!isData(node)) {
      const type = typeof node === 'string' ? (memberOf(OTHER_TYPES, node) ?? node) : '';
      this.#warn(
        ref,
        around,
        SCHEMA_TYPES.includes(type)
          ? `${String(node)} is no schema, and the nearest is { type: ${type} }`
          : `a schema is an object, and this is ${jsonKind(node)}`,
      );
      return true;
    }
    const line = lineOfData(node, around);
    if (++this.#parts > MOST_PARTS || level > MOST_LEVELS) {
      this.#warn(ref, line, 'the schema is too large, so this part of it is not looked at');
      return true;
    }
    const to: Record<string, unknown> = {};
    this.spots.set(to, { file: this.#reading.fileName(ref.file), line });
    const target = this.#reference(node, ref, line, level);
    if (target !== undefined) {
      to['$ref'] = target;
      if (this.#reading.isOld) return to;
    }
    for (const [keyword, value] of dataEntries(node))
      this.#keyword(to, keyword, value, { node, ref, line, level });
    this.#discriminator(to, node, ref);
    if (this.#reading.isOld) fromOld(to, node);
    this.#forDirection(to, node, ref);
    return to;
  }

  /** The name of the definition that a `$ref` becomes. */
  #reference(node: DataObject, ref: Ref, line: number, level: number): string | undefined {
    const written = dataMember(node, '$ref');
    if (written === undefined) return undefined;
    const target = typeof written === 'string' ? refTarget(ref.file, written) : undefined;
    const found = target && followed(this.#reading.source, target);
    const words = typeof written === 'string' ? written : jsonKind(written);
    if (!found || 'lost' in found) {
      this.#warn(
        ref,
        line,
        target
          ? `nothing stands at ${words}`
          : `${words} is not followed: only files of the project are, by JSON pointers`,
      );
      return undefined;
    }
    // A chain of references may stand in a circle of schemas with keywords of their own, so only the first is followed here.
    return this.#definition(this.#reading.isOld ? found.ref : target, level);
  }

  #definition(target: Ref, level: number): string {
    const key = `${target.file}#${target.pointer}`;
    const known = this.#names.get(key);
    if (known !== undefined) return known;
    const name = `d${this.#names.size + 1}`;
    const pointer = `#/$defs/${name}`;
    this.#names.set(key, pointer);
    if (this.#reading.isShallow) this.#defs[name] = true;
    else
      this.#defs[name] = this.#schema(
        this.#reading.source.at(target.file, target.pointer),
        target,
        1,
        level + 1,
      );
    return pointer;
  }

  /** An alternative as a definition of its own, so that a value can be held to it alone. */
  #alternative(node: unknown, ref: Ref, around: number, level: number): unknown {
    const only = isData(node) && dataEntries(node).length === 1;
    if (only && dataMember(node, '$ref') !== undefined) return this.#schema(node, ref, around, level);
    const key = `${ref.file}#${ref.pointer}`;
    const known = this.#names.get(key);
    if (known !== undefined) return { $ref: known };
    const name = `d${this.#names.size + 1}`;
    const pointer = `#/$defs/${name}`;
    this.#names.set(key, pointer);
    this.#defs[name] = this.#schema(node, ref, around, level + 1);
    return { $ref: pointer };
  }

  #keyword(
    to: Record<string, unknown>,
    keyword: string,
    value: unknown,
    { node, ref, line, level }: { node: DataObject; ref: Ref; line: number; level: number },
  ): void {
    const below = (...parts: string[]): Ref => ({
      file: ref.file,
      pointer: [ref.pointer, keyword, ...parts]
        .map((part, i) => (i === 0 ? part : pointerPart(part)))
        .join('/'),
    });
    const words = keyword === 'type' && typeof value === 'string' ? SCHEMA_TYPES : undefined;
    const near = words && (memberOf(OTHER_TYPES, String(value)) ?? nearest(String(value), words));
    const wrong = (): void =>
      this.#warn(
        ref,
        lineOfData(value, line),
        near !== undefined
          ? `${String(value)} is no type of JSON Schema, and the nearest is ${near}; it is not looked at`
          : `${keyword} can't be ${jsonKind(value)}, so it is not looked at`,
      );
    if (ONE_SCHEMA.includes(keyword)) {
      to[keyword] = this.#schema(value, below(), line, level + 1);
    } else if (SEVERAL_SCHEMAS.includes(keyword) || ALTERNATIVE_SCHEMAS.includes(keyword)) {
      if (!Array.isArray(value) || value.length === 0) return wrong();
      const isAlternative = ALTERNATIVE_SCHEMAS.includes(keyword);
      to[keyword] = value.map((one, i) =>
        isAlternative
          ? this.#alternative(one, below(String(i)), line, level + 1)
          : this.#schema(one, below(String(i)), line, level + 1),
      );
    } else if (NAMED_SCHEMAS.includes(keyword)) {
      if (!isData(value)) return wrong();
      const named: Record<string, unknown> = {};
      for (const [name, one] of dataEntries(value))
        // The library leaves this one out.
        if (name === '__proto__')
          this.#warn(ref, lineOfData(one, line), 'a member called __proto__ is not looked at');
        else if (keyword !== 'patternProperties' || this.#isPattern(name, ref, lineOfData(one, line)))
          setOwn(named, name, this.#schema(one, below(name), lineOfData(value, line), level + 1));
      to[keyword] = named;
    } else if (keyword === 'items') {
      // A list of schemas is what `prefixItems` is now.
      if (Array.isArray(value))
        to['prefixItems'] = value.map((one, i) => this.#schema(one, below(String(i)), line, level + 1));
      else to['items'] = this.#schema(value, below(), line, level + 1);
    } else if (Object.hasOwn(PLAIN_KEYWORDS, keyword)) {
      if (this.#reading.isOld && /^exclusive/.test(keyword) && typeof value === 'boolean') return;
      if (!PLAIN_KEYWORDS[keyword]!(value)) return wrong();
      if (keyword === 'pattern' && !this.#isPattern(value as string, ref, line)) return;
      to[keyword] = withoutLines(value);
    } else if (UNSUPPORTED.has(keyword) && dataMember(node, keyword) !== undefined) {
      this.#warn(ref, line, `${keyword} is not looked at`);
    } else if (this.#reading.isOurs && !keyword.startsWith('x-')) {
      const near = SCHEMA_KEYWORDS.includes(keyword)
        ? undefined
        : (memberOf(OTHER_KEYWORDS, keyword) ?? nearest(keyword, SCHEMA_KEYWORDS));
      if (near !== undefined)
        this.#warn(
          ref,
          lineOfData(value, line),
          `${keyword} is no keyword of JSON Schema, and the nearest is ${near}`,
        );
    }
  }

  #isPattern(text: string, ref: Ref, line: number): boolean {
    try {
      new RegExp(text, 'u');
      return true;
    } catch {
      this.#warn(ref, line, `${text} is no pattern (ECMA-262), so it is not looked at`);
      return false;
    }
  }

  /** The member by which alternatives are told apart, and the definitions of its values. */
  #discriminator(to: Record<string, unknown>, node: DataObject, ref: Ref): void {
    const value = dataMember(node, 'discriminator');
    const member = textMember(value, 'propertyName');
    if (member === undefined) return;
    const mapping: Record<string, string> = {};
    const map = (name: string, target: string): void => {
      const at = refTarget(ref.file, target);
      const known = at && this.#names.get(`${at.file}#${at.pointer}`);
      if (known !== undefined) setOwn(mapping, name, known);
    };
    for (const keyword of ALTERNATIVE_SCHEMAS) {
      const alternatives = dataMember(node, keyword);
      for (const one of Array.isArray(alternatives) ? (alternatives as unknown[]) : []) {
        const target = textMember(one, '$ref');
        if (target !== undefined) map(target.slice(target.lastIndexOf('/') + 1), target);
      }
    }
    for (const [name, target] of dataEntries(dataMember(value, 'mapping')))
      if (typeof target === 'string')
        map(name, /[#/.]/.test(target) ? target : `#/components/schemas/${pointerPart(target)}`);
    to[TOLD_BY] = { member, mapping };
  }

  /** A member that only goes the other way is neither wanted nor known here. */
  #forDirection(to: Record<string, unknown>, node: DataObject, ref: Ref): void {
    const other = this.#reading.direction === 'response' ? 'writeOnly' : 'readOnly';
    const properties = dataMember(node, 'properties');
    const isOther = (name: string): boolean => {
      const property = dataMember(properties, name);
      const next = textMember(property, '$ref');
      if (next === undefined || dataMember(property, other) !== undefined)
        return dataMember(property, other) === true;
      const target = refTarget(ref.file, next);
      const found = target && followed(this.#reading.source, target);
      return found !== undefined && 'node' in found && dataMember(found.node, other) === true;
    };
    const { required, properties: own } = to as {
      required?: readonly string[];
      properties?: Record<string, unknown>;
    };
    if (required) to['required'] = [...new Set(required.filter((name) => !isOther(name)))];
    for (const name of Object.keys(own ?? {})) if (isOther(name)) Reflect.deleteProperty(own!, name);
  }
}

/** What OpenAPI 3.0 says in words of its own, in those of JSON Schema. */
function fromOld(to: Record<string, unknown>, node: DataObject): void {
  for (const [keyword, bound] of [
    ['exclusiveMinimum', 'minimum'],
    ['exclusiveMaximum', 'maximum'],
  ] as const) {
    if (dataMember(node, keyword) !== true || typeof to[bound] !== 'number') continue;
    to[keyword] = to[bound];
    Reflect.deleteProperty(to, bound);
  }
  if (dataMember(node, 'nullable') !== true) return;
  const { type } = to;
  if (typeof type === 'string') to['type'] = [type, 'null'];
  else if (Array.isArray(type) && !type.includes('null')) to['type'] = [...(type as string[]), 'null'];
  const { enum: values } = to;
  if (Array.isArray(values) && !values.includes(null)) to['enum'] = [...(values as unknown[]), null];
  // Beside `allOf` with one reference it is the usual way to say that the reference may be null.
  for (const keyword of ['allOf', 'oneOf', 'anyOf']) {
    const parts = to[keyword];
    if (!Array.isArray(parts) || type !== undefined) continue;
    Reflect.deleteProperty(to, keyword);
    to['anyOf'] = [{ [keyword]: parts }, { type: 'null' }];
  }
}

/** What stands in JSON, as a word. */
export function jsonKind(value: unknown): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'a list';
  if (typeof value === 'object') return 'an object';
  return typeof value === 'string'
    ? 'a text'
    : typeof value === 'number'
      ? 'a number'
      : value === true
        ? 'true'
        : 'false';
}
