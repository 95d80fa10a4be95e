import type { CallBody, Part, PlacedExpression } from '../../chain/model.ts';
import { writeJson } from '../../language/json.ts';
import { kindAndValue } from '../../language/show.ts';
import { encodeHex, utf8 } from '../../language/encodings.ts';
import type { StreamedBody } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { BuiltBody } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';
import { typeOfFile } from './media-types.ts';
import { type Inserter, renderText, renderPath, renderParameters, renderTyped } from '../scope/insert.ts';

export async function opened(
  context: RunContext,
  path: string,
  place: CallBody['at'],
  range?: { readonly from: number; readonly to: number },
): Promise<StreamedBody> {
  try {
    return await context.ports.files.open(path, context.chain.file, range);
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ place, ...error.problem });
    throw error;
  }
}

/** The bytes that an expression gives; of a text its UTF-8. Throws `wrong-kind`. */
export function sentBytes(inserter: Inserter, expression: PlacedExpression): Uint8Array {
  const value = inserter.value(expression);
  if (value === undefined) return inserter.nothing(expression);
  if (value instanceof Uint8Array) return value;
  if (typeof value === 'string') return utf8(value);
  throw new ProblemError({
    code: 'wrong-kind',
    message: `bytes are sent here, and ${expression.expression.text} is ${kindAndValue(value)}`,
    hint: 'json: for a value, or text(x)',
    place: expression.at(),
  });
}

/** Names in a Content-Disposition field, as the HTML Standard (4.10.21.8) writes them. */
export function quoted(name: string): string {
  return name.replaceAll('"', '%22').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
}
export function head(
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

/** A body of several parts (RFC 7578); files in it are read while it is sent. */
export async function multipart(
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
    if ('bytes' in part.content || 'json' in part.content) {
      const isJson = 'json' in part.content;
      const content =
        'json' in part.content
          ? utf8(writeJson(renderTyped(inserter, part.content.json) ?? null))
          : sentBytes(inserter, part.content.bytes);
      const own = type ?? (isJson ? 'application/json' : 'application/octet-stream');
      pieces.push(head(boundary, part.name, own, filename), content, utf8('\r\n'));
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
