import { createContext, Script } from 'node:vm';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import { fullFormats } from 'ajv-formats/dist/formats.js';
import {
  type JsonSchema,
  type Schema,
  type SchemaObject,
  type Violation,
} from '../../core/contract/json-schema.ts';
import { TOLD_BY } from '../../core/contract/normal-schema.ts';
import { failureWords, memberOfFailure, pathOfPointer } from '../../core/contract/violation-words.ts';
import { memberText } from '../../core/language/path-text.ts';
import { timeText } from '../../core/language/json.ts';
import { durationText } from '../../core/language/duration-text.ts';
import { Exact, numberText } from '../../core/language/numbers.ts';
import { Pattern } from '../../core/language/pattern/pattern.ts';
import { Duration, Time, type Value } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { Validator } from '../../core/ports.ts';

const MOST_VIOLATIONS = 50;
/** So many items of a list that does not fit are looked at for what is wrong; each may come to several errors. */
const MOST_ITEMS = 1_000;
/** A pattern that is not of RFC 9485 may take time that grows with the square of a text or worse, so a longer text fits. */
const LONGEST_FOR_REGEXP = 1_000;
/** So short a text takes no time worth speaking of, whatever the pattern. */
const SHORT_FOR_REGEXP = 16;
const LONGEST_TRY_MS = 100;

/** A schema with what was compiled of it. */
interface Compiled {
  readonly id: string;
  readonly root: JsonSchema;
  /** Says only whether a value fits. */
  readonly quick: ValidateFunction;
  /** Finds all that does not fit; made when something does not. */
  full?: ValidateFunction;
  readonly alternatives: Map<string, ValidateFunction>;
}

/** Holds values to schemas by ajv. */
export class SchemaValidator implements Validator {
  readonly #quick = validatorOf(false);
  readonly #full = validatorOf(true);
  readonly #compiled = new WeakMap<Schema, Compiled>();
  #count = 0;

  fits(schema: Schema, value: Value): boolean {
    return schema.json === true || this.#compiledOf(schema).quick(plainOf(value));
  }

  violations(schema: Schema, value: Value): readonly Violation[] {
    if (schema.json === true) return [];
    const data = plainOf(value);
    const compiled = this.#compiledOf(schema);
    if (compiled.quick(data)) return [];
    const errors = this.#errors(compiled, data) ?? (compiled.quick.errors as ErrorObject[]);
    return errors.slice(0, MOST_VIOLATIONS).map((error) => violationOf(schema, compiled, error, data));
  }

