import type { Authorisation, FilledCredential } from '../../core/ports.ts';
import { fail } from '../../core/problems.ts';

/** User and password in base64 (RFC 7617, section 2). */
export function basic({ credential, fields }: FilledCredential): Authorisation {
  const user = fields.get('user')!;
  if (user.includes(':')) {
    fail(
      'bad-insertion',
      `the user of the credential ${credential.name} has a colon, which ends a user's name (RFC 7617)`,
      { place: credential.at },
    );
  }
  const text = Buffer.from(`${user}:${fields.get('password')!}`, 'utf8').toString('base64');
  return { headers: [['authorization', `Basic ${text}`]], query: [], secrets: [text] };
}
