import type { DescribedParameter, Description } from '../../contract/description.ts';
import { partsOf } from '../../contract/find-operation.ts';
import { contentFor } from '../../contract/responses.ts';
import type { Violation } from '../../contract/json-schema.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import { numberOf, numberText } from '../../language/numbers.ts';
import { isNumeric } from '../../language/values.ts';
import { type FoundDeviation, operationText, sayDeviation } from '../fields/contract-findings.ts';
import { misfits } from '../fields/typed-fit.ts';
import { literalOf } from '../fields/typed-values.ts';
import type { CallBody, Field, Parameter, Typed } from '../model.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { type DescribedCall, HOLE, segmentsOf } from './described-call.ts';
import { mayBeSigned, schemeText } from './described-credential.ts';
import type { RequestLine } from './read-request-line.ts';
import type { StepReader } from './step-reader.ts';

/** What a call sends, as read. */
export interface WrittenRequest {
  readonly request: RequestLine;
  readonly query: readonly Parameter[];
  readonly headers: readonly Field[];
  readonly body: CallBody | undefined;
  readonly as: string | undefined;
  /** It is asked in some other way than by this request alone: by pages. */
  readonly pages: boolean;
}

/** Holds what a call sends to the description, as far as it is known before anything is sent. */
export function checkDescribed(
  reader: StepReader,
  node: MapNode,
  call: DescribedCall,
  written: WrittenRequest,
): void {
  new DescribedCheck(reader, node, call, written).all();
}

class DescribedCheck {
  readonly #reader: StepReader;
  readonly #node: MapNode;
  readonly #call: DescribedCall;
  readonly #written: WrittenRequest;

  constructor(reader: StepReader, node: MapNode, call: DescribedCall, written: WrittenRequest) {
    this.#reader = reader;
    this.#node = node;
    this.#call = call;
    this.#written = written;
  }

  all(): void {
    this.#query();
    this.#headers();
    this.#path();
    this.#body();
    this.#credential();
  }

  #place(key: string): SourceNode {
    return valueOf(this.#node, key) ?? valueOf(this.#node, 'call')!;
  }

