import type { HeaderList } from '../ports.ts';

/**
 * The headers with which the recorded body of a response is read again: without a charset, since the text was decoded
 * before it was recorded.
 */
export function headersOfRecorded(headers: HeaderList): [string, string][] {
  return headers.map(([name, value]): [string, string] => [
    name,
    name === 'content-type' ? value.replace(/;\s*charset=[^;]*/i, '') : value,
  ]);
}
