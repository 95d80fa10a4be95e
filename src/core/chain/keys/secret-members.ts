/**
 * Names of members, parameters, columns and fields whose values are secrets, in every spelling (`access_token`, `accessToken`,
 * `access-token`) and at the end of longer names. Cursors of pages are none.
 */
export const SECRET_MEMBERS: readonly string[] = [
  'access_token',
  'refresh_token',
  'id_token',
  'auth_token',
  'bearer_token',
  'session_token',
  'security_token',
  'csrf_token',
  'xsrf_token',
  'device_code',
  'token',
  'jwt',
  'client_secret',
  'client_assertion',
  'secret',
  'secret_key',
  'secret_access_key',
  'access_key',
  'api_key',
  'private_key',
  'signing_key',
  'encryption_key',
  'session_key',
  'session_id',
  'password',
  'passwd',
  'passphrase',
];

/** The words of a name, in small letters and without what stands between: `accessToken`, `access-token` → access, token. */
export function wordsOf(name: string): string[] {
  return name
    .slice(0, 200)
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/([A-Z])([A-Z][a-z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => word !== '');
}

/** Names that are secret only as they stand, not at the end of a longer one: `page_token` is none. */
export const ONLY_WHOLE: ReadonlySet<string> = new Set(['token', 'jwt', 'auth', 'authorization']);

/** Whether a name is one of some words, or ends in one that may stand there. `words` are names without what stands between. */
export function namesSecret(name: string, words: ReadonlySet<string>): boolean {
  const parts = wordsOf(name);
  if (words.has(parts.join(''))) return true;
  for (let i = 1; i < parts.length; i++) {
    const end = parts.slice(i).join('');
    if (words.has(end) && !ONLY_WHOLE.has(end)) return true;
  }
  return false;
}

const USUAL: ReadonlySet<string> = new Set(SECRET_MEMBERS.map((name) => wordsOf(name).join('')));

/** Whether a name tells, surely or perhaps, that what stands under it is a secret. */
export function soundsSecret(name: string): 'surely' | 'perhaps' | undefined {
  const words = wordsOf(name);
  if (words.join('') !== 'token' && namesSecret(name, USUAL)) return 'surely';
  if (/^(?:authorization|credential|pwd|apikey|appkey|sig|signature|appid)$/.test(words.join('')))
    return 'surely';
  return /^(?:key|token|credential|auth|signature|sig)$/.test(words.at(-1) ?? '') ? 'perhaps' : undefined;
}