  #say(
    where: SourceNode,
    code: FoundDeviation['code'],
    message: string,
    more: Pick<FoundDeviation, 'at' | 'hint'> = {},
  ): void {
    sayDeviation(this.#reader.fields.findings, this.#call.level, { where, code, message, ...more });
  }

  #deviation(where: SourceNode, what: string, { path, says, at }: Violation): void {
    const code = says.startsWith('is not described') ? 'not-described' : 'not-as-described';
    this.#say(where, code, `${path.replace('$', what)} ${says}`, { at });
  }

  #query(): void {
    const { description, operation, service } = this.#call;
    const written = this.#written;
    const described = operation.parameters.filter((one) => one.in === 'query');
    const search = /\?([^#]*)/.exec(templateText(written.request))?.[1] ?? '';
    const inUrl = search.split('&').flatMap((pair) => (pair === '' ? [] : [decoded(pair.split('=')[0]!)]));
    const isOpen =
      operation.parameters.some((one) => one.in === 'querystring') ||
      described.some((one) => one.explode && one.style === 'form' && isObjectParameter(one, description));
    const signed = new Set(
      description.schemes.filter((one) => one.in === 'query').map((one) => one.parameter),
    );
    const given = new Set([
      ...inUrl,
      ...written.query.map(({ name }) => name),
      ...service.query.map(({ name }) => name),
    ]);
    const isKnown = (name: string): boolean =>
      signed.has(name) || described.some((one) => isNamed(one, name));
    const where = valueOf(this.#node, 'query');
    for (const name of [...inUrl, ...written.query.map((one) => one.name)]) {
      if (isOpen || name === '' || name.includes(HOLE) || isKnown(name)) continue;
      const near = nearest(
        name,
        described.map((one) => one.name),
      );
      this.#say(
        (inUrl.includes(name) ? undefined : keyNode(where, name)) ?? this.#place('call'),
        'not-described',
        `${operationText(operation)} has no query parameter ${name}`,
        {
          hint:
            near === undefined
              ? described.length > 0
                ? `it has ${nameList(described.map((one) => one.name))}`
                : undefined
              : `the nearest is ${near}`,
          at: operation.head.at,
        },
      );
    }
    const isSpread = [...written.query, ...service.query].some(({ all }) => all);
    for (const one of described)
      if (one.required && !isSpread && !written.pages && ![...given].some((name) => isNamed(one, name)))
        this.#say(
          this.#place('call'),
          'not-as-described',
          `${operationText(operation)} wants the query parameter ${one.name}`,
          {
            at: one.at,
            hint: `query: { ${one.name}: … }`,
          },
        );
    for (const { name, value } of written.query) {
      const one = described.find((parameter) => parameter.name === name);
      if (one) this.#wire(one, value, keyNode(where, name) ?? this.#place('query'), `query ${name}`);
    }
  }

  #headers(): void {
    const { operation, service } = this.#call;
    const written = this.#written;
    const given = new Set([...written.headers, ...service.headers].map(({ name }) => name.toLowerCase()));
    for (const one of operation.parameters) {
      const lower = one.name.toLowerCase();
      if (one.in !== 'header' || ['accept', 'content-type', 'authorization'].includes(lower)) continue;
      if (one.required && !given.has(lower) && !written.headers.some(({ all }) => all))
        this.#say(
          this.#place('call'),
          'not-as-described',
          `${operationText(operation)} wants the header ${one.name}`,
          {
            at: one.at,
            hint: `headers: { ${one.name}: … }`,
          },
        );
    }
  }

  #path(): void {
    const { operation } = this.#call;
    const written = this.#written;
    if (written.request.target.type !== 'service') return;
    const segments = segmentsOf(written.request.target.path) ?? [];
    const names = partsOf(operation.head.path);
    // The path of the service may stand before it.
    const shift = names.length - segments.length;
    names.forEach((part, i) => {
      const name = /^\{([^{}]*)\}$/.exec(part)?.[1];
      const value = segments[i - Math.max(shift, 0)];
      const one = operation.parameters.find(
        (parameter) => parameter.in === 'path' && parameter.name === name,
      );
      if (one && value !== undefined && shift >= 0)
        this.#wire(one, { type: 'value', value }, this.#place('call'), `the path parameter ${one.name}`);
    });
  }

  /** A value that is sent as text: it fits where it does as a text, a number or a truth. */
  #wire(one: DescribedParameter, value: Typed, where: SourceNode, what: string): void {
    const literal = literalOf(value);
    if (
      !one.schema ||
      one.style === 'content' ||
      literal === undefined ||
      (typeof literal === 'object' && !isNumeric(literal))
    )
      return;
    const schema = this.#call.description.schema(one.schema, 'request');
    const text = isNumeric(literal) ? numberText(literal) : String(literal);
    const readings: Typed[] = [{ type: 'value', value: text }];
    if (/^-?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?$/.test(text))
      readings.unshift({ type: 'value', value: numberOf(text) });
    if (text === 'true' || text === 'false') readings.unshift({ type: 'value', value: text === 'true' });
    // Several values may stand in one text.
    if (text.includes(',') && !one.explode) return;
    const lists = readings.flatMap((reading) => [
      misfits(schema, reading),
      ...(one.style === 'form' || one.style === 'simple'
        ? [misfits(schema, { type: 'list', items: [reading] })]
        : []),
    ]);
    if (lists.some((list) => list.length === 0)) return;
    for (const violation of lists[0]!) this.#deviation(where, what, violation);
  }

  #body(): void {
    const { description, operation } = this.#call;
    const written = this.#written;
    const { body } = written;
    const described = operation.body;
    if (!described) {
      if (body)
        this.#say(this.#place(body.type), 'not-described', `${operationText(operation)} takes no body`, {
          at: operation.head.at,
        });
      return;
    }
    if (!body) {
      if (described.required)
        this.#say(this.#place('call'), 'not-as-described', `${operationText(operation)} wants a body`, {
          at: described.at,
        });
      return;
    }
    const type = contentTypeOf(written);
    const content = type === undefined ? undefined : contentFor(described.content, type);
    if (type !== undefined && !content && described.content.length > 0)
      this.#say(
        this.#place(body.type),
        'not-as-described',
        `a body of ${type} is sent, and ${operationText(operation)} takes ${described.content.map((one) => one.type).join(', ')}`,
        {
          at: described.at,
        },
      );
    if (!content?.schema || body.type !== 'json') return;
    const typed = body.value;
    for (const violation of misfits(description.schema(content.schema, 'request'), typed))
      this.#deviation(this.#place(body.type), body.type, violation);
  }

  #credential(): void {
    const { description, operation, service } = this.#call;
    const written = this.#written;
    const name = written.as ?? service.as ?? 'nobody';
    const credential = this.#reader.project.credentials.get(name);
    const needs = operation.security;
    const isFree = needs.length === 0 || needs.some((need) => need.length === 0);
    if (!credential) {
      const headers = new Set([...written.headers, ...service.headers].map((one) => one.name.toLowerCase()));
      const query = new Set([...written.query, ...service.query].map((one) => one.name));
      const isSignedByHand =
        headers.has('authorization') ||
        headers.has('cookie') ||
        description.schemes.some(({ in: where, parameter = '' }) =>
          where === 'header'
            ? headers.has(parameter.toLowerCase())
            : where === 'query' && query.has(parameter),
        );
      if (!isFree && !isSignedByHand && name === 'nobody')
        this.#say(
          this.#place('as'),
          'not-as-described',
          `${operationText(operation)} wants a credential, and this call carries none`,
          {
            at: operation.head.at,
            hint: `${nameList([...new Set(needs.flat().map(({ scheme }) => scheme))])}: as: NAME of a credential`,
          },
        );
      return;
    }
    if (isFree) return;
    const schemes = needs
      .flat()
      .flatMap(({ scheme }) => description.schemes.find((one) => one.name === scheme) ?? []);
    if (schemes.length > 0 && !schemes.some((scheme) => mayBeSigned(credential, scheme)))
      this.#say(
        this.#place('as'),
        'not-as-described',
        `${name} is a credential of kind ${credential.kind}, and ${operationText(operation)} wants ${schemes.map(schemeText).join(', or ')}`,
        {
          at: operation.head.at,
        },
      );
  }
}

