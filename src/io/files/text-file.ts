import { fail } from '../../core/problems.ts';

/**
 * The text of a file that a person wrote: UTF-8, or UTF-16 with a byte order mark. Throws `file-not-text` with the first byte
 * that is neither, since any guess at it would be sent.
 */
export function textOfFile(path: string, bytes: Buffer): string {
  const [first, second] = bytes;
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff))
    return new TextDecoder(first === 0xff ? 'utf-16le' : 'utf-16be').decode(bytes);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    const at = firstWrong(bytes);
    const before = bytes.subarray(0, at).toString('utf8').split('\n');
    const column = before.at(-1)!.length + 1;
    return fail(
      'file-not-text',
      `the file ${path} is not UTF-8: the byte ${bytes[at]!.toString(16).padStart(2, '0')} in line ${before.length}, column ${column}`,
      {
        place: { file: path, line: before.length, column },
        hint: 'the file saved as UTF-8',
      },
    );
  }
}

/** Where the first byte stands that is no part of well-formed UTF-8. */
function firstWrong(bytes: Buffer): number {
  let [low, high] = [0, bytes.length];
  const isRight = (end: number): boolean => {
    try {
      // A character that is interrupted at the end is no mistake yet.
      new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(0, end), { stream: true });
      return true;
    } catch {
      return false;
    }
  };
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (isRight(middle)) low = middle;
    else high = middle - 1;
  }
  return Math.min(low, bytes.length - 1);
}
