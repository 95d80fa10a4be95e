import { fail } from '../../core/problems.ts';
import { visible } from '../../core/language/show.ts';
import type { FilledCredential } from '../../core/ports.ts';

/**
 * A text of a credential as a header field may hold it (RFC 9110, section 5.5). Throws `bad-insertion`; of the text, which is
 * mostly a secret, only a control character is shown.
 */
export function fieldText(filled: FilledCredential, name: string): string {
  const text = filled.fields.get(name)!;
  const bad = /[\u0000-\u0008\u000a-\u001f\u007f]|[^\u0000-\u00ff]/.exec(text);
  if (!bad) return text;
  const control = bad[0] < ' ' || bad[0] === '\u007f';
  const isAtEnd = text.trim().indexOf(bad[0]) < 0;
  return control
    ? unfit(
        filled,
        name,
        `the control character ${visible(bad[0])}${isAtEnd ? ' at an end' : ''}, which a header field can't hold`,
        isAtEnd ? TRIMMED : undefined,
      )
    : unfit(filled, name, "a character that is no single byte, which a header field can't hold");
}

/** What mends blanks and line ends around a secret. */
export const TRIMMED = 'the secret without it, or ${trim(…)} around it';

/** Says what is wrong with a text of a credential. */
export function unfit(
  { credential }: FilledCredential,
  name: string,
  what: string,
  hint = 'is it the right secret?',
): never {
  return fail('bad-insertion', `the ${name} of the credential ${credential.name} has ${what}`, {
    hint,
    place: credential.at,
  });
}
