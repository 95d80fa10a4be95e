import type {
  DescribedBody,
  DescribedContent,
  DescribedHeader,
  DescribedParameter,
  DescribedResponse,
  Operation,
  OperationHead,
  SecurityNeed,
} from './description.ts';
import {
  dataEntries,
  dataMember,
  followed,
  isData,
  lineOfData,
  pointerPart,
  type DescriptionReading,
  type Ref,
  textMember,
  withoutLines,
} from './document.ts';

const PLACES = ['path', 'query', 'header', 'cookie', 'querystring'] as const;

/** Reads all that a description says of one operation; what is not as the specification has it is left out, with a warning. */
export function readOperation(reading: DescriptionReading, head: OperationHead): Operation {
  const { ref, item } = head;
  const node = reading.source.at(ref.file, ref.pointer);
  const about = textMember(node, 'description');
  const body = readBody(reading, below(ref, 'requestBody'), head);
  const security = dataMember(node, 'security') ?? dataMember(reading.source.at('', ''), 'security');
  return {
    head,
    ...(about === undefined ? {} : { about }),
    parameters: readParameters(reading, [item, ref], head),
    ...(body ? { body } : {}),
    responses: readResponses(reading, below(ref, 'responses'), head),
    security: (Array.isArray(security) ? (security as unknown[]) : []).map((needs) =>
      dataEntries(needs).map(([scheme, scopes]): SecurityNeed => ({
        scheme,
        scopes: Array.isArray(scopes) ? scopes.filter((one): one is string => typeof one === 'string') : [],
      })),
    ),
  };
}

function below({ file, pointer }: Ref, ...parts: string[]): Ref {
  return { file, pointer: [pointer, ...parts.map(pointerPart)].join('/') };
}

/** What stands at a place; undefined with a warning if it is lost or no object. */
function found(
  reading: DescriptionReading,
  ref: Ref,
  what: string,
  around: number,
): { readonly node: unknown; readonly ref: Ref; readonly line: number } | undefined {
  const there = followed(reading.source, ref);
  if ('lost' in there || !isData(there.node)) {
    reading.warn(
      ref,
      around,
      'lost' in there ? `nothing stands at ${there.lost}` : `${what} is no object, so it is not looked at`,
    );
    return undefined;
  }
  return { ...there, line: lineOfData(there.node, around) };
}

/** Those of the operation take the place of those of the path that have the same name and place. */
function readParameters(
  reading: DescriptionReading,
  owners: readonly Ref[],
  head: OperationHead,
): DescribedParameter[] {
  const all = new Map<string, DescribedParameter>();
  for (const owner of owners) {
    const list = dataMember(reading.source.at(owner.file, owner.pointer), 'parameters');
    if (list !== undefined && !Array.isArray(list))
      reading.warn(owner, head.at.line, 'parameters is no list');
    (Array.isArray(list) ? (list as unknown[]) : []).forEach((_, i) => {
      const at = found(reading, below(owner, 'parameters', String(i)), 'a parameter', head.at.line);
      const one = at && readParameter(reading, at);
      if (one) all.set(`${one.in} ${one.in === 'header' ? one.name.toLowerCase() : one.name}`, one);
    });
  }
  return [...all.values()];
}

function readParameter(
  reading: DescriptionReading,
  { node, ref, line }: { readonly node: unknown; readonly ref: Ref; readonly line: number },
): DescribedParameter | undefined {
  const name = textMember(node, 'name');
  const where = PLACES.find((one) => one === dataMember(node, 'in'));
  if (name === undefined || where === undefined) {
    reading.warn(ref, line, `a parameter has a name, and in: ${PLACES.slice(0, 4).join(', ')}`);
    return undefined;
  }
  const about = textMember(node, 'description');
  const style = textMember(node, 'style') ?? (where === 'query' || where === 'cookie' ? 'form' : 'simple');
  const explode = dataMember(node, 'explode');
  const [content] = readContent(reading, below(ref, 'content'));
  const schema = dataMember(node, 'schema') === undefined ? undefined : below(ref, 'schema');
  const example = exampleOf(node) ?? content?.example;
  return {
    name,
    in: where,
    required: where === 'path' || dataMember(node, 'required') === true,
    deprecated: dataMember(node, 'deprecated') === true,
    ...(about === undefined ? {} : { about }),
    // The value of a parameter with `content` is a text in that form, so its schema is not one of the value.
    style: content ? 'content' : style,
    explode: typeof explode === 'boolean' ? explode : style === 'form',
    ...(schema ? { schema } : {}),
    ...(example === undefined ? {} : { example }),
    at: { file: reading.fileName(ref.file), line },
  };
}

