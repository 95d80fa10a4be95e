import type { Authorisation, FilledCredential } from '../../core/ports.ts';

/** A key in a cookie (RFC 6265, section 4.2). */
export function cookie({ fields }: FilledCredential): Authorisation {
  return { headers: [['cookie', `${fields.get('name')!}=${fields.get('value')!}`]], query: [], secrets: [] };
}
