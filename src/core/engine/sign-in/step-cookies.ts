import type { HeaderList } from '../../ports.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';

/** Each service and credential has a jar of its own, and in it each origin, port included: what one sets no other gets. */
function jarOf({ signingIn }: RunContext, { as, service }: BuiltRequest, url: string): string {
  const { origin } = new URL(url);
  // What a chain that signs in is given belongs to the credential it signs in.
  return `${service ?? origin} ${as ?? [...signingIn].at(-1) ?? 'nobody'} ${origin}`;
}

/** The cookies of the run that fit a request. */
export function cookiesFor(context: RunContext, request: BuiltRequest, url: string): string | undefined {
  return context.ports.cookies.header(jarOf(context, request, url), url);
}

/** Keeps the cookies that a response sets; their values are secrets. */
export async function storeCookies(
  context: RunContext,
  request: BuiltRequest,
  url: string,
  headers: HeaderList,
): Promise<void> {
  const { masker, ports } = context;
  const fields = headers.flatMap(([name, value]) => (name === 'set-cookie' ? [value] : []));
  for (const field of fields) {
    const [, name, value] = /^\s*([^=;\s]+)\s*=\s*"?([^;"]*)/.exec(field) ?? [];
    // A short value, such as a language, would mask what is no secret.
    if (value !== undefined) masker.addGiven(value, `cookie ${name!}`, 12);
  }
  const jar = jarOf(context, request, url);
  const { record, sealer } = ports;
  if (record && sealer)
    context.emit({ event: 'cookies-set', sealed: sealer.seal(JSON.stringify({ jar, url, fields })) });
  await ports.cookies.store(jar, url, fields);
}