function readBody(reading: DescriptionReading, at: Ref, head: OperationHead): DescribedBody | undefined {
  if (reading.source.at(at.file, at.pointer) === undefined) return undefined;
  const body = found(reading, at, 'requestBody', head.at.line);
  if (!body) return undefined;
  const about = textMember(body.node, 'description');
  return {
    required: dataMember(body.node, 'required') === true,
    ...(about === undefined ? {} : { about }),
    content: readContent(reading, below(body.ref, 'content')),
    at: { file: reading.fileName(body.ref.file), line: body.line },
  };
}

/** The bodies of each media type; a media type itself may stand elsewhere since 3.2. */
function readContent({ source }: DescriptionReading, at: Ref): DescribedContent[] {
  return dataEntries(source.at(at.file, at.pointer)).map(([type]) => {
    const media = followed(source, below(at, type));
    if ('lost' in media) return { type: mediaTypeOf(type) };
    const { node, ref } = media;
    const example = exampleOf(node);
    return {
      type: mediaTypeOf(type),
      ...(dataMember(node, 'schema') === undefined ? {} : { schema: below(ref, 'schema') }),
      ...(example === undefined ? {} : { example }),
    };
  });
}

function mediaTypeOf(text: string): string {
  return text.split(';')[0]!.trim().toLowerCase();
}

/** The example of a parameter or body: the only one, or the first of several. */
function exampleOf(node: unknown): unknown {
  const one = dataMember(node, 'example');
  if (one !== undefined) return withoutLines(one);
  const [[, first] = []] = dataEntries(dataMember(node, 'examples'));
  const value = dataMember(first, 'value') ?? dataMember(first, 'dataValue');
  return value === undefined ? undefined : withoutLines(value);
}

function readResponses(reading: DescriptionReading, at: Ref, head: OperationHead): DescribedResponse[] {
  return dataEntries(reading.source.at(at.file, at.pointer)).flatMap(([status]) => {
    if (status.startsWith('x-')) return [];
    if (!/^(?:[1-5]\d\d|[1-5]XX|default)$/i.test(status)) {
      reading.warn(at, head.at.line, `${status} is no status of a response`);
      return [];
    }
    const response = found(reading, below(at, status), `the response ${status}`, head.at.line);
    if (!response) return [];
    const { node, ref, line } = response;
    const about = textMember(node, 'description');
    return [
      {
        status: status.toLowerCase() === 'default' ? 'default' : status.toUpperCase(),
        ...(about === undefined ? {} : { about }),
        headers: readHeaders(reading, below(ref, 'headers'), line),
        content: readContent(reading, below(ref, 'content')),
        at: { file: reading.fileName(ref.file), line },
      },
    ];
  });
}

function readHeaders(reading: DescriptionReading, at: Ref, around: number): DescribedHeader[] {
  return dataEntries(reading.source.at(at.file, at.pointer)).flatMap(([name]) => {
    // The specification says to leave it out: `content` speaks of it.
    if (name.toLowerCase() === 'content-type') return [];
    const header = found(reading, below(at, name), `the header ${name}`, around);
    if (!header) return [];
    const about = textMember(header.node, 'description');
    return [
      {
        name,
        required: dataMember(header.node, 'required') === true,
        ...(about === undefined ? {} : { about }),
        ...(dataMember(header.node, 'schema') === undefined ? {} : { schema: below(header.ref, 'schema') }),
        at: { file: reading.fileName(header.ref.file), line: header.line },
      },
    ];
  });
}
