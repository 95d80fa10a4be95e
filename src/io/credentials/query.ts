import type { Authorisation, FilledCredential } from '../../core/ports.ts';

/** A key in a parameter of the URL. */
export function query({ fields }: FilledCredential): Authorisation {
  return { headers: [], query: [[fields.get('name')!, fields.get('value')!]], secrets: [] };
}
