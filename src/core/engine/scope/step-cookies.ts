import type { HeaderList } from '../../ports.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { RunContext } from './context.ts';

/** What says whose jar it is. */
type JarOf = Pick<BuiltRequest, 'as' | 'service'>;

/** Each service and credential has a jar of its own, and in it each origin, port included: what one sets no other gets. */
function jarOf({ signingIn }: RunContext, { as, service }: JarOf, url: string): string {
  const { origin } = new URL(url);
  // What a chain that signs in is given belongs to the credential it signs in.
  return `${service ?? origin} ${as ?? [...signingIn].at(-1) ?? 'nobody'} ${origin}`;
}

/** The cookies of the run that fit a request. */
export function cookiesFor(context: RunContext, request: JarOf, url: string): string | undefined {
  return context.ports.cookies.header(jarOf(context, request, url), url);
}

/** The same by their names and values. */
export function cookiePairs(context: RunContext, request: JarOf, url: string): [string, string][] {
  const text = cookiesFor(context, request, url) ?? '';
  return text
    .split('; ')
    .filter((pair) => pair.includes('='))
    .map((pair): [string, string] => {
      const equals = pair.indexOf('=');
      return [pair.slice(0, equals), pair.slice(equals + 1)];
    });
}

/** Empties the jar of a request. A run that is gone on with has it empty from here on as well. */
export function emptyJar(context: RunContext, request: JarOf, url: string): void {
  const jar = jarOf(context, request, url);
  const { cookies, record, sealer } = context.ports;
  if (record && sealer)
    context.emit({
      event: 'cookies-set',
      sealed: sealer.seal(JSON.stringify({ jar, url, fields: [], isNew: true })),
    });
  cookies.empty(jar);
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
