import type { Authorisation, FilledCredential } from '../../core/ports.ts';

/** A key in a field of its own. */
export function header({ fields }: FilledCredential): Authorisation {
  return { headers: [[fields.get('name')!, fields.get('value')!]], query: [], secrets: [] };
}
