import type { CallBody, Part } from '../../chain/model.ts';
import { encodeHex, utf8 } from '../../language/encodings.ts';
import type { StreamedBody } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import type { BuiltBody } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';
import { typeOfFile } from './media-types.ts';
import { type Inserter, renderText, renderPath, renderParameters } from '../scope/insert.ts';

export async function opened(
  context: RunContext,
  path: string,
  place: CallBody['at'],
): Promise<StreamedBody> {
  try {
    return await context.ports.files.open(path, context.chain.file);
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ place, ...error.problem });
    throw error;
  }
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
