import { isObject, type Value } from '../language/values.ts';
import type { HeaderList } from '../ports.ts';
import type { Masker } from './masking.ts';
import type { ReadBody } from './read-answer.ts';

/** Members of an answer whose values are secrets wherever they stand. Cursors of pages are none. */
export const SECRET_MEMBERS: readonly string[] = [
  'access_token',
  'refresh_token',
  'id_token',
  'client_secret',
  'password',
  'api_key',
  'private_key',
  'secret',
  'session_token',
];

const MEMBER = new RegExp(`("(?:${SECRET_MEMBERS.join('|')})"\\s*:\\s*)"((?:[^"\\\\]|\\\\.)*)("|$)`, 'gi');

/** Fields whose values are never shown (their names and the scheme are). */
const SECRET_FIELDS: ReadonlySet<string> = new Set([
  'authorization',
  'proxy-authorization',
  'cookie',
  'set-cookie',
]);

/** Learns the secrets that an answer brings, so that they are masked wherever they turn up later. */
export function hideAnswerSecrets(masker: Masker, { text, value }: ReadBody): void {
  if (text === undefined || value === undefined || typeof value === 'string') return;
  MEMBER.lastIndex = 0;
  if (!MEMBER.test(text)) return;
  const visit = (part: Value): void => {
    if (Array.isArray(part)) part.forEach(visit);
    else if (isObject(part)) {
      for (const [name, member] of Object.entries(part)) {
        if (typeof member === 'string' && SECRET_MEMBERS.includes(name.toLowerCase()))
          masker.addFound(member, name);
        else visit(member);
      }
    }
  };
  visit(value);
}

/** Hides the members in a text by their names, however short their values are. */
export function hideMembers(text: string): string {
  return text.replace(MEMBER, (_, head: string, value: string, close: string) => {
    const name = /"([^"]+)"/.exec(head)![1]!;
    return /^‹.*›$/.test(value) ? `${head}"${value}${close}` : `${head}"‹${name}›${close}`;
  });
}

/** Header fields as an event shows them. */
export function maskHeaders(headers: HeaderList): [string, string][] {
  return headers.map(([name, value]) => {
    const lower = name.toLowerCase();
    if (!SECRET_FIELDS.has(lower)) return [name, value];
    if (lower === 'set-cookie') return [name, value.replace(/^([^=;]*=)[^;]*/, '$1‹cookie›')];
    if (lower === 'cookie') return [name, value.replace(/=[^;]*/g, '=‹cookie›')];
    const scheme = /^(\S+)\s/.exec(value)?.[1];
    return [name, scheme === undefined ? '‹credential›' : `${scheme} ‹credential›`];
  });
}
