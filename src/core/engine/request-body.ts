import type { CallBody, CallStep, Insertion, Part, PlacedExpression, Typed } from '../chain/model.ts';
import { encodeHex, utf8 } from '../language/encodings.ts';
import { writeJson } from '../language/json.ts';
import { type Maybe, memberOf } from '../language/values.ts';
import type { StreamedBody } from '../ports.ts';
import { ProblemError } from '../problems.ts';
import type { RunContext } from './context.ts';
import {
  encodeForm,
  type Inserter,
  renderParameters,
  renderPath,
  renderText,
  renderTyped,
  renderXml,
  refuseShortSecret,
  watchingShort,
} from './insert.ts';

/** A body as it is sent. */
export interface BuiltBody {
  readonly body?: Uint8Array | StreamedBody;
  /** The content type, unless the headers of the step say another. */
  readonly type?: string;
  /** The body as a value, for `sent.json`. */
  readonly json?: Maybe;
}

/** Content types of files by the ends of their names, of the IANA registry. */
const TYPES: Readonly<Record<string, string>> = {
  json: 'application/json',
  xml: 'application/xml',
  txt: 'text/plain; charset=utf-8',
  csv: 'text/csv',
  html: 'text/html',
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  svg: 'image/svg+xml',
  webp: 'image/webp',
  pdf: 'application/pdf',
  zip: 'application/zip',
  gz: 'application/gzip',
  mp3: 'audio/mpeg',
  mp4: 'video/mp4',
};

function typeOfFile(path: string): string {
  const ending = /\.([A-Za-z0-9]+)$/.exec(path)?.[1]?.toLowerCase() ?? '';
  return memberOf(TYPES, ending) ?? 'application/octet-stream';
}

/** Builds the body of a call; files are opened, not read. Throws problems with a place. */
export async function buildBody(context: RunContext, step: CallStep, inserter: Inserter): Promise<BuiltBody> {
  const { body } = step;
  if (!body) return {};
  switch (body.type) {
    case 'json':
      return jsonBody(context, body, inserter);
    case 'form':
      return {
        body: utf8(
          encodeForm(
            body.fields.flatMap((field) =>
              renderParameters(
                watchingShort(inserter, () => context.hidden.names.add(field.name)),
                [field],
              ),
            ),
          ),
        ),
        type: 'application/x-www-form-urlencoded',
      };
    case 'text':
      return {
        body: utf8(renderText(watchingShort(inserter, refuseShortSecret), body.text)),
        type: 'text/plain; charset=utf-8',
      };
    case 'xml':
      return {
        body: utf8(renderXml(watchingShort(inserter, refuseShortSecret), body.text)),
        type: 'application/xml; charset=utf-8',
      };
    case 'file': {
      const path = renderPath(inserter, body.path);
      return { body: await opened(context, path, body.at), type: typeOfFile(path) };
    }
    case 'multipart':
      return multipart(context, body.parts, inserter);
  }
}

function jsonBody(context: RunContext, body: CallBody & { type: 'json' }, inserter: Inserter): BuiltBody {
  const value = renderTyped(
    watchingShort(inserter, (insertion) => {
      const member = memberOfInsertion(body.value, insertion);
      if (member === undefined) refuseShortSecret(insertion);
      context.hidden.names.add(member);
    }),
    body.value,
  );
  const json = value === undefined ? null : value;
  try {
    return { body: utf8(writeJson(json)), type: 'application/json', json };
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ ...error.problem, place: body.at });
    throw error;
  }
}

/** The member in which an insertion stands; nothing where it stands in none. */
function memberOfInsertion(typed: Typed, insertion: PlacedExpression, member?: string): string | undefined {
  switch (typed.type) {
    case 'insertion':
      return typed.insertion === insertion ? member : undefined;
    case 'template':
      return typed.template.parts.includes(insertion as Insertion) ? member : undefined;
    case 'list':
      return typed.items.map((item) => memberOfInsertion(item, insertion, member)).find(Boolean);
    case 'object':
      return typed.members.map(([name, one]) => memberOfInsertion(one, insertion, name)).find(Boolean);
    case 'value':
      return undefined;
  }
}

async function opened(context: RunContext, path: string, place: CallBody['at']): Promise<StreamedBody> {
  try {
    return await context.ports.files.open(path, context.chain.file);
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ place, ...error.problem });
    throw error;
  }
}

/** A body of several parts (RFC 7578); files in it are read while it is sent. */
async function multipart(
  context: RunContext,
  parts: readonly Part[],
  inserter: Inserter,
): Promise<BuiltBody> {
  const random = Uint8Array.from({ length: 12 }, () => Math.floor(context.ports.chance.next() * 256));
  const boundary = `part-${encodeHex(random)}`;
  const pieces: (Uint8Array | StreamedBody)[] = [];
  for (const part of parts) {
    const type = part.contentType && renderText(inserter, part.contentType);
    const filename = part.filename && renderText(inserter, part.filename);
    if ('file' in part.content) {
      const path = renderPath(inserter, part.content.file);
      const file = await opened(context, path, part.at);
      const name = filename ?? path.replace(/^.*\//, '');
      pieces.push(head(boundary, part.name, type ?? typeOfFile(path), name), file, utf8('\r\n'));
      continue;
    }
    for (const [, text] of renderParameters(inserter, [
      { name: part.name, value: part.content.text, at: part.at },
    ]))
      pieces.push(head(boundary, part.name, type, filename), utf8(text), utf8('\r\n'));
  }
  pieces.push(utf8(`--${boundary}--\r\n`));
  const size = pieces.reduce(
    (sum, piece) => sum + (piece instanceof Uint8Array ? piece.length : piece.size),
    0,
  );
  return {
    body: {
      size,
      async *chunks() {
        for (const piece of pieces) {
          if (piece instanceof Uint8Array) yield piece;
          else yield* piece.chunks();
        }
      },
    },
    type: `multipart/form-data; boundary=${boundary}`,
  };
}

function head(
  boundary: string,
  name: string,
  type: string | undefined,
  filename: string | undefined,
): Uint8Array {
  const file = filename === undefined ? '' : `; filename="${quoted(filename)}"`;
  // A line break in a type would begin another field.
  const own = type === undefined ? '' : `Content-Type: ${type.replace(/[\r\n]+/g, ' ')}\r\n`;
  return utf8(`--${boundary}\r\nContent-Disposition: form-data; name="${quoted(name)}"${file}\r\n${own}\r\n`);
}

/** Names in a Content-Disposition field, as the HTML Standard (4.10.21.8) writes them. */
function quoted(name: string): string {
  return name.replaceAll('"', '%22').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
}
