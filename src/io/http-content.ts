import { promisify } from 'node:util';
import { brotliDecompress, gunzip, inflate, inflateRaw, type ZlibOptions, type InputType } from 'node:zlib';
import { ProblemError } from '../core/problems.ts';
import { memberOf } from '../core/language/values.ts';

type Decoder = (data: InputType, options: ZlibOptions) => Promise<Buffer>;

const DECODERS: Readonly<Record<string, Decoder>> = {
  gzip: promisify(gunzip),
  'x-gzip': promisify(gunzip),
  br: promisify(brotliDecompress),
  // Some services send deflate without the zlib wrapper that RFC 9110, section 8.4.1.2, asks for.
  deflate: async (data, options) => {
    try {
      return await (promisify(inflate) as Decoder)(data, options);
    } catch (error) {
      if (isTooLarge(error)) throw error;
      return (promisify(inflateRaw) as Decoder)(data, options);
    }
  },
};

function isTooLarge(error: unknown): boolean {
  return (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE';
}

/**
 * Undoes the content codings of a body (RFC 9110, section 8.4), the last one first. Throws `body-too-large` where it
 * grows beyond `most` bytes, `body-broken` where it is not what its codings say.
 */
export async function decodeContent(body: Uint8Array, encoding: string, most: number): Promise<Uint8Array> {
  let decoded = body;
  const codings = encoding.split(',').map((coding) => coding.trim().toLowerCase());
  for (const coding of codings.reverse()) {
    if (coding === '' || coding === 'identity' || decoded.length === 0) continue;
    const decode = memberOf(DECODERS, coding);
    if (!decode)
      throw new ProblemError({
        code: 'body-broken',
        message: `the body is in the content coding ${coding}, which was not asked for`,
      });
    try {
      decoded = await decode(decoded, { maxOutputLength: most });
    } catch (error) {
      if (isTooLarge(error)) {
        throw new ProblemError({
          code: 'body-too-large',
          message: `the body of the answer is larger than ${most / 1024 / 1024} MiB when decompressed (${body.length} bytes of ${coding} came)`,
        });
      }
      throw new ProblemError({
        code: 'body-broken',
        message: `the body is not ${coding}, as its Content-Encoding says: ${(error as Error).message}`,
      });
    }
  }
  return decoded;
}
