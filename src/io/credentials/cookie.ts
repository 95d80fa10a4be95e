import type { Authorisation, FilledCredential } from '../../core/ports.ts';
import { fieldText, unfit } from './field-text.ts';

/** A key in a cookie (RFC 6265, section 4.2). Throws `bad-insertion`. */
export function cookie(filled: FilledCredential): Authorisation {
  const value = fieldText(filled, 'value');
  if (value.includes(';')) unfit(filled, 'value', 'a semicolon, which ends a cookie');
  return { headers: [['cookie', `${filled.fields.get('name')!}=${value}`]], query: [], secrets: [] };
}
