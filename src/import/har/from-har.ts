import { parseJson } from '../../core/language/json.ts';
import { numberText } from '../../core/language/numbers.ts';
import { isNumeric, isObject, membersOf, type Value } from '../../core/language/values.ts';
import type { Project } from '../../core/chain/project.ts';
import { ProblemError } from '../../core/problems.ts';
import type { ChainDraft } from '../draft.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import type { ImportedBody, ImportedRequest } from '../request.ts';
import { toSteps } from '../to-step.ts';
import { scalar } from '../yaml-text.ts';
import { readHar, type RecordedCall } from './read-har.ts';
import { ReturningValues } from './returning-values.ts';

/** What a browser or client adds of itself, or what follows from the request. */
const ADDED =
  /^(?::|host$|connection$|content-length$|accept-encoding$|accept-language$|user-agent$|sec-|referer$|origin$|pragma$|cache-control$|dnt$|upgrade-insecure-requests$|priority$|te$|keep-alive$|transfer-encoding$|x-requested-with$|if-none-match$|if-modified-since$)/i;

/** So much of what is left out is listed. */
const MOST_LISTED = 30;

/** The calls of an HTTP Archive as the steps of a chain, with what comes back kept and inserted. Throws `import-unreadable`. */
export function importHar(path: string, project: Project): readonly ChainDraft[] {
  const { calls, leftOut } = readHar(path);
  if (calls.length === 0) return [];
  const values = new ReturningValues();
  const cookies = new Set<string>();
  const requests = calls.map((call, i) => {
    const texts = textsOf(call);
    const request = requestOf(call, values, cookies);
    values.sent(texts);
    values.received(call, i);
    for (const [name, value] of call.responseHeaders)
      if (name === 'set-cookie')
        for (const line of value.split('\n')) cookies.add(line.split(/[=;]/)[0]!.trim());
    return request;
  });
  const draft = toSteps(requests, project);
  const names = new Set<string>();
  const step: string[] = [];
  let at = -1;
  for (const [i, line] of draft.step.entries()) {
    if (line.startsWith('- call: ')) at++;
    step.push(line);
    const isLast = draft.step[i + 1] === undefined || draft.step[i + 1]!.startsWith('- call: ');
    if (!isLast) continue;
    const call = calls[at]!;
    step.push(`  name: ${freeName(call, names)}`, `  expect: status == ${call.status}`);
    const kept = values.from(at);
    if (kept.length > 0)
      step.push('  keep:', ...kept.map(({ expression, name }) => `    ${name}: ${scalar(expression)}`));
  }
  draft.step.splice(0, draft.step.length, ...step);
  draft.notes.push(...leftOut.slice(0, MOST_LISTED));
  if (leftOut.length > MOST_LISTED) draft.notes.push(`${leftOut.length - MOST_LISTED} more`);
  const host = new URL(calls[0]!.url).hostname;
  return [{ title: `Recorded at ${host}`, word: nameOfPlaceholder(host).replaceAll('_', '-'), draft }];
}

function freeName({ method, url }: RecordedCall, names: Set<string>): string {
  const parts = new URL(url).pathname.split('/').filter((part) => part !== '' && !/\d/.test(part));
  const verb = { GET: 'get', POST: 'create', PUT: 'replace', PATCH: 'change', DELETE: 'delete' }[method];
  const words = nameOfPlaceholder(`${verb ?? method} ${parts.at(-1) ?? 'root'}`).slice(0, 40);
  let name = words;
  for (let i = 2; names.has(name); i++) name = `${words}_${i}`;
  names.add(name);
  return name;
}

/** Every text of a request that could be one of a response. */
function textsOf({ body, headers, url }: RecordedCall): string[] {
  const { pathname, searchParams } = new URL(url);
  const texts = [
    ...pathname.split('/').map(decoded),
    ...searchParams.values(),
    ...headers.map(([, value]) => value),
  ];
  if (body) {
    const json = jsonOf(body);
    if (json === undefined) texts.push(...new URLSearchParams(body.text).values());
    else scalars(json, texts);
  }
  return texts;
}

function scalars(value: Value, into: string[]): void {
  if (typeof value === 'string') into.push(value);
  else if (isNumeric(value)) into.push(numberText(value));
  else if (Array.isArray(value)) for (const item of value) scalars(item, into);
  else if (isObject(value)) for (const [, member] of membersOf(value)) scalars(member, into);
}

function jsonOf({ text, type }: NonNullable<RecordedCall['body']>): Value | undefined {
  if (!/[/+]json$/.test(type)) return undefined;
  try {
    return parseJson(text);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return undefined;
  }
}

function requestOf(
  call: RecordedCall,
  values: ReturningValues,
  cookies: ReadonlySet<string>,
): ImportedRequest {
  const { method, url } = call;
  const headers: (readonly [string, string])[] = [];
  let sent: string | undefined;
  for (const [name, value] of call.headers) {
    if (/^cookie$/i.test(name)) sent = value;
    else if (!ADDED.test(name)) headers.push([name, withInsertion(name, value, values)]);
  }
  const body = call.body && bodyOf(call.body, values);
  // What the service has set the jar sends of itself.
  const own = sent
    ?.split(/;\s*/)
    .filter((one) => !cookies.has(one.split('=')[0]!))
    .join('; ');
  const isTyped = body !== undefined && body.type !== 'text';
  return {
    method,
    url: addressOf(url, values),
    headers: headers.filter(([name]) => !(isTyped && /^content-type$/i.test(name) && body.type !== 'json')),
    ...(body ? { body } : {}),
    ...(own ? { cookies: own } : {}),
    notes: [],
  };
}

function withInsertion(name: string, value: string, values: ReturningValues): string {
  const [, scheme = '', rest = value] = /^(Bearer|Token) (.+)$/is.exec(value) ?? [];
  const isSecret = /^(?:authorization|.*token|.*key)$/i.test(name);
  const found = values.insertion(rest, isSecret);
  return found === undefined ? value : `${scheme}${scheme === '' ? '' : ' '}${found}`;
}

/** An address with insertions for parts of its path and values of its query. */
function addressOf(url: string, values: ReturningValues): string {
  const [, head = '', path = '', search = ''] =
    /^(https?:\/\/[^/?#]*)([^?#]*)(?:\?([^#]*))?/i.exec(url) ?? [];
  const segments = path.split('/').map((part) => values.insertion(decoded(part)) ?? part);
  const pairs = search.split('&').map((pair) => {
    const [name = '', ...rest] = pair.split('=');
    const value = rest.join('=');
    const found = values.insertion(decoded(value.replaceAll('+', ' ')));
    return found === undefined ? pair : `${name}=${found}`;
  });
  return `${head}${segments.join('/')}${search === '' ? '' : `?${pairs.join('&')}`}`;
}

function bodyOf(body: NonNullable<RecordedCall['body']>, values: ReturningValues): ImportedBody {
  const json = jsonOf(body);
  if (json !== undefined) return { type: 'json', value: values.inValue(json) };
  if (body.type === 'application/x-www-form-urlencoded')
    return {
      type: 'form',
      fields: [...new URLSearchParams(body.text)].map(
        ([name, value]) => [name, values.insertion(value) ?? value] as const,
      ),
    };
  return { type: 'text', text: body.text };
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
