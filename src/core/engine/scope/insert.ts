import { percentEncode, percentEncodeReserved } from '../../language/encodings.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { isDropping } from '../../language/tree.ts';
import { withArticle } from '../../language/kinds.ts';
import { brief, visible } from '../../language/show.ts';
import { numberText } from '../../language/numbers.ts';
import {
  isNumeric,
  isObject,
  kindOf,
  type Maybe,
  membersOf,
  objectOf,
  type Value,
} from '../../language/values.ts';
import { SHORTEST_NEEDLE } from '../masking/needles.ts';
import { fail, type Problem, ProblemError, type Span } from '../../problems.ts';
import { FIELD_NAME } from '../../header-names.ts';
import type { Insertion, Parameter, PlacedExpression, Template, Typed } from '../../chain/model.ts';

/** Finds the values of insertions. */
export interface Inserter {
  /** The value, or nothing. Throws with a place. */
  value(insertion: PlacedExpression): Maybe;
  /** Throws why an insertion came out as nothing. */
  nothing(insertion: PlacedExpression): never;
  /** Marks such as ‹secret desk› stand in for secrets. */
  readonly marks?: boolean;
}

function at(insertion: PlacedExpression, problem: Omit<Problem, 'place' | 'span'>): never {
  throw new ProblemError({ ...problem, place: insertion.at(insertion.expression.tree.span) });
}

/** What an expression is called in a message. */
function sourceOf({ expression }: PlacedExpression): string {
  const [start, end]: Span = expression.tree.span;
  return expression.text.slice(start, end);
}

/** One value in a longer text. */
function insertedText(inserter: Inserter, insertion: Insertion): string {
  const value = inserter.value(insertion);
  if (value === undefined) return inserter.nothing(insertion);
  return textOf(insertion, value);
}

function textOf(insertion: Insertion, value: Value): string {
  const text = plainText(value);
  if (text !== undefined) return text;
  const source = sourceOf(insertion);
  const kind = kindOf(value);
  const hint =
    kind === 'list'
      ? `\${join(${source}, ',')}, or \${json(${source})}`
      : kind === 'bytes'
        ? `\${base64(${source})}, or \${hex(${source})}`
        : kind === 'null'
          ? `\${${source} ?? 'text'}`
          : `\${json(${source})}, or one of its members`;
  return at(insertion, {
    code: 'wrong-kind',
    message: `${source} is ${withArticle(kind)}, and a text is wanted here: ${brief(value, 60)}`,
    hint,
  });
}

/** A text as it stands, with values in it. */
export function renderText(inserter: Inserter, { parts }: Template): string {
  return parts.map((part) => (typeof part === 'string' ? part : insertedText(inserter, part))).join('');
}

/**
 * A text that may be left out: nothing where it is one insertion that is null, or that ends in `?? nothing` and is nothing.
 */
export function renderOptional(inserter: Inserter, template: Template): string | undefined {
  const [only] = template.parts;
  if (template.parts.length !== 1 || typeof only !== 'object') return renderText(inserter, template);
  const value = inserter.value(only);
  if (value === null) return undefined;
  if (value === undefined) return isDropping(only.expression.tree) ? undefined : inserter.nothing(only);
  return textOf(only, value);
}

/** The value of a header field (RFC 9110, section 5.5): no control characters, nothing that does not fit into a byte. */
export function renderField(inserter: Inserter, name: string, template: Template): string | undefined {
  const text = renderOptional(inserter, template);
  return text === undefined ? undefined : fieldText(inserter, name, text, placeOfInsertion(template));
}

/** The fields that the members of an object are; null leaves one out. */
export function renderFieldsOf(inserter: Inserter, insertion: Insertion): [string, string | undefined][] {
  const place = insertion.at(insertion.expression.tree.span);
  return insertedMembers(inserter, insertion).map(([name, value]) => {
    if (!FIELD_NAME.test(name) && name !== '')
      return at(insertion, {
        code: 'bad-insertion',
        message: `"${visible(name)}" can't be the name of a header field`,
        hint: 'letters, digits and -',
      });
    return [name, value === null ? undefined : fieldText(inserter, name, textOf(insertion, value), place)];
  });
}

function fieldText(inserter: Inserter, name: string, text: string, place: Problem['place'] & object): string {
  const sent = inserter.marks ? text.replace(/‹[^›]*›/g, '') : text;
  const bad = /[\u0000-\u0008\u000a-\u001f\u007f]|[^\u0000-\u00ff]/.exec(sent)?.[0];
  if (bad !== undefined) {
    const control = bad < ' ' || bad === '\u007f';
    throw new ProblemError({
      code: 'bad-insertion',
      message: control
        ? `the header ${name} would contain the control character ${visible(bad)}, which could start another header`
        : `the field ${name} would hold "${bad}", and a field holds bytes`,
      hint: control ? "trim(x), or replace(x, '…', ' ')" : 'percent(x) or base64(x)',
      place,
    });
  }
  return text.trim();
}

