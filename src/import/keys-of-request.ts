import { credentialKeys, type CredentialKind } from '../core/chain/keys/credential-keys.ts';
import type { Project, Service } from '../core/chain/project.ts';
import { holdsKey } from '../core/chain/fields/plain-secrets.ts';
import { type Draft, freeName } from './draft.ts';
import {
  isPlaceholderKey,
  nameOfPlaceholder,
  replaceVariables,
  variablesIn,
  wholeOutput,
  wholeVariable,
} from './placeholders.ts';
import type { ImportedRequest } from './request.ts';
import { isInserted } from './step-secrets.ts';
import { scalar } from './yaml-text.ts';

/** Names of fields and parameters that carry a key. */
const KEY_FIELD =
  /^(?:x-)?(?:.*[-_])?(?:api[-_]?key|apikey|auth[-_]?token|access[-_]?token|token|secret|session|password|key)$/i;
const KEY_PARAMETER =
  /^(?:api[-_]?key|apikey|key|token|access[-_]?token|auth|secret|app[-_]?(?:id|key)|client[-_]?secret|sig|signature)$/i;

/** What of a request proves who sends it, and the request without that. */
export interface SignedParts {
  readonly request: ImportedRequest;
  /** The credential that the step uses; undefined if it is that of its service, or none. */
  readonly as?: string;
}

/** Takes the credential out of a request and puts it into the draft, with its keys as secrets. */
export function takeCredential(
  draft: Draft,
  project: Project,
  service: Service | undefined,
  { word, request }: { readonly word: string; readonly request: ImportedRequest },
): SignedParts {
  const known = service?.as === undefined ? undefined : project.credentials.get(service.as);
  const use = (
    kind: CredentialKind,
    lines: (secret: (part: string, text: string) => string) => string[],
  ): string | undefined => {
    if (known?.kind === kind) {
      draft.notes.push(
        `the ${credentialKeys[kind].sentIn ? 'key' : 'credential'} in it is left out: ${service!.name} signs in as ${known.name}`,
      );
      return undefined;
    }
    const name = freeName(word, { has: (one) => project.credentials.has(one) || draft.credentials.has(one) });
    const written = lines((part, text) => secretText(draft, project, name, { part, text }));
    draft.credentials.set(name, [`kind: ${kind}`, ...written]);
    return name;
  };

  const { headers } = request;
  const field = (test: (name: string, value: string) => boolean): number =>
    headers.findIndex(([name, value]) => !isInserted(value) && test(name, value));
  const without = (at: number): ImportedRequest => ({
    ...request,
    headers: headers.filter((_, i) => i !== at),
  });

  if (request.user) {
    const { name, password, digest } = request.user;
    const { user: _, ...rest } = request;
    const as = use(digest ? 'digest' : 'basic', (secret) => userLines(secret, name, password));
    return { request: rest, ...(as === undefined ? {} : { as }) };
  }
  const authorization = field((name) => /^authorization$/i.test(name));
  if (authorization >= 0) {
    const as = fromAuthorization(headers[authorization]![1], use);
    return { request: without(authorization), ...(as === undefined ? {} : { as }) };
  }
  const keyed = field(
    (name, value) => KEY_FIELD.test(name) && !/^(?:idempotency-key|csrf-token)$/i.test(name) && value !== '',
  );
  if (keyed >= 0) {
    const [name, value] = headers[keyed]!;
    const as = use('header', (secret) => [`name: ${scalar(name)}`, `value: ${secret('', value)}`]);
    return { request: without(keyed), ...(as === undefined ? {} : { as }) };
  }
  const parameter = keyParameter(request.url);
  if (parameter) {
    const as = use('query', (secret) => [
      `name: ${scalar(parameter.name)}`,
      `value: ${secret('', parameter.value)}`,
    ]);
    return { request: { ...request, url: parameter.rest }, ...(as === undefined ? {} : { as }) };
  }
  if (request.cookies !== undefined && /;\s*\S/.test(request.cookies)) {
    // A credential is one cookie; several stay a field, its keys apart.
    const { cookies, ...rest } = request;
    return { request: { ...rest, headers: [...headers, ['Cookie', cookies]] } };
  }
  if (request.cookies !== undefined) {
    const [, name = '', value = ''] = /^\s*([^=;\s]+)=([^;]*)/.exec(request.cookies) ?? [];
    const { cookies: _, ...rest } = request;
    const as = use('cookie', (secret) => [`name: ${scalar(name)}`, `value: ${secret('', value)}`]);
    return { request: rest, ...(as === undefined ? {} : { as }) };
  }
  return { request };
}

