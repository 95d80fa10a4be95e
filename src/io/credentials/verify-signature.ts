import { constants, createHash, createHmac, createPublicKey, timingSafeEqual, verify } from 'node:crypto';
import type { FilledCredential, UnsignedRequest } from '../../core/ports.ts';
import { component } from './message-signature.ts';

/** How far the time of a signature may be off, in seconds. */
const SKEW = 300;

/**
 * Why a request is not signed with the key of a credential (RFC 9421, section 3.2), as the end of a sentence; nothing
 * where it is. `now` is in milliseconds since 1970.
 */
export function verifySignature(
  filled: FilledCredential,
  request: UnsignedRequest,
  now: number,
): string | undefined {
  const field = (name: string): string => request.headers.find(([other]) => other === name)?.[1] ?? '';
  const [, label, parameters] =
    /(?:^|,\s*)([a-z*][\w.*-]*)=(\([^)]*\)[^,]*)/.exec(field('signature-input')) ?? [];
  if (label === undefined || parameters === undefined) return 'it has no Signature-Input';
  const names = [.../^\(([^)]*)\)/.exec(parameters)![1]!.matchAll(/"([^"]*)"/g)].map(([, name]) => name!);
  const created = Number(/;created=(\d+)/.exec(parameters)?.[1]);
  if (!(Math.abs(now / 1000 - created) < SKEW)) return 'its signature is not of now';
  if (/;keyid="([^"]*)"/.exec(parameters)?.[1] !== filled.fields.get('key-id'))
    return 'its key is another than that of the credential';
  const missing = (
    request.body && request.body.length > 0 ? ['@method', 'content-digest'] : ['@method']
  ).find((name) => !names.includes(name));
  if (missing !== undefined) return `its signature does not cover ${missing}`;
  let base: string;
  try {
    const lines = names.map(
      (name) => `"${name}": ${component(name, request, request.headers, filled.credential.name)}`,
    );
    base = [...lines, `"@signature-params": ${parameters}`].join('\n');
  } catch {
    return 'its signature covers what it has not';
  }
  const given = new RegExp(`(?:^|,\\s*)${label}=:([^:]*):`).exec(field('signature'))?.[1] ?? '';
  if (!isSignature(filled, Buffer.from(base, 'utf8'), Buffer.from(given, 'base64')))
    return 'its signature is not by the key of the credential';
  const digest = request.body && `sha-256=:${createHash('sha256').update(request.body).digest('base64')}:`;
  return digest !== undefined && names.includes('content-digest') && field('content-digest') !== digest
    ? 'its body is another than its digest says'
    : undefined;
}

function isSignature({ fields }: FilledCredential, data: Buffer, given: Buffer): boolean {
  const algorithm = fields.get('algorithm')!;
  const key = fields.get('key')!;
  if (algorithm === 'hmac-sha256') {
    const expected = createHmac('sha256', Buffer.from(key, 'base64')).update(data).digest();
    return given.length === expected.length && timingSafeEqual(given, expected);
  }
  try {
    const publicKey = createPublicKey(key);
    switch (algorithm) {
      case 'ecdsa-p256-sha256':
        return verify('sha256', data, { key: publicKey, dsaEncoding: 'ieee-p1363' }, given);
      case 'ecdsa-p384-sha384':
        return verify('sha384', data, { key: publicKey, dsaEncoding: 'ieee-p1363' }, given);
      case 'rsa-pss-sha512':
        return verify(
          'sha512',
          data,
          { key: publicKey, padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: 64 },
          given,
        );
      case 'rsa-v1_5-sha256':
        return verify('sha256', data, publicKey, given);
      default:
        return verify(null, data, publicKey, given);
    }
  } catch {
    return false;
  }
}