function placeOfInsertion({ parts, at: place }: Template): Problem['place'] & object {
  const insertion = parts.find((part) => typeof part === 'object');
  return insertion ? insertion.at(insertion.expression.tree.span) : place;
}

/** A literal part of a URL: what can't stand in one is percent-encoded, all else stays. */
function literalUrl(text: string): string {
  return text.replace(/[^\u0021-\u007e]+|["<>\\^`{|}]/g, (part) => encodeURIComponent(part.toWellFormed()));
}

/**
 * The path (and query) of a URL. Inserted values are percent-encoded (RFC 6570, simple expansion; raw(x): reserved
 * expansion). Throws `bad-insertion` where a segment with an inserted value would be empty, `.` or `..`.
 */
export function renderUrl(inserter: Inserter, template: Template): string {
  let url = '';
  const marks: { start: number; end: number; insertion: Insertion }[] = [];
  for (const part of template.parts) {
    if (typeof part === 'string') {
      url += literalUrl(part);
      continue;
    }
    const start = url.length;
    const text = insertedText(inserter, part);
    url += part.raw ? percentEncodeReserved(text) : percentEncode(text);
    marks.push({ start, end: url.length, insertion: part });
  }
  if (marks.length > 0) checkSegments(url, marks);
  return url;
}

function checkSegments(
  url: string,
  marks: readonly { start: number; end: number; insertion: Insertion }[],
): void {
  const path = /^[^?#]*/.exec(url)![0];
  const authority = /^https?:\/\/[^/]*/.exec(path)?.[0].length ?? 0;
  for (let start = authority; start <= path.length;) {
    const slash = path.indexOf('/', start);
    const end = slash < 0 ? path.length : slash;
    const mark = marks.find((one) => one.start <= end && one.end >= start && one.start <= path.length);
    const segment = path.slice(start, end).replace(/%2e/gi, '.');
    if (mark && (segment === '' || segment === '.' || segment === '..')) {
      const source = sourceOf(mark.insertion);
      at(mark.insertion, {
        code: 'bad-insertion',
        message: `${source} would make ${segment === '' ? 'an empty segment' : `the segment ${segment}`} of the path, which is another resource`,
        hint: segment === '' ? `when: ${source} != ''` : 'a value that names one thing',
      });
    }
    start = end + 1;
  }
}

/** A text of XML: inserted values are escaped, as text and inside attributes (XML 1.0, section 2.4). */
export function renderXml(inserter: Inserter, { parts }: Template): string {
  return parts
    .map((part) => {
      if (typeof part === 'string') return part;
      const text = insertedText(inserter, part);
      const bad = /[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/u.exec(text)?.[0];
      if (bad !== undefined)
        at(part, {
          code: 'bad-insertion',
          message: `${sourceOf(part)} holds the character ${visible(bad)}, which XML can't hold`,
          hint: "replace(x, '…', ''), or base64(x)",
        });
      return part.raw ? text : text.replace(/[&<>"']/g, (char) => XML_ESCAPES[char]!);
    })
    .join('');
}

const XML_ESCAPES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&apos;',
};

/**
 * The path of a file. An inserted value is part of one name: what could lead elsewhere is percent-encoded. Throws
 * `bad-insertion` where a name with an inserted value would be empty, `.` or `..`.
 */
export function renderPath(inserter: Inserter, { parts }: Template): string {
  let path = '';
  const marks: { start: number; end: number; insertion: Insertion }[] = [];
  for (const part of parts) {
    const start = path.length;
    if (typeof part === 'string') path += part;
    else {
      path += insertedText(inserter, part).replace(
        /[\u0000-\u001f\u007f/\\:%]/g,
        (char) => `%${char.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`,
      );
      marks.push({ start, end: path.length, insertion: part });
    }
  }
  let start = 0;
  for (const name of path.split('/')) {
    const end = start + name.length;
    const mark = marks.find((one) => one.start <= end && one.end >= start);
    if (mark && /^\.{0,2}$/.test(name)) {
      at(mark.insertion, {
        code: 'bad-insertion',
        message: `${sourceOf(mark.insertion)} would make ${name === '' ? 'an empty name' : `the name ${name}`} of a file or folder`,
        hint: 'a value that names one thing',
      });
    }
    start = end + 1;
  }
  return path;
}

/** Names and values of a query or form; a list repeats the name, null and dropped values leave it out. */
export function renderParameters(inserter: Inserter, parameters: readonly Parameter[]): [string, string][] {
  return parameters.flatMap(({ all, name, value }): [string, string][] => {
    if (all && value.type === 'insertion')
      return insertedMembers(inserter, value.insertion).flatMap(([member, one]) =>
        valueTexts(value.insertion, one).map((text): [string, string] => [member, text]),
      );
    return parameterTexts(inserter, name, value).map((text) => [name, text]);
  });
}

/** The members of an object that is inserted as a whole; none where it is null or dropped. */
export function insertedMembers(inserter: Inserter, insertion: Insertion): [string, Value][] {
  const value = inserter.value(insertion);
  if (value === null) return [];
  if (value === undefined) return isDropping(insertion.expression.tree) ? [] : inserter.nothing(insertion);
  // A mark stands in for an object that is not known.
  if (inserter.marks && typeof value === 'string') return [['', value]];
  if (isObject(value)) return [...membersOf(value)];
  return at(insertion, {
    code: 'wrong-kind',
    message: `${sourceOf(insertion)} is ${withArticle(kindOf(value))}, and an object is wanted here, whose members are taken: ${brief(value, 60)}`,
  });
}

/** A value as the texts of a parameter: a list gives one for each item, null none. */
function valueTexts(insertion: Insertion, value: Value): string[] {
  if (value === null) return [];
  return Array.isArray(value)
    ? value.filter((item) => item !== null).map((item) => textOf(insertion, item))
    : [textOf(insertion, value)];
}

function parameterTexts(inserter: Inserter, name: string, typed: Typed): string[] {
  switch (typed.type) {
    case 'list':
      return typed.items.flatMap((item) => parameterTexts(inserter, name, item));
    case 'template':
      return [renderText(inserter, typed.template)];
    case 'value':
      return typed.value === null ? [] : [plainText(typed.value) ?? ''];
    case 'object':
      return [];
    case 'insertion': {
      const { insertion } = typed;
      const value = inserter.value(insertion);
      if (value === undefined)
        return isDropping(insertion.expression.tree) ? [] : inserter.nothing(insertion);
      return valueTexts(insertion, value);
    }
  }
}

/** Parameters as the query of a URL: a blank is %20. */
export function encodeQuery(parameters: readonly (readonly [string, string])[]): string {
  return parameters.map(([name, value]) => `${percentEncode(name)}=${percentEncode(value)}`).join('&');
}

/** Parameters as a form (application/x-www-form-urlencoded): a blank is +. */
export function encodeForm(parameters: readonly (readonly [string, string])[]): string {
  return encodeQuery(parameters).replaceAll('%20', '+');
}

/** The value of a typed field; a whole insertion keeps its kind, a dropped one leaves out its member or item. */
export function renderTyped(inserter: Inserter, typed: Typed): Maybe {
  switch (typed.type) {
    case 'value':
      return typed.value;
    case 'template':
      return renderText(inserter, typed.template);
    case 'insertion': {
      const value = inserter.value(typed.insertion);
      if (value !== undefined || isDropping(typed.insertion.expression.tree)) return value;
      return inserter.nothing(typed.insertion);
    }
    case 'list':
      return typed.items.flatMap((item) => {
        const value = renderTyped(inserter, item);
        return value === undefined ? [] : [value];
      });
    case 'object':
      return objectOf(
        typed.members.flatMap(([name, member]): [string, Value][] => {
          const value = renderTyped(inserter, member);
          return value === undefined ? [] : [[name, value]];
        }),
      );
  }
}

/** Whether a text or number of a value is too short to be found again where it was not put. */
export function isTooShort(value: Maybe): boolean {
  if (typeof value === 'string') return value !== '' && value.length < SHORTEST_NEEDLE;
  if (isNumeric(value)) return numberText(value).length < SHORTEST_NEEDLE;
  if (Array.isArray(value)) return value.some(isTooShort);
  return isObject(value) && Object.values(value).some(isTooShort);
}

/** The same inserter, which tells of secrets that are too short to be found again. */
export function watchingShort(inserter: Inserter, short: (insertion: PlacedExpression) => void): Inserter {
  return {
    ...inserter,
    value: (insertion) => {
      const value = inserter.value(insertion);
      if (insertion.expression.secret && isTooShort(value)) short(insertion);
      return value;
    },
  };
}

/** Throws `secret-too-short` where a secret was inserted that could not be masked there. */
export function refuseShortSecret(insertion: PlacedExpression): never {
  return fail(
    'secret-too-short',
    `${sourceOf(insertion)} is a secret of fewer than ${SHORTEST_NEEDLE} characters, which can't be masked here`,
    {
      hint: 'a header field, a parameter or a member of JSON, whose name tells where it stands',
      place: insertion.at(insertion.expression.tree.span),
    },
  );
}
