import type { Authorisation, FilledCredential } from '../../core/ports.ts';

/** A token behind the word Bearer (RFC 6750, section 2.1), or behind another. */
export function bearer({ fields }: FilledCredential): Authorisation {
  return {
    headers: [['authorization', `${fields.get('scheme') ?? 'Bearer'} ${fields.get('token')!}`]],
    query: [],
    secrets: [],
  };
}