type Use = (
  kind: CredentialKind,
  lines: (secret: (part: string, text: string) => string) => string[],
) => string | undefined;

function fromAuthorization(value: string, use: Use): string | undefined {
  const [, scheme = '', rest = value] = /^(\S+)\s+(.+)$/s.exec(value) ?? [];
  if (/^basic$/i.test(scheme) && variablesIn(rest).length === 0 && /^[A-Za-z0-9+/]+=*$/.test(rest)) {
    const text = Buffer.from(rest, 'base64').toString('utf8');
    const colon = text.indexOf(':');
    if (colon >= 0)
      return use('basic', (secret) => userLines(secret, text.slice(0, colon), text.slice(colon + 1)));
  }
  if (scheme === '') return use('header', (secret) => ['name: Authorization', `value: ${secret('', value)}`]);
  return use('bearer', (secret) => [
    `token: ${secret('', rest)}`,
    ...(/^bearer$/i.test(scheme) ? [] : [`scheme: ${scalar(scheme)}`]),
  ]);
}

function userLines(
  secret: (part: string, text: string) => string,
  name: string,
  password: string | undefined,
): string[] {
  // `key:` with nothing behind it: the user's name is the key.
  const nameIsKey =
    (password ?? '') === '' &&
    (isPlaceholderKey(name) || name.length >= 16 || wholeVariable(name) !== undefined);
  return [
    `user: ${nameIsKey ? secret('', name) : plain(name)}`,
    `password: ${nameIsKey ? '""' : secret('', password ?? '')}`,
  ];
}

/** A text of the project file: open values in it are secrets, since nothing else can stand there. */
function plain(text: string): string {
  return scalar(
    replaceVariables(
      text.replaceAll('${', () => '$${'),
      (name) => name,
    ),
  );
}

/** The insertion that stands for a key; the key itself becomes a secret. */
function secretText(
  draft: Draft,
  project: Project,
  credential: string,
  { part, text }: { readonly part: string; readonly text: string },
): string {
  const printed = wholeOutput(text);
  const variable = wholeVariable(text) ?? variablesIn(text)[0];
  const words =
    variable ??
    (/^[<{[]?([A-Za-z][\w -]*)[>}\]]?$/.exec(text)?.[1] && isPlaceholderKey(text) ? text : undefined);
  const name = freeName(part === '' ? credential : `${credential}_${part}`, {
    has: (one) => project.secrets.has(one) || draft.secrets.has(one),
  });
  if (printed !== undefined && !holdsKey(printed)) draft.secrets.set(name, { source: `command ${printed}` });
  else if (printed !== undefined) {
    draft.secrets.set(name, { source: 'locked' });
    draft.notes.push(
      `a command in $(…), since a key stands readable in it: pipe what it prints into batharon secret set ${name}`,
    );
  } else if (words !== undefined) draft.secrets.set(name, { source: `env ${variableName(words)}` });
  else draft.secrets.set(name, text === '' ? { source: 'locked' } : { source: 'locked', value: text });
  return `\${secret.${name}}`;
}

function variableName(words: string): string {
  return /^[A-Z_][A-Z0-9_]*$/.test(words)
    ? words
    : nameOfPlaceholder(words.replace(/^(?:your|my|the)[-_ ]+/i, '')).toUpperCase();
}

function keyParameter(url: string): { name: string; value: string; rest: string } | undefined {
  const [, head = url, query = '', fragment = ''] = /^([^?#]*)\?([^#]*)(#.*)?$/s.exec(url) ?? [];
  const pairs = query === '' ? [] : query.split('&');
  const found = pairs.find((pair) => KEY_PARAMETER.test(pair.split('=')[0]!) && /=./.test(pair));
  if (found === undefined) return undefined;
  const rest = pairs.filter((pair) => pair !== found);
  const [name = '', ...value] = found.split('=');
  let text = value.join('=');
  try {
    text = decodeURIComponent(text);
  } catch {
    // as it stands
  }
  return { name, value: text, rest: `${head}${rest.length > 0 ? `?${rest.join('&')}` : ''}${fragment}` };
}
