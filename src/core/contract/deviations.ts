import type { HeaderList, Validator } from '../ports.ts';
import { sameInItems } from '../language/same-in-items.ts';
import { numberOf } from '../language/numbers.ts';
import type { Maybe, Value } from '../language/values.ts';
import type { DescribedParameter, Description, Operation } from './description.ts';
import type { Spot } from './document.ts';
import { partsOf } from './find-operation.ts';
import { contentFor, responseFor } from './responses.ts';

/** Where a request or a response is not as its operation is described. */
export interface Deviation {
  /** A path of `$`; of what is not in the body, a word for it: `status`, `header ETag`, `query limit`. */
  readonly path: string;
  /** What is wrong there: "is a text, number wanted". */
  readonly says: string;
  readonly at: Spot;
  /** At how many more items of lists it is the same. */
  readonly also?: number;
}

/** So many deviations of one response are told. */
const MOST = 20;

/** A response as far as it is looked at. */
export interface ReceivedResponse {
  readonly status: number;
  /** Names in small letters. */
  readonly headers: HeaderList;
  /** The media type, without parameters. */
  readonly type: string | undefined;
  /** The body as JSON; undefined if it is none, or is not looked at. */
  readonly json: Maybe;
  /** How long the body is, in bytes. */
  readonly size: number;
}

const isJson = (type: string): boolean => /[/+]json$/.test(type);

/** Where a response is not as its operation is described; none if it is. */
export function responseDeviations(
  description: Description,
  operation: Operation,
  response: ReceivedResponse,
  validator: Validator | undefined,
): Deviation[] {
  const described = responseFor(operation.responses, response.status);
  const { method, at } = operation.head;
  if (!described) return [{ path: 'status', says: `is ${response.status}, which is not described`, at }];
  const found: Deviation[] = [];
  for (const header of described.headers) {
    const name = header.name.toLowerCase();
    const value = response.headers.find(([other]) => other.toLowerCase() === name)?.[1];
    if (value === undefined) {
      if (header.required) found.push({ path: `header ${header.name}`, says: 'is missing', at: header.at });
    } else if (header.schema && validator) {
      found.push(
        ...wireViolations(description, { schema: header.schema, value }, 'response', validator).map(
          (one) => ({
            path: `header ${header.name}`,
            says: one.says,
            at: one.at ?? header.at,
          }),
        ),
      );
    }
  }
  const isEmpty = response.size === 0;
  const hasNone = method === 'HEAD' || response.status === 204 || response.status === 304;
  if (described.content.length === 0 || hasNone) return sameInItems(found).slice(0, MOST);
  const types = described.content.map(({ type }) => type).join(', ');
  if (isEmpty) return [...found, { path: 'body', says: `is empty, ${types} wanted`, at: described.at }];
  const { type } = response;
  const content = contentFor(described.content, type ?? 'application/octet-stream');
  if (!content) {
    found.push({
      path: 'content type',
      says: `is ${type ?? 'missing'}, ${types} wanted`,
      at: described.at,
    });
  } else if (content.schema && validator && response.json !== undefined && isJson(type ?? '')) {
    const schema = description.schema(content.schema, 'response');
    for (const { path, says, at: where } of validator.violations(schema, response.json))
      found.push({ path, says, at: where ?? described.at });
  }
  return sameInItems(found).slice(0, MOST);
}

/** A request as far as it is looked at. */
export interface SentRequest {
  readonly url: string;
  /** The parts of its path behind that of the service. */
  readonly segments: readonly string[];
  readonly headers: HeaderList;
  /** The body, where it is JSON. */
  readonly json: Maybe;
}

/** Headers that the specification leaves to other words of a description. */
const NOT_PARAMETERS: ReadonlySet<string> = new Set(['accept', 'content-type', 'authorization']);

/** Where a request is not as its operation is described: parameters of path, query and headers, and a body of JSON. */
export function requestDeviations(
  description: Description,
  operation: Operation,
  request: SentRequest,
  validator: Validator,
): Deviation[] {
  const found: Deviation[] = [];
  if (operation.parameters.length > 0)
    for (const { parameter, value, what } of sentParameters(operation, request)) {
      if (value === undefined) {
        found.push({ path: what, says: 'is missing', at: parameter.at });
        continue;
      }
      const own = { schema: parameter.schema!, value, isItem: parameter.in === 'query' };
      for (const { says, at } of wireViolations(description, own, 'request', validator))
        found.push({ path: what, says, at: at ?? parameter.at });
    }
  const { json } = request;
  const content = json === undefined ? undefined : operation.body?.content.find(({ type }) => isJson(type));
  if (content?.schema)
    for (const { path, says, at } of validator.violations(
      description.schema(content.schema, 'request'),
      json!,
    ))
      found.push({ path, says, at: at ?? operation.body!.at });
  return sameInItems(found).slice(0, MOST);
}

/** The parameters that a request gave as texts as they stand, and headers that it had to give; what each is called. */
function* sentParameters(
  { head, parameters }: Operation,
  { headers, segments, url }: SentRequest,
): Generator<{
  readonly parameter: DescribedParameter;
  readonly value: string | undefined;
  readonly what: string;
}> {
  const search = url.indexOf('?');
  const query = search < 0 ? undefined : new URLSearchParams(url.slice(search).replace(/#.*$/s, ''));
  const names = parameters.some((one) => one.in === 'path') ? partsOf(head.path) : [];
  for (const parameter of parameters) {
    const { in: where, name } = parameter;
    if (where === 'query' && query && isPlain(parameter))
      for (const value of new Set(query.getAll(name))) yield { parameter, value, what: `query ${name}` };
    if (where === 'path' && parameter.schema && parameter.style === 'simple') {
      const at = names.indexOf(`{${name}}`);
      const value = at < 0 ? undefined : segments.at(at - names.length);
      if (value !== undefined) yield { parameter, value, what: `path ${name}` };
    }
    if (where === 'header' && !NOT_PARAMETERS.has(name.toLowerCase())) {
      const value = headers.find(([other]) => other.toLowerCase() === name.toLowerCase())?.[1];
      if (value === undefined ? parameter.required : parameter.schema !== undefined)
        yield { parameter, value, what: `header ${name}` };
    }
  }
}

/** A parameter whose value is the text as it stands. */
function isPlain({ schema, style, explode }: DescribedParameter): boolean {
  return schema !== undefined && style === 'form' && explode;
}

/** How a text of a header or query is otherwise than wanted: it fits as a text, number or truth, or as the item of a list. */
function wireViolations(
  description: Description,
  {
    schema: ref,
    value,
    isItem,
  }: { schema: NonNullable<DescribedParameter['schema']>; value: string; isItem?: boolean },
  direction: 'request' | 'response',
  validator: Validator,
): readonly { readonly says: string; readonly at?: Spot }[] {
  const schema = description.schema(ref, direction);
  // Most are texts, and fit as such.
  if (validator.fits(schema, value)) return [];
  const readings: Value[] = [value];
  if (/^-?\d{1,30}(?:\.\d{1,30})?(?:[eE][-+]?\d{1,3})?$/.test(value)) readings.unshift(numberOf(value));
  if (value === 'true' || value === 'false') readings.unshift(value === 'true');
  if (value === '') readings.push(null);
  const items = isItem ? readings.map((one) => [one]) : [value.split(',').map((one) => one.trim())];
  return [...readings, ...items].some((one) => validator.fits(schema, one))
    ? []
    : validator.violations(schema, readings[0]!);
}
