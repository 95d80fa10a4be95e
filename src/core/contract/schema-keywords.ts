import { dataEntries, isData } from './document.ts';

/** Keywords by what stands under them. */
export const ONE_SCHEMA: readonly string[] = [
  'not',
  'if',
  'then',
  'else',
  'contains',
  'propertyNames',
  'unevaluatedItems',
  'unevaluatedProperties',
  'additionalProperties',
];
export const SEVERAL_SCHEMAS: readonly string[] = ['allOf', 'prefixItems'];
export const ALTERNATIVE_SCHEMAS: readonly string[] = ['oneOf', 'anyOf'];
export const NAMED_SCHEMAS: readonly string[] = ['properties', 'patternProperties', 'dependentSchemas'];
const isCount = (value: unknown): boolean => Number.isSafeInteger(value) && (value as number) >= 0;
const isNumber = (value: unknown): boolean => typeof value === 'number' && Number.isFinite(value);
const isTexts = (value: unknown): boolean =>
  Array.isArray(value) && value.every((item) => typeof item === 'string');
const isYesNo = (value: unknown): boolean => typeof value === 'boolean';
const isText = (value: unknown): boolean => typeof value === 'string';
export const SCHEMA_TYPES: readonly string[] = [
  'null',
  'boolean',
  'number',
  'integer',
  'string',
  'array',
  'object',
];
const TYPES: ReadonlySet<unknown> = new Set(SCHEMA_TYPES);

/** Words of other languages for keywords. */
export const OTHER_KEYWORDS: Readonly<Record<string, string>> = {
  min: 'minimum',
  max: 'maximum',
  min_length: 'minLength',
  max_length: 'maxLength',
  regex: 'pattern',
  regexp: 'pattern',
  fields: 'properties',
  members: 'properties',
  props: 'properties',
  values: 'enum',
  options: 'enum',
  choices: 'enum',
  mandatory: 'required',
  additional: 'additionalProperties',
};

/** Words of other languages for types. */
export const OTHER_TYPES: Readonly<Record<string, string>> = {
  int: 'integer',
  long: 'integer',
  float: 'number',
  double: 'number',
  decimal: 'number',
  str: 'string',
  text: 'string',
  date: 'string',
  bool: 'boolean',
  list: 'array',
  map: 'object',
  dict: 'object',
};

/** Keywords whose value is no schema, with what it has to be. */
export const PLAIN_KEYWORDS: Readonly<Record<string, (value: unknown) => boolean>> = {
  type: (value) =>
    Array.isArray(value) ? value.length > 0 && value.every((one) => TYPES.has(one)) : TYPES.has(value),
  enum: (value) => Array.isArray(value) && value.length > 0,
  const: () => true,
  multipleOf: (value) => isNumber(value) && (value as number) > 0,
  maximum: isNumber,
  minimum: isNumber,
  exclusiveMaximum: isNumber,
  exclusiveMinimum: isNumber,
  maxLength: isCount,
  minLength: isCount,
  maxItems: isCount,
  minItems: isCount,
  maxContains: isCount,
  minContains: isCount,
  maxProperties: isCount,
  minProperties: isCount,
  uniqueItems: isYesNo,
  pattern: isText,
  format: isText,
  required: isTexts,
  dependentRequired: (value) => isData(value) && dataEntries(value).every(([, names]) => isTexts(names)),
  title: isText,
  description: isText,
  deprecated: isYesNo,
  readOnly: isYesNo,
  writeOnly: isYesNo,
  default: () => true,
  example: () => true,
  examples: (value) => Array.isArray(value),
};

/** Keywords that would change what fits, and that are not looked at. The docs list them. */
export const UNSUPPORTED_KEYWORDS = [
  '$anchor',
  '$dynamicAnchor',
  '$dynamicRef',
  '$id',
  '$recursiveAnchor',
  '$recursiveRef',
  '$vocabulary',
  'contentEncoding',
  'contentMediaType',
  'contentSchema',
  'dependencies',
] as const;
/** All keywords, for what is like one of them. */
export const SCHEMA_KEYWORDS: readonly string[] = [
  ...ONE_SCHEMA,
  ...SEVERAL_SCHEMAS,
  ...ALTERNATIVE_SCHEMAS,
  ...NAMED_SCHEMAS,
  ...Object.keys(PLAIN_KEYWORDS),
  ...UNSUPPORTED_KEYWORDS,
  'items',
  '$ref',
  '$defs',
  '$schema',
  '$comment',
  'discriminator',
  'nullable',
];
