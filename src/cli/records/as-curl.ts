import type { RecordedAttempt } from '../../core/record/recorded-run.ts';

/** A mask that stands for a secret: ‹secret desk›, ‹access_token›. */
const MASK = /‹([^›]*)›/g;

/** Fields that curl writes itself. */
const ITS_OWN: ReadonlySet<string> = new Set(['accept-encoding', 'content-length', 'host']);

/** A request as a command line for curl, with `$NAME` where a secret stands; undefined if its body was not kept whole. */
export function asCurl({ sent }: RecordedAttempt, body: Uint8Array | undefined): string | undefined {
  const parts = ['curl'];
  if (sent.method !== 'GET' || body?.length) parts.push('-X', sent.method);
  const lines = [`${parts.join(' ')} ${quoted(sent.url)}`];
  for (const [name, value] of sent.headers) {
    if (name.toLowerCase() === 'accept-encoding') lines.push('--compressed');
    else if (!ITS_OWN.has(name.toLowerCase())) lines.push(`-H ${quoted(`${name}: ${value}`)}`);
  }
  if (sent.body && sent.body.size > 0) {
    if (!body || isBinary(body)) return undefined;
    lines.push(`--data-raw ${quoted(Buffer.from(body).toString('utf8'))}`);
  }
  return lines.join(' \\\n  ');
}

function isBinary(body: Uint8Array): boolean {
  return body.includes(0) || Buffer.from(body).toString('utf8').includes('\ufffd');
}

/** A text as a shell takes it; a mask as the variable that has the secret. */
function quoted(text: string): string {
  if (!text.match(MASK)) return `'${text.replaceAll("'", "'\\''")}'`;
  let rest = '';
  let at = 0;
  for (const found of text.matchAll(MASK)) {
    rest += escaped(text.slice(at, found.index)) + `$${variable(found[1]!)}`;
    at = found.index + found[0].length;
  }
  const tail = text.slice(at);
  // What comes right behind a variable must not be taken for a part of its name.
  const apart = /^\w/.test(tail) ? rest.replace(/\$(\w+)$/, '$${$1}') : rest;
  return `"${apart}${escaped(tail)}"`;
}

function escaped(text: string): string {
  return text.replace(/[\\"$`]/g, '\\$&');
}

function variable(label: string): string {
  const name = label
    .replace(/^secret /, '')
    .toUpperCase()
    .replace(/[^A-Z0-9]+/g, '_');
  return /^[A-Z_]/.test(name) ? name : `SECRET_${name}`;
}
