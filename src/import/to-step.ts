import { holdsKey } from '../core/chain/fields/plain-secrets.ts';
import { encodeQuery } from '../core/engine/scope/insert.ts';
import type { Project } from '../core/chain/project.ts';
import { isObject, membersOf, objectOf, type Value } from '../core/language/values.ts';
import { type Draft, emptyDraft, freeName, hostWord, serviceAt } from './draft.ts';
import { takeCredential } from './keys-of-request.ts';
import {
  nameOfPlaceholder,
  replaceOutputs,
  replaceVariables,
  variable,
  variablesIn,
} from './placeholders.ts';
import { type ImportedBody, type ImportedPart, type ImportedRequest, LEFT_OUT } from './request.ts';
import { asTemplate, entry, key, scalar, textEntry } from './yaml-text.ts';
import { cookiesWithSecrets, isSecretNamed, secretFor, withSecrets } from './step-secrets.ts';

/** Fields that follow from the request. */
const FOLLOWING_FIELD = /^(?:content-length|connection|transfer-encoding)$/i;

/** Writes an imported request as a step, with what the project and the chain need for it. */
export function toStep(imported: ImportedRequest, project: Project, name?: string): Draft {
  return toSteps([imported], project, name);
}

/** The same for several requests, which share services and credentials where these are the same. */
export function toSteps(all: readonly ImportedRequest[], project: Project, name?: string): Draft {
  const draft = emptyDraft();
  const made: MadeService[] = [];
  for (const [i, imported] of all.entries())
    addRequest(draft, made, imported, {
      project,
      name: name === undefined || i === 0 ? name : `${name}_${i + 1}`,
    });
  return draft;
}

/** A service that is new with these requests. */
interface MadeService {
  readonly name: string;
  readonly base: string;
  readonly as: string | undefined;
  /** What its credential is made of, keys included. */
  readonly signs: string;
}

