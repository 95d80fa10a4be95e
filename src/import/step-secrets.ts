import { soundsSecret } from '../core/chain/keys/secret-members.ts';
import { wholeVariable, isPlaceholderKey } from './placeholders.ts';
import { type Draft, freeName } from './draft.ts';
import { type Value, isObject, objectOf, membersOf } from '../core/language/values.ts';

export const SECRET_MEMBER =
  /^(?:.*[-_])?(?:password|passwd|secret|client_secret|api_?key|access_?token|refresh_?token|token)$/i;
export function isSecretNamed(name: string, value: string): boolean {
  return value.length >= 6 && (SECRET_MEMBER.test(name) || soundsSecret(name) === 'surely');
}

/** The insertion of a secret that stands for a key; undefined if the name does not say that it is one. */
export function secretFor(draft: Draft, name: string, value: string): string | undefined {
  if (!isSecretNamed(name, value) || isInserted(value)) return undefined;
  const open = wholeVariable(value);
  const secret = freeName(
    name
      .toLowerCase()
      .replace(/\W+/g, '_')
      .replace(/^[^a-z]+/, ''),
    draft.secrets,
  );
  draft.secrets.set(
    secret,
    open !== undefined || isPlaceholderKey(value)
      ? { source: `env ${(open ?? secret).toUpperCase()}` }
      : { source: 'locked', value },
  );
  return inserted(`secret.${secret}`);
}

/** Members whose names say that they are keys become secrets. */
export function withSecrets(draft: Draft, value: Value): Value {
  if (Array.isArray(value)) return value.map((item) => withSecrets(draft, item));
  if (!isObject(value)) return value;
  return objectOf(
    membersOf(value).map(([name, member]): [string, Value] => {
      const secret = typeof member === 'string' ? secretFor(draft, name, member) : undefined;
      return [name, secret ?? withSecrets(draft, member)];
    }),
  );
}

/** A field of cookies, with secrets for those that let somebody in. */
export function cookiesWithSecrets(draft: Draft, value: string): string {
  return value.replace(/(^|;\s*)([^=;\s]+)=([^;]+)/g, (whole, before: string, name: string, text: string) => {
    const named = /sess|sid$|auth|token/i.test(name) ? `${name}_secret` : name;
    const secret = secretFor(draft, named, text);
    return secret === undefined ? whole : `${before}${name}=${secret}`;
  });
}

/** Whether something known from elsewhere is inserted into a text, so that it is no key. */
export function isInserted(text: string): boolean {
  return text.includes('\ue002');
}

/** An insertion of something that is no open value of the documentation. */
export function inserted(expression: string): string {
  return `\ue002${expression}\ue003`;
}
