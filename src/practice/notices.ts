import { createHash, createHmac } from 'node:crypto';
import { isIP } from 'node:net';
import { KEYS } from './state.ts';

/** Whether an address may be called back: this machine only, since anybody could name any other. */
export function mayNotify(address: unknown): address is string {
  if (typeof address !== 'string' || !URL.canParse(address)) return false;
  const { hostname, protocol } = new URL(address);
  const local = hostname === 'localhost' || (isIP(hostname) === 4 && hostname.startsWith('127.'));
  return protocol === 'http:' && local;
}

/** Calls back with a signed request (RFC 9421, hmac-sha256). Whether anybody listens does not matter to the kiln. */
export async function notify(address: string, body: string): Promise<void> {
  const digest = `sha-256=:${createHash('sha256').update(body).digest('base64')}:`;
  const parameters = `("@method" "@target-uri" "content-digest");created=${Math.floor(Date.now() / 1000)};keyid="${KEYS.noticeKeyId}"`;
  const base = [
    '"@method": POST',
    `"@target-uri": ${new URL(address).href}`,
    `"content-digest": ${digest}`,
    `"@signature-params": ${parameters}`,
  ].join('\n');
  const signature = createHmac('sha256', Buffer.from(KEYS.noticeKey, 'base64')).update(base).digest('base64');
  try {
    await fetch(address, {
      method: 'POST',
      body,
      headers: {
        'content-type': 'application/json',
        'content-digest': digest,
        'signature-input': `kiln=${parameters}`,
        signature: `kiln=:${signature}:`,
      },
      signal: AbortSignal.timeout(10_000),
    });
  } catch {
    // nobody listened
  }
}
