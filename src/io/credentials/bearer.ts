import type { Authorisation, FilledCredential } from '../../core/ports.ts';
import { fieldText, TRIMMED, unfit } from './field-text.ts';

/**
 * A token behind the word Bearer (RFC 6750, section 2.1), or behind another. Throws `bad-insertion` where the token has what
 * no token has, as it comes about where one is copied: the word itself, quotes around it, blanks at an end.
 */
export function bearer(filled: FilledCredential): Authorisation {
  const { fields } = filled;
  const scheme = fields.get('scheme') ?? 'Bearer';
  const token = fieldText(filled, 'token');
  if (token !== token.trim()) unfit(filled, 'token', 'a blank at an end', TRIMMED);
  if (/^(["']).*\1$/.test(token)) unfit(filled, 'token', 'quotes around it', 'the secret without them');
  if (token.toLowerCase().startsWith(`${scheme.toLowerCase()} `))
    unfit(
      filled,
      'token',
      `the word ${scheme} at its beginning, which its kind puts there itself`,
      'the secret without it',
    );
  return { headers: [['authorization', `${scheme} ${token}`]], query: [], secrets: [] };
}
