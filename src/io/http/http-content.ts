import { ProblemError } from '../../core/problems.ts';
import { codingsOf } from './content-codings.ts';

function isTooLarge(error: unknown): boolean {
  return (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE';
}

/**
 * Undoes the content codings of a body (RFC 9110, section 8.4), the last one first, up to one that is not known. Throws
 * `body-too-large` where it grows beyond `most` bytes, `body-broken` where it is not what its codings say.
 */
export async function decodeContent(body: Uint8Array, encoding: string, most: number): Promise<Uint8Array> {
  let decoded = body;
  for (const { name, coding } of codingsOf(encoding).known) {
    if (decoded.length === 0) break;
    try {
      decoded = await coding.whole(decoded, { maxOutputLength: most });
    } catch (error) {
      if (isTooLarge(error)) {
        throw new ProblemError({
          code: 'body-too-large',
          message: `the body of the response is larger than ${most / 1024 / 1024} MiB when decompressed (${body.length} bytes of ${name} came)`,
        });
      }
      throw new ProblemError({
        code: 'body-broken',
        message: `the body is not ${name}, as its Content-Encoding says: ${(error as Error).message}`,
      });
    }
  }
  return decoded;
}