  #compiledOf(schema: Schema): Compiled {
    let compiled = this.#compiled.get(schema);
    if (!compiled) this.#compiled.set(schema, (compiled = this.#compile(schema)));
    return compiled;
  }

  #compile({ json }: Schema): Compiled {
    const id = `schema${++this.#count}`;
    const root = typeof json === 'boolean' ? json : { ...json, $id: id };
    return { id, root, quick: compiled(this.#quick, root), alternatives: new Map() };
  }

  /** All that does not fit; undefined where it lies beyond what is looked at. */
  #errors(compiled: Compiled, data: unknown): ErrorObject[] | undefined {
    compiled.full ??= this.#full.compile(compiled.root);
    if (compiled.full(shortened(data))) return undefined;
    return this.#explained(compiled, compiled.full.errors as ErrorObject[]);
  }

  /**
   * Errors of alternatives stand before the one that says that none of them fits: in their place come those of the alternative
   * that was meant.
   */
  #explained(compiled: Compiled, errors: readonly ErrorObject[]): ErrorObject[] {
    const explained: ErrorObject[] = [];
    const left = errors.filter(({ keyword, propertyName }) => keyword !== 'if' && propertyName === undefined);
    while (left.length > 0) {
      const error = left.pop()!;
      const lists =
        error.keyword === 'oneOf' || error.keyword === 'anyOf' ? this.#lists(compiled, error) : undefined;
      if (!lists) {
        explained.push(error);
        continue;
      }
      const passing = error.params['passingSchemas'] as readonly number[] | undefined;
      const tried = passing ? lists.slice(0, passing[1]) : lists;
      left.length -= Math.min(
        left.length,
        tried.reduce((sum, list) => sum + list.length, 0),
      );
      explained.push(...(passing ? [error] : this.#meant(compiled, error, lists)).reverse());
    }
    return explained.reverse();
  }

  /** The errors of each alternative, as they stand in the list. */
  #lists(compiled: Compiled, { keyword, parentSchema, data }: ErrorObject): ErrorObject[][] | undefined {
    const parts = parentSchema?.[keyword] as readonly (SchemaObject | boolean)[];
    if (!parts.every((part) => typeof part === 'object' && Object.keys(part).length === 1 && '$ref' in part))
      return undefined;
    return parts.map((part) => {
      const ref = (part as SchemaObject)['$ref'] as string;
      let validate = compiled.alternatives.get(ref);
      if (!validate)
        compiled.alternatives.set(ref, (validate = this.#full.compile({ $ref: `${compiled.id}${ref}` })));
      return validate(data) ? [] : (validate.errors as ErrorObject[]).slice();
    });
  }

  /** What is wrong with the alternative that was meant: that which a member names, or the one that is nearest. */
  #meant(compiled: Compiled, error: ErrorObject, lists: readonly ErrorObject[][]): ErrorObject[] {
    const told = error.parentSchema?.[TOLD_BY] as
      { readonly member: string; readonly mapping: Readonly<Record<string, string>> } | undefined;
    const value = told && (error.data as Record<string, unknown> | null)?.[told.member];
    const named =
      typeof value === 'string' && Object.hasOwn(told!.mapping, value) ? told!.mapping[value] : undefined;
    const parts = error.parentSchema![error.keyword] as readonly SchemaObject[];
    const byName = named === undefined ? -1 : parts.findIndex((part) => part['$ref'] === named);
    const isOther = (list: readonly ErrorObject[]): boolean =>
      list.some(({ keyword, instancePath }) => keyword === 'type' && instancePath === '');
    if (byName < 0 && lists.every(isOther)) {
      const types = lists.flatMap((list) =>
        list.flatMap(({ keyword, params, instancePath }) =>
          keyword === 'type' && instancePath === '' ? String(params['type']).split(',') : [],
        ),
      );
      return [{ ...error, keyword: 'type', params: { type: [...new Set(types)] } }];
    }
    const explained = lists.map((list) => (isOther(list) ? undefined : this.#explained(compiled, list)));
    const best =
      byName >= 0
        ? this.#explained(compiled, lists[byName]!)
        : explained.filter((list) => list !== undefined).toSorted((a, b) => apart(a) - apart(b))[0]!;
    return best.map((one) => ({ ...one, instancePath: error.instancePath + one.instancePath }));
  }
}

/** Compiles a schema. Throws `not-a-description` where the library can't use it, though all of its words are right. */
function compiled(ajv: Ajv2020, root: JsonSchema): ValidateFunction {
  try {
    return ajv.compile(root);
  } catch (error) {
    return fail('not-a-description', `a schema can't be used: ${(error as Error).message}`);
  }
}

/** How far a value is from an alternative: one without its members is hardly meant as it. */
function apart(errors: readonly ErrorObject[]): number {
  return errors.reduce((sum, { keyword }) => sum + (keyword === 'required' ? 2 : 1), 0);
}

function validatorOf(all: boolean): Ajv2020 {
  return new Ajv2020({
    strict: false,
    logger: false,
    meta: false,
    validateSchema: false,
    addUsedSchema: true,
    // A member may be called `constructor`.
    ownProperties: true,
    allErrors: all,
    verbose: all,
    formats: fullFormats,
    code: { regExp: Object.assign(testerOf, { code: 'linear patterns' }) },
  });
}

/** What ECMAScript's escapes stand for, which RFC 9485 does not have ([CharacterClassEscape](https://tc39.es/ecma262/#prod-CharacterClassEscape)). */
const CHARACTERS: Readonly<Record<string, string>> = {
  d: '0-9',
  w: 'A-Za-z0-9_',
  s: ' \\t\\n\\r\u000b\u000c\u00a0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000\ufeff',
};

/** How a pattern is tried: in linear time where it can be. */
function testerOf(pattern: string, flags: string): { test(text: string): boolean; toString(): string } {
  // By this the library tells patterns apart.
  const toString = (): string => `/${pattern}/${flags}`;
  try {
    const own = new Pattern(
      pattern.replace(/\\([dDwWsS])/g, (whole, letter: string, at: number) => {
        const escaped = /\\*$/.exec(pattern.slice(0, at))![0].length % 2 === 1;
        const isInClass = /(?:^|[^\\])\[(?:[^\]\\]|\\.)*$/.test(pattern.slice(0, at));
        const set = CHARACTERS[letter.toLowerCase()]!;
        const isNegated = letter !== letter.toLowerCase();
        if (escaped || (isInClass && isNegated)) return whole;
        return isInClass ? set : `[${isNegated ? '^' : ''}${set}]`;
      }),
    );
    return { test: (text) => own.search(text), toString };
  } catch {
    return { test: boundedTest(new RegExp(pattern, flags)), toString };
  }
}

/** Tries an expression that may take long; one that once took too long fits from then on. */
function boundedTest(expression: RegExp): (text: string) => boolean {
  const context = createContext({ expression, text: '' });
  let isSlow = false;
  return (text) => {
    if (text.length <= SHORT_FOR_REGEXP) return expression.test(text);
    if (isSlow || text.length > LONGEST_FOR_REGEXP) return true;
    context.text = text;
    try {
      return TRY.runInContext(context, { timeout: LONGEST_TRY_MS }) as boolean;
    } catch {
      isSlow = true;
      return true;
    }
  };
}

const TRY = new Script('expression.test(text)');

function violationOf(schema: Schema, compiled: Compiled, error: ErrorObject, data: unknown): Violation {
  const failure = {
    keyword: error.keyword,
    params: error.params,
    data: error.data ?? dataAtPointer(data, error.instancePath),
    schema: error.parentSchema,
  };
  const member = memberOfFailure(failure);
  const part = error.parentSchema as unknown;
  const at = schema.at(part === compiled.root ? schema.json : part);
  return {
    path: pathOfPointer(error.instancePath, data) + (member === undefined ? '' : memberText(member)),
    says: failureWords(failure),
    ...(at ? { at } : {}),
  };
}

function dataAtPointer(data: unknown, pointer: string): unknown {
  return pointer
    .split('/')
    .slice(1)
    .reduce<unknown>(
      (at, part) =>
        (at as Record<string, unknown> | undefined)?.[part.replaceAll('~1', '/').replaceAll('~0', '~')],
      data,
    );
}

/** A value in the terms of JSON: itself, where it has nothing that JSON has not. */
function plainOf(value: Value): unknown {
  if (typeof value !== 'object' || value === null) return value;
  if (value instanceof Exact) {
    const number = Number(numberText(value));
    return Number.isFinite(number) ? number : Math.sign(number) * Number.MAX_VALUE;
  }
  if (value instanceof Time) return timeText(value);
  if (value instanceof Duration) return durationText(value);
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64');
  if (Array.isArray(value)) {
    let copy: unknown[] | undefined;
    for (const [i, item] of value.entries()) {
      if (typeof item !== 'object') continue;
      const plain = plainOf(item);
      if (plain !== item) (copy ??= value.slice())[i] = plain;
    }
    return copy ?? value;
  }
  let copy: Record<string, unknown> | undefined;
  for (const name in value) {
    const member = value[name]!;
    if (typeof member !== 'object') continue;
    const plain = plainOf(member);
    if (plain !== member) (copy ??= { ...value })[name] = plain;
  }
  return copy ?? value;
}

/** The same with lists that end after so many items. */
function shortened(data: unknown): unknown {
  if (Array.isArray(data)) {
    const few = data.length > MOST_ITEMS ? (data as unknown[]).slice(0, MOST_ITEMS) : (data as unknown[]);
    const items = few.map(shortened);
    return few === data && items.every((item, i) => item === few[i]) ? data : items;
  }
  if (typeof data !== 'object' || data === null) return data;
  let copy: Record<string, unknown> | undefined;
  for (const [name, member] of Object.entries(data)) {
    const short = shortened(member);
    if (short !== member) (copy ??= { ...data })[name] = short;
  }
  return copy ?? data;
}
