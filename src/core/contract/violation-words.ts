import { countOf } from '../count-of.ts';
import { memberText } from '../language/path-text.ts';
import { brief } from '../language/show.ts';
import type { Value } from '../language/values.ts';
import { jsonKind } from './normal-schema.ts';

/** What a validator of JSON Schema says of a value that does not fit. */
export interface SchemaFailure {
  readonly keyword: string;
  readonly params: Readonly<Record<string, unknown>>;
  /** The value that was looked at. */
  readonly data: unknown;
  /** The schema in which the keyword stands. */
  readonly schema: unknown;
}

const WANTED: Readonly<Record<string, string>> = {
  null: 'null',
  boolean: 'true or false',
  number: 'number',
  integer: 'whole number',
  string: 'text',
  array: 'list',
  object: 'object',
};

/** The names of JSON Schema's types as words: "number or text". */
export function typeWords(types: readonly string[]): string {
  const words = types.map((type) => WANTED[type] ?? type);
  return words.length > 1 ? `${words.slice(0, -1).join(', ')} or ${words.at(-1)!}` : (words[0] ?? 'nothing');
}

/** The path of a part of a value: a JSON pointer, as the language writes it. */
export function pathOfPointer(pointer: string, value: unknown): string {
  let path = '$';
  let at = value;
  for (const part of pointer.split('/').slice(1)) {
    const name = part.replaceAll('~1', '/').replaceAll('~0', '~');
    path += Array.isArray(at) ? `[${name}]` : memberText(name);
    at = (at as Record<string, unknown> | undefined)?.[name];
  }
  return path;
}

/** The member that a failure is about, where it is one of the value that was looked at. */
export function memberOfFailure({ keyword, params }: SchemaFailure): string | undefined {
  const name =
    keyword === 'required' || keyword === 'dependentRequired'
      ? params['missingProperty']
      : keyword === 'additionalProperties'
        ? params['additionalProperty']
        : keyword === 'unevaluatedProperties'
          ? params['unevaluatedProperty']
          : undefined;
  return typeof name === 'string' ? name : undefined;
}

/** How many characters a text has: code points, as JSON Schema counts them. */
export function charactersIn(text: string): number {
  return text.replace(/[\ud800-\udbff][\udc00-\udfff]/g, '.').length;
}

/** What is wrong, as it stands behind the path: "is a text, number wanted". */
export function failureWords(failure: SchemaFailure): string {
  const { keyword, params, data, schema } = failure;
  const limit = params['limit'] as number;
  const size = Array.isArray(data)
    ? countOf(data.length, 'item')
    : typeof data === 'string'
      ? countOf(charactersIn(data), 'character')
      : countOf(Object.keys(data ?? {}).length, 'member');
  switch (keyword) {
    case 'type': {
      const type = params['type'];
      const types = (Array.isArray(type) ? type : String(type).split(',')) as string[];
      const isFraction = typeof data === 'number' && types.includes('integer');
      return `is ${isFraction ? shown(data) : kindWord(data)}, ${typeWords(types)} wanted`;
    }
    case 'required':
    case 'dependentRequired': {
      const properties = (schema as { properties?: Record<string, unknown> } | undefined)?.properties;
      const wanted = (properties?.[memberOfFailure(failure) ?? ''] as { type?: unknown } | undefined)?.type;
      const types = typeof wanted === 'string' ? [wanted] : Array.isArray(wanted) ? (wanted as string[]) : [];
      return types.length === 0 ? 'is missing' : `is missing, ${typeWords(types)} wanted`;
    }
    case 'additionalProperties':
    case 'unevaluatedProperties':
      return 'is not described';
    case 'enum':
      return `is ${shown(data)}, ${oneOf(params['allowedValues'] as readonly unknown[])} wanted`;
    case 'const':
      return `is ${shown(data)}, ${shown(params['allowedValue'])} wanted`;
    case 'minimum':
      return `is ${shown(data)}, at least ${limit} wanted`;
    case 'maximum':
      return `is ${shown(data)}, at most ${limit} wanted`;
    case 'exclusiveMinimum':
      return `is ${shown(data)}, more than ${limit} wanted`;
    case 'exclusiveMaximum':
      return `is ${shown(data)}, less than ${limit} wanted`;
    case 'multipleOf':
      return `is ${shown(data)}, a multiple of ${String(params['multipleOf'])} wanted`;
    case 'minLength':
    case 'minItems':
    case 'minProperties':
      return `has ${size}, at least ${limit} wanted`;
    case 'maxLength':
    case 'maxItems':
    case 'maxProperties':
      return `has ${size}, at most ${limit} wanted`;
    case 'pattern':
      return `is ${shown(data)}, which does not match ${String(params['pattern'])}`;
    case 'format':
      return `is ${shown(data)}, which is no ${String(params['format'])}`;
    case 'uniqueItems':
      return `has the same item at ${String(params['j'])} and ${String(params['i'])}, different ones wanted`;
    case 'contains':
      return `has ${size}, and too few or too many of them are as wanted`;
    case 'propertyNames':
      return `has a member ${JSON.stringify(params['propertyName'])}, a name that is not as wanted`;
    case 'items':
    case 'unevaluatedItems':
      return `has ${size}, at most ${String(params['limit'] ?? params['len'])} wanted`;
    case 'oneOf':
      return params['passingSchemas']
        ? 'fits more than one of the alternatives, exactly one wanted'
        : 'fits none of the alternatives';
    case 'anyOf':
      return 'fits none of the alternatives';
    case 'not':
      return `is ${kindWord(data)} of a kind that is not wanted`;
    case 'false schema':
      return 'is not wanted there';
    default:
      return `is not as ${keyword} wants it`;
  }
}

/** A value in a few words. */
function shown(data: unknown): string {
  return brief(data as Value, 60);
}

function kindWord(data: unknown): string {
  return data === true || data === false ? `${data}` : jsonKind(data);
}

function oneOf(values: readonly unknown[]): string {
  const few = values.slice(0, 8).map(shown);
  return few.length === 1 ? few[0]! : `one of ${few.join(', ')}${values.length > few.length ? ' …' : ''}`;
}