function isNamed({ name, style, explode }: DescribedParameter, given: string): boolean {
  if (given === name || given === `${name}[]`) return true;
  return (style === 'deepObject' || explode) && given.startsWith(`${name}[`);
}

function isObjectParameter({ schema }: DescribedParameter, description: Description): boolean {
  const json = schema && description.schema(schema, 'request').json;
  return typeof json === 'object' && (json['type'] === 'object' || json['properties'] !== undefined);
}

function templateText({ target }: RequestLine): string {
  return target.type === 'service'
    ? target.path.parts.map((part) => (typeof part === 'string' ? part : HOLE)).join('')
    : '';
}

/** The media type of a body, as far as it is known. */
function contentTypeOf({ body, headers }: WrittenRequest): string | undefined {
  const own = headers.find(({ name }) => name.toLowerCase() === 'content-type')?.value.parts;
  if (own)
    return own.every((part) => typeof part === 'string')
      ? own.join('').split(';')[0]!.trim().toLowerCase()
      : undefined;
  const types: Partial<Record<CallBody['type'], string>> = {
    json: 'application/json',
    form: 'application/x-www-form-urlencoded',
    multipart: 'multipart/form-data',
    xml: 'application/xml',
  };
  return body && types[body.type];
}

function keyNode(map: SourceNode | undefined, name: string): SourceNode | undefined {
  return map?.type === 'map' ? map.entries.find(({ key }) => key.text === name)?.key : undefined;
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    return text;
  }
}