function addRequest(
  draft: Draft,
  made: MadeService[],
  imported: ImportedRequest,
  { project, name }: { readonly project: Project; readonly name: string | undefined },
): void {
  draft.notes.push(...imported.notes);
  const origin = /^https?:\/\/[^/?#]*/i.exec(imported.url)?.[0];
  const host = origin?.replace(/^https?:\/\//i, '') ?? '';
  const openHost = origin === undefined || variablesIn(host).length > 0;
  const found = serviceAt(project, imported.url);
  const word = found?.service.name ?? (openHost ? 'service' : hostWord(host.replace(/^[^@]*@/, '')));
  const service = found?.service;
  const own: Draft = { ...draft, credentials: new Map(), secrets: new Map(draft.secrets) };
  const { request: signedApart, as: ownAs } = takeCredential(own, project, service, {
    word,
    request: withoutUserInfo(imported),
  });
  const request = mapTexts(signedApart, (text) => withOpenOutputs(draft, text));
  const before = found ? undefined : made.find(({ base }) => isBelow(request.url, base));
  const signs = signatureOf(own, ownAs, draft);
  const isSame = before !== undefined && ownAs !== undefined && signs === before.signs;
  let as = ownAs;
  if (!isSame && ownAs !== undefined) as = takeOver(draft, own, ownAs, project);
  if (isSame) as = undefined;
  const target = found
    ? { name: found.service.name, path: serviceAt(project, request.url)!.path }
    : before
      ? { name: before.name, path: pathBelow(request.url, before.base) }
      : newService(draft, project, request, { word, as });
  if (!found && !before)
    made.push({
      name: target.name,
      base: request.url.slice(0, -target.path.length) || request.url,
      as,
      signs,
    });

  const [path = '', search = ''] = target.path.replace(/#.*$/s, '').split(/\?(.*)/s);
  const pairs = [...new URLSearchParams(search)];
  // What was plain in the address stays so: `$select=Id,Title`.
  const isPlain = search === '' || encodeQuery(pairs) === search;
  const isOrdered = isInOrder(pairs);
  const secretQuery = pairs.some(([one, value]) => isSecretNamed(one, value));
  const inline = (isPlain && isOrdered) || secretQuery ? '' : `?${asTemplate(search)}`;
  const lines = [textLine(`call: ${request.method} ${target.name} ${asTemplate(path)}${inline}`)];
  if (name !== undefined) lines.push(`name: ${name}`);
  if (as !== undefined && (found ?? before)) lines.push(`as: ${as}`);
  else if (before?.as !== undefined && ownAs === undefined) lines.push('as: nobody');
  const query = inline === '' ? parameters(pairs) : undefined;
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
  if (found ?? before) serviceNotes(draft, request);
  const step = lines.map((line, i) => (i === 0 ? `- ${line}` : `  ${line}`.trimEnd()));
  draft.step.push(...step);
  // One that became a secret is no input.
  const written = finished(step).join('\n');
  for (const open of new Set(textsOf(request).flatMap(variablesIn)))
    if (written.includes(`\${${open}}`))
      draft.inputs.set(open, ['{ about: stood open in the documentation }']);
}

/** Whether names that stand several times stand behind each other, so that a list of their values is sent in that order. */
function isInOrder(pairs: readonly (readonly [string, string])[]): boolean {
  return pairs.every(
    ([name], i) => pairs[i - 1]?.[0] === name || !pairs.slice(0, i).some(([one]) => one === name),
  );
}

/** A line of a key and a text, in quotes where YAML would read it otherwise. */
function textLine(line: string): string {
  const [, key_ = '', text = ''] = /^(\w+): (.*)$/s.exec(line) ?? [];
  return / #|: |:$/.test(text) ? `${key_}: ${scalar(text)}` : line;
}

function isBelow(url: string, base: string): boolean {
  return url === base || (url.startsWith(base) && /^[/?#]/.test(url.slice(base.length)));
}

function pathBelow(url: string, base: string): string {
  const path = url.slice(base.length);
  return path.startsWith('/') ? path : `/${path}`;
}

/** What a credential is made of, its keys in the place of the names of their secrets. */
function signatureOf({ credentials, secrets }: Draft, as: string | undefined, before: Draft): string {
  const lines = as === undefined ? [] : (credentials.get(as) ?? []);
  return lines.join('\n').replace(/\$\{secret\.(\w+)\}/g, (_, name: string) => {
    const secret = secrets.get(name) ?? before.secrets.get(name);
    return JSON.stringify(secret?.value ?? secret?.source ?? name);
  });
}

/** Takes a credential and its secrets into the draft, under a name that is free. */
function takeOver(draft: Draft, own: Draft, as: string, project: Project): string {
  const name = freeName(as, {
    has: (one) => draft.credentials.has(one) || (one !== as && project.credentials.has(one)),
  });
  draft.credentials.set(name, own.credentials.get(as)!);
  for (const [secret, source] of own.secrets) draft.secrets.set(secret, source);
  return name;
}

/** A request with each of its texts changed. */
function mapTexts(request: ImportedRequest, change: (text: string) => string): ImportedRequest {
  const inValue = (value: Value): Value => {
    if (typeof value === 'string') return change(value);
    if (Array.isArray(value)) return value.map(inValue);
    return isObject(value)
      ? objectOf(membersOf(value).map(([name, member]) => [name, inValue(member)] as const))
      : value;
  };
  const ofBody = (body: ImportedBody): ImportedBody => {
    switch (body.type) {
      case 'json':
        return { ...body, value: inValue(body.value) };
      case 'form':
        return { ...body, fields: body.fields.map(([name, value]) => [name, change(value)]) };
      case 'multipart':
        return {
          ...body,
          parts: body.parts.map((part) =>
            part.value === undefined ? part : { ...part, value: change(part.value) },
          ),
        };
      case 'text':
        return { ...body, text: change(body.text) };
      case 'file':
        return body;
    }
  };
  return {
    ...request,
    url: change(request.url),
    headers: request.headers.map(([name, value]) => [name, change(value)] as const),
    ...(request.body ? { body: ofBody(request.body) } : {}),
  };
}

/** Every text of a request. */
function textsOf(request: ImportedRequest): string[] {
  const all: string[] = [];
  mapTexts(request, (text) => {
    all.push(text);
    return text;
  });
  return all;
}

/** What another command prints is an input: it is not carried out. */
function withOpenOutputs(draft: Draft, text: string): string {
  return replaceOutputs(text, (command) => {
    const name = nameOfPlaceholder(command.slice(0, 40));
    draft.notes.push(
      `$(${holdsKey(command) ? '…' : command}): what it prints is given as --give ${name}="$(…)"`,
    );
    return variable(name);
  });
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
  { word, as }: { readonly word: string; readonly as: string | undefined },
): { name: string; path: string } {
  const [, origin = 'https://api.emberfold.example', rest = '/'] =
    /^(https?:\/\/[^/?#]*)(.*)$/is.exec(request.url) ?? [];
  // A version at the beginning of the path belongs to where the service lives.
  const version = /^(?:\/(?:api|rest))?\/v\d+(?:\.\d+)?(?=\/)/.exec(rest)?.[0] ?? '';
  const name = freeName(word, { has: (one) => project.services.has(one) || draft.services.has(one) });
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
    if (FOLLOWING_FIELD.test(name)) return false;
    if (/^host$/i.test(name)) {
      draft.notes.push(`Host: ${value}: it follows from the address`);
      return false;
    }
    if (value === LEFT_OUT) return true;
    if (/^accept$/i.test(name) && value === '*/*') return false;
    if (!/^content-type$/i.test(name)) return true;
    if (body?.type === 'text' && /^application\/xml$/i.test(value)) return false;
    if (body?.type === 'json') return !/^application\/json(?:;\s*charset=utf-8)?$/i.test(value);
    return body?.type !== 'form' && body?.type !== 'multipart' && body !== undefined;
  });
  return mapLines(
    'headers',
    kept.map(([name, value]) => {
      if (value === LEFT_OUT) return `${key(name)}: null`;
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
      // In quotes the name is a member; without them a file would be read.
      return entry('json', withSecrets(draft, body.value)).map((line) =>
        line.replace(/^ {2}from:/, '  "from":'),
      );
    case 'form':
      if (!isInOrder(body.fields))
        return [
          ...(headers.some(([name]) => /^content-type$/i.test(name))
            ? []
            : ['headers:', '  Content-Type: application/x-www-form-urlencoded']),
          ...textEntry(
            'text',
            new URLSearchParams(body.fields.map(([name, value]) => [name, value])).toString(),
          ),
        ];
      return mapEntry('form', withSecrets(draft, parameters(body.fields) ?? {}));
    case 'multipart':
      return mapLines(
        'multipart',
        body.parts.flatMap((part) => {
          const secret = part.value === undefined ? undefined : secretFor(draft, part.name, part.value);
          return partLines(secret === undefined ? part : { ...part, value: secret });
        }),
      );
    case 'file':
      return [`file: ${scalar(asTemplate(body.path))}`];
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

/** The lines of a draft with their insertions written out. */
export function finished(lines: readonly string[]): string[] {
  return lines.map((line) =>
    replaceVariables(line, (name) => `\${${name}}`).replace(/"?\ue002([^\ue003]*)\ue003"?/g, '${$1}'),
  );
}
