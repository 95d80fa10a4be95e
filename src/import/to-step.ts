import { soundsSecret } from '../core/chain/secret-members.ts';
import type { Project } from '../core/chain/project.ts';
import { isObject, objectOf, type Value } from '../core/language/values.ts';
import { type Draft, freeName, hostWord, serviceAt } from './draft.ts';
import { takeCredential } from './keys-of-request.ts';
import { isPlaceholderKey, replaceVariables, variablesIn, wholeVariable } from './placeholders.ts';
import type { ImportedPart, ImportedRequest } from './request.ts';
import { asTemplate, entry, key, scalar, textEntry } from './yaml-text.ts';

/** Fields that say nothing that would not be sent anyway. */
const USUAL_FIELD = /^(?:host|content-length|connection|accept-encoding|user-agent)$/i;

/** Writes an imported request as a step, with what the project and the chain need for it. */
export function toStep(imported: ImportedRequest, project: Project, name?: string): Draft {
  const draft: Draft = {
    step: [],
    inputs: new Map(),
    services: new Map(),
    credentials: new Map(),
    secrets: new Map(),
    notes: [...imported.notes],
  };
  const origin = /^https?:\/\/[^/?#]*/i.exec(imported.url)?.[0];
  const host = origin?.replace(/^https?:\/\//i, '') ?? '';
  const openHost = origin === undefined || variablesIn(host).length > 0;
  const found = serviceAt(project, imported.url);
  const word = found?.service.name ?? (openHost ? 'service' : hostWord(host.replace(/^[^@]*@/, '')));
  const service = found?.service;
  const { request, as } = takeCredential(draft, project, service, word, withoutUserInfo(imported));
  const target = found
    ? { name: found.service.name, path: serviceAt(project, request.url)!.path }
    : newService(draft, project, request, word, as);

  const [path = '', search = ''] = target.path.replace(/#.*$/s, '').split(/\?(.*)/s);
  const lines = [`call: ${request.method} ${target.name} ${asTemplate(path)}`];
  if (name !== undefined) lines.push(`name: ${name}`);
  if (as !== undefined && found) lines.push(`as: ${as}`);
  const query = parameters([...new URLSearchParams(search)]);
  lines.push(...mapEntry('query', query && withSecrets(draft, query)));
  lines.push(...headerLines(draft, request));
  lines.push(...bodyLines(draft, request));
  if (request.timeouts) {
    const { connect, total } = request.timeouts;
    if (connect === undefined) lines.push(`timeout: ${total!}`);
    else
      lines.push('timeout:', `  connect: ${connect}`, ...(total === undefined ? [] : [`  total: ${total}`]));
  }
  if (request.save !== undefined) lines.push(`save: ${scalar(asTemplate(request.save))}`);
  if (found) serviceNotes(draft, request);
  draft.step.push(...lines.map((line, i) => (i === 0 ? `- ${line}` : `  ${line}`.trimEnd())));
  for (const open of new Set([target.path, ...textsOf(request)].flatMap(variablesIn)))
    draft.inputs.set(open, ['{ about: stood open in the documentation }']);
  return draft;
}

/** Every text of a request besides its address. */
function textsOf({ headers, body }: ImportedRequest): string[] {
  const inValue = (value: Value): string[] => {
    if (typeof value === 'string') return [value];
    if (Array.isArray(value)) return value.flatMap(inValue);
    return isObject(value) ? Object.values(value).flatMap(inValue) : [];
  };
  const ofBody = (): string[] => {
    switch (body?.type) {
      case undefined:
        return [];
      case 'json':
        return inValue(body.value);
      case 'form':
        return body.fields.map(([, value]) => value);
      case 'multipart':
        return body.parts.flatMap(({ value, file }) => [value ?? '', file ?? '']);
      case 'text':
        return [body.text];
      case 'file':
        return [body.path];
    }
  };
  return [...headers.map(([, value]) => value), ...ofBody()];
}

/** User and password in an address are a credential. */
function withoutUserInfo(request: ImportedRequest): ImportedRequest {
  const [, scheme, name, password] = /^(https?:\/\/)([^/?#@:]*)(?::([^/?#@]*))?@/i.exec(request.url) ?? [];
  if (scheme === undefined || name === undefined) return request;
  const url = request.url.replace(/^(https?:\/\/)[^/?#@]*@/i, '$1');
  if (request.user) return { ...request, url };
  return {
    ...request,
    url,
    user: {
      name: decoded(name),
      password: password === undefined ? undefined : decoded(password),
      digest: false,
    },
  };
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

function newService(
  draft: Draft,
  project: Project,
  request: ImportedRequest,
  word: string,
  as: string | undefined,
): { name: string; path: string } {
  const [, origin = 'https://api.emberfold.example', rest = '/'] =
    /^(https?:\/\/[^/?#]*)(.*)$/is.exec(request.url) ?? [];
  // A version at the beginning of the path belongs to where the service lives.
  const version = /^(?:\/(?:api|rest))?\/v\d+(?:\.\d+)?(?=\/)/.exec(rest)?.[0] ?? '';
  const name = freeName(word, project.services);
  const open = variablesIn(origin);
  if (open.length > 0) {
    draft.notes.push(`where the service lives stands open (${open.join(', ')}): write its url`);
  }
  const { tls, proxy } = request;
  draft.services.set(name, [
    `url: ${scalar(open.length > 0 ? 'https://api.emberfold.example' : origin + version)}`,
    ...(as === undefined ? [] : [`as: ${as}`]),
    ...(request.insecure || tls
      ? [
          'tls:',
          ...Object.entries(tls ?? {}).map(([part, path]) => `  ${part}: ${scalar(path)}`),
          ...(request.insecure ? ['  verify: no'] : []),
        ]
      : []),
    ...(proxy === undefined ? [] : [`proxy: ${scalar(proxy.replace(/\/\/[^/@]*@/, '//'))}`]),
  ]);
  if (proxy !== undefined && /\/\/[^/@]*@/.test(proxy))
    draft.notes.push('the user and password of the proxy');
  return { name, path: rest.slice(version.length) === '' ? '/' : rest.slice(version.length) };
}

function serviceNotes(draft: Draft, { insecure, tls, proxy }: ImportedRequest): void {
  if (insecure)
    draft.notes.push('--insecure: tls: { verify: no } on the service does that for all of its calls');
  if (tls) draft.notes.push('the certificate: tls: on the service');
  if (proxy !== undefined) draft.notes.push('the proxy: proxy: on the service');
}

function headerLines(draft: Draft, { headers, body }: ImportedRequest): string[] {
  const kept = headers.filter(([name, value]) => {
    if (USUAL_FIELD.test(name)) return false;
    if (/^accept$/i.test(name) && value === '*/*') return false;
    if (!/^content-type$/i.test(name)) return true;
    if (body?.type === 'text' && /^application\/xml$/i.test(value)) return false;
    if (body?.type === 'file' && /json/i.test(value)) return false;
    if (body?.type === 'json') return !/^application\/json(?:;\s*charset=utf-8)?$/i.test(value);
    return body?.type !== 'form' && body?.type !== 'multipart' && body !== undefined;
  });
  return mapLines(
    'headers',
    kept.map(([name, value]) => {
      const secret = /^cookie$/i.test(name)
        ? cookiesWithSecrets(draft, value)
        : secretFor(draft, name, value);
      return `${key(name)}: ${scalar(asTemplate(secret ?? value))}`;
    }),
  );
}

function mapLines(name: string, lines: readonly string[]): string[] {
  return lines.length === 0 ? [] : [`${name}:`, ...lines.map((line) => `  ${line}`)];
}

function mapEntry(name: string, value: Value | undefined): string[] {
  return value === undefined ? [] : entry(name, value);
}

/** Pairs as a map; a name that stands several times gets a list. */
function parameters(pairs: readonly (readonly [string, string])[]): Value | undefined {
  if (pairs.length === 0) return undefined;
  const all = new Map<string, string[]>();
  for (const [name, value] of pairs) all.set(name, [...(all.get(name) ?? []), value]);
  return objectOf([...all].map(([name, values]) => [name, values.length === 1 ? values[0]! : values]));
}

function bodyLines(draft: Draft, { body, headers }: ImportedRequest): string[] {
  if (!body) return [];
  switch (body.type) {
    case 'json':
      return entry('json', withSecrets(draft, body.value));
    case 'form':
      return mapEntry('form', withSecrets(draft, parameters(body.fields) ?? {}));
    case 'multipart':
      return mapLines(
        'multipart',
        body.parts.flatMap((part) => {
          const secret = part.value === undefined ? undefined : secretFor(draft, part.name, part.value);
          return partLines(secret === undefined ? part : { ...part, value: secret });
        }),
      );
    case 'file': {
      const isJson =
        headers.some(([name, value]) => /^content-type$/i.test(name) && /json/i.test(value)) ||
        /\.json$/i.test(body.path);
      return isJson
        ? ['json:', `  from: ${scalar(asTemplate(body.path))}`]
        : [`file: ${scalar(asTemplate(body.path))}`];
    }
    case 'text':
      return textEntry(xmlType(headers) === undefined ? 'text' : 'xml', body.text);
  }
}

function xmlType(headers: ImportedRequest['headers']): string | undefined {
  return headers.find(([name, value]) => /^content-type$/i.test(name) && /[/+]xml\b/i.test(value))?.[1];
}

function partLines({ name, value, file, type, filename }: ImportedPart): string[] {
  if (file === undefined && type === undefined && filename === undefined) return entry(name, value ?? '');
  return [
    `${key(name)}:`,
    ...(file === undefined ? entry('text', value ?? '') : [`file: ${scalar(asTemplate(file))}`]).map(
      (line) => `  ${line}`,
    ),
    ...(type === undefined ? [] : [`  type: ${scalar(type)}`]),
    ...(filename === undefined ? [] : [`  filename: ${scalar(asTemplate(filename))}`]),
  ];
}

const SECRET_MEMBER =
  /^(?:.*[-_])?(?:password|passwd|secret|client_secret|api_?key|access_?token|refresh_?token|token)$/i;

/** Members whose names say that they are keys become secrets. */
function withSecrets(draft: Draft, value: Value): Value {
  if (Array.isArray(value)) return value.map((item) => withSecrets(draft, item));
  if (!isObject(value)) return value;
  return objectOf(
    Object.entries(value).map(([name, member]): [string, Value] => {
      const secret = typeof member === 'string' ? secretFor(draft, name, member) : undefined;
      return [name, secret ?? withSecrets(draft, member)];
    }),
  );
}

/** The insertion of a secret that stands for a key; nothing where the name does not say that it is one. */
function secretFor(draft: Draft, name: string, value: string): string | undefined {
  if (value.length < 6 || (!SECRET_MEMBER.test(name) && soundsSecret(name) !== 'surely')) return undefined;
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

/** A field of cookies, with secrets for those that let somebody in. */
function cookiesWithSecrets(draft: Draft, value: string): string {
  return value.replace(/(^|;\s*)([^=;\s]+)=([^;]+)/g, (whole, before: string, name: string, text: string) => {
    const named = /sess|sid$|auth|token/i.test(name) ? `${name}_secret` : name;
    const secret = secretFor(draft, named, text);
    return secret === undefined ? whole : `${before}${name}=${secret}`;
  });
}

/** An insertion of something that is no open value of the documentation. */
export function inserted(expression: string): string {
  return `\ue002${expression}\ue003`;
}

/** The lines of a draft with their insertions written out. */
export function finished(lines: readonly string[]): string[] {
  return lines.map((line) =>
    replaceVariables(line, (name) => `\${${name}}`).replace(/"?\ue002([^\ue003]*)\ue003"?/g, '${$1}'),
  );
}
