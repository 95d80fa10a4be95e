import { type Kind, TEXT } from '../../language/kinds.ts';
import { childrenOf, speaksOfBody, type Tree, speaksOfStatus } from '../../language/tree.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import { ARRIVED } from '../fields/step-kinds.ts';
import { FIELD_NAME, SET_BY_REQUEST } from '../../header-names.ts';
import {
  type CallStep,
  type Field,
  type Parameter,
  READ_AS,
  type ReadAs,
  STREAMED_AS,
  type Template,
  type Timeouts,
} from '../model.ts';
import { readCarried } from './read-as.ts';
import { readRequestBody, readParameters } from './read-body.ts';
import { readOutcome } from './read-outcome.ts';
import { readRequestLine } from './read-request-line.ts';
import type { StepBase, StepReader } from './step-reader.ts';
import { compact, optional } from '../optional.ts';
import { PAGES_NAMES, readPages, readPoll } from './read-pages.ts';
import { readStream, STREAM_NAMES, streamedKind } from './read-stream.ts';
import { readCallback, readIdempotency, readRetry, retriesOnStatus } from './read-traffic.ts';
import { NONE, saysYes, timesOf } from '../source/key-definition.ts';
import { plainSecret, plainSecretsInCookies, plainSecretsInUrl } from '../fields/plain-secrets.ts';
import { type MapNode, type ScalarNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { checkDescribed } from './check-described.ts';
import {
  checkStatuses,
  contractOf,
  type DescribedCall,
  describedCall,
  describedKind,
} from './described-call.ts';
import type { StaticScope } from '../../language/scope.ts';

/** Reads a call: what is sent first, then what is made of the response. */
export function readCall(
  reader: StepReader,
  node: MapNode,
  base: StepBase,
  scope: ChainScope,
): CallStep | undefined {
  const { fields, project } = reader;
  const { findings } = fields;
  const callbackNode = valueOf(node, 'callback');
  const sent = scope.before(
    true,
    [...project.secrets.keys()],
    [...project.services.keys()],
    callbackNode ? { callback: TEXT } : {},
  );
  const line = valueOf(node, 'call')!;
  const request = line.type === 'scalar' ? readRequestLine(reader, line, sent) : undefined;
  const asNode = valueOf(node, 'as');
  const carried = readCarried(fields, asNode, project.credentials, {
    scope: sent,
    hint: credentialsOf(reader),
  });
  // What takes a step back signs in as that did.
  const as = carried.as ?? reader.undoAs;
  const hidden = callbackNode && scope.lookup('callback');
  if (hidden)
    findings.problem(
      callbackNode,
      'name-twice',
      `callback is the address to be called here, and the name callback is already defined on line ${hidden.line}`,
      'another name there; nothing hides anything',
    );
  const query = readParameters(reader, valueOf(node, 'query'), sent);
  if (request && line.type === 'scalar') {
    repeatedParameters(reader, line, query);
    plainSecretsInUrl(findings, line);
  }
  const headers = readFields(reader, valueOf(node, 'headers'), sent);
  const body = readRequestBody(reader, node, sent);
  const timeouts = readTimeouts(reader, valueOf(node, 'timeout'), scope.outside());
  const { readAs, separator } = readReadAs(reader, valueOf(node, 'read-as'));
  const contract = contractOf(fields.literal(valueOf(node, 'contract')));
  const described = describedCall(reader, node, request, contract);
  const statuses = described && checkStatuses(reader, described, valueOf(node, 'expect'));
  const service = request && request.target.type !== 'url' ? request.target.service : undefined;
  const responseOf =
    described && kindFor(reader, node, described, { statuses, readAs, address: base.address });
  const streamNode = valueOf(node, 'stream');
  const response = streamNode
    ? { readAs, kind: streamedKind(readAs) }
    : responseOf
      ? { readAs, kind: responseOf }
      : readAs;
  const poll = readPoll(fields, valueOf(node, 'poll'), scope, response);
  const pages = readPages(fields, valueOf(node, 'pages'), scope, response);
  if (poll && pages)
    findings.problem(
      valueOf(node, 'pages')!,
      'wrong-form',
      'a call polls or reads pages, and here it does both',
      'two steps: the first polls, the second reads pages',
    );
  const stream = readStream(fields, streamNode, scope, readAs);
  if (streamNode) streamAlone(reader, node, readAs);
  const waitsFor = readCallback(fields, callbackNode, project, {
    scope: scope.outside(),
    response: callbackNode ? scope.after(response, { arrived: ARRIVED }) : scope.outside(),
  });
  const retry =
    readRetry(fields, valueOf(node, 'retry'), scope.outside(), scope.after(response)) ??
    (service === undefined ? undefined : project.services.get(service)?.retry);
  const idempotency = readIdempotency(fields, valueOf(node, 'idempotency'), sent);
  if (idempotency && (pages ?? (poll && !poll.at)))
    findings.problem(
      valueOf(node, 'idempotency')!,
      'wrong-form',
      `each request of ${pages ? 'pages' : 'a poll'} would carry the same key, and a service answers that with its first response`,
      'repeatable: yes, where asking again changes nothing',
    );
  const repeatable = saysYes(fields.literal(valueOf(node, 'repeatable')));
  const more = {
    ...(pages ? PAGES_NAMES : {}),
    ...(stream ? STREAM_NAMES : {}),
    ...(callbackNode ? { arrived: ARRIVED } : {}),
  };
  const outcome = readOutcome(reader, node, scope, scope.after(response, more));
  const serviceExpect = saysYes(fields.literal(valueOf(node, 'service-expect')), true);
  const ofService = service === undefined ? [] : (project.services.get(service)?.expect ?? []);
  const onStatus =
    retriesOnStatus(retry) ||
    poll?.speaksOfStatus === true ||
    [...outcome.expect, ...(serviceExpect ? ofService : [])].some(({ condition }) =>
      speaksOfStatus(condition.expression.tree),
    );
  const saved = valueOf(node, 'save');
  const saveNode = saved?.type === 'map' ? valueOf(saved, 'to') : saved;
  const save = saveNode && fields.template(saveNode, scope.outside());
  const resume = saved?.type === 'map' && saysYes(fields.literal(valueOf(saved, 'resume')));
  if (save) reader.files?.made.add(literalPath(save));
  const before =
    saveNode?.type === 'scalar'
      ? /^(?:to|as|in|into|at|file|:)\s+(?=\S)/.exec(saveNode.text)?.[0]
      : undefined;
  if (saveNode?.type === 'scalar' && before !== undefined)
    fields.findings.problem(
      saveNode,
      'wrong-form',
      `${before.trim()} would be a part of the name of the file`,
      fields.findings.partBecomes(saveNode, [0, before.length], ''),
    );
  if (saveNode?.type === 'scalar' && /[/\\]$/.test(saveNode.text))
    fields.findings.problem(
      saveNode,
      'wrong-form',
      `save names a file, and ${saveNode.text} is a folder`,
      fields.findings.becomes(
        saveNode,
        saveNode.text + (/[^/?]+(?=\?|$)/.exec(fields.literal(valueOf(node, 'call')) ?? '')?.[0] ?? 'body'),
      ),
    );
  const redirects = fields.literal(valueOf(node, 'redirects'));
  const cookies = fields.literal(valueOf(node, 'cookies'));
  const buffered =
    ['$', 'body', 'text'].some((name) => fields.used.has(name)) ||
    (serviceExpect && ofService.some(({ condition }) => speaksOfBody(condition.expression.tree)));
  if (!request) return undefined;
  if (resume && (buffered || request.method !== 'GET'))
    findings.problem(
      saved,
      'wrong-form',
      request.method === 'GET'
        ? 'what goes on where a download was cut is only the rest of the body, and this step speaks of the body'
        : `only GET can go on where it was cut, and this is ${request.method}`,
      'resume: no',
    );
  if (described)
    checkDescribed(reader, node, described, {
      request,
      query,
      headers,
      body,
      as,
      pages: pages !== undefined,
    });
  const own = compact({
    type: 'call' as const,
    title: base.name ?? `${request.method} ${request.where}`,
    method: request.method,
    written: request.written,
    target: request.target,
    ...carried,
    as,
    query,
    headers,
    body,
    timeouts,
    readAs,
    separator,
    save: save && { path: save, buffered, ...(resume ? { resume: true as const } : {}) },
    noCookies: cookies === NONE,
    newJar: cookies === 'new' || undefined,
    redirects: redirects === undefined ? undefined : timesOf(redirects),
    serviceExpect,
    contract,
    describedBody: responseOf,
    expectsSuccess: !onStatus,
    retry,
    poll,
    pages,
    stream,
    callback: waitsFor,
    idempotency,
    repeatable,
    obeysRetryAfter: !outcome.expect.some(({ condition }) => speaksOf429(condition.expression.tree)),
    undoing: reader.undoing === true,
    uses: new Set(fields.used),
  });
  // A literal with both spread into it takes V8 as long as all the reading before.
  return Object.assign(own, base, outcome);
}

/**
 * The kind of `$` by the description. Where another request than this one is answered last, or what came is read in another
 * way, the description of this one says nothing of it.
 */
function kindFor(
  { fields, project, undoing }: StepReader,
  node: MapNode,
  described: DescribedCall,
  {
    address,
    statuses,
    readAs,
  }: {
    readonly address: string;
    readonly statuses: readonly number[] | undefined;
    readonly readAs: ReadAs | undefined;
  },
): Kind | undefined {
  const poll = valueOf(node, 'poll');
  const isElsewhere = poll?.type === 'map' && valueOf(poll, 'at') !== undefined;
  const isOther =
    undoing === true ||
    valueOf(node, 'stream') !== undefined ||
    project.ignoresDescribedKinds === true ||
    (readAs ?? 'json') !== 'json';
  const expect = valueOf(node, 'expect');
  const speaksOfStatus = expect !== undefined && /\bstatus\b/.test(scalarsOf(expect).join(' '));
  if (isElsewhere || isOther || (speaksOfStatus && (statuses ?? []).length === 0)) return undefined;
  const recorded = project.recordedKinds?.(fields.findings.file.path, address);
  return recorded ?? describedKind(described, speaksOfStatus ? statuses : undefined);
}

/** What can't stand beside `stream`. */
function streamAlone({ fields }: StepReader, node: MapNode, readAs: ReadAs | undefined): void {
  const others = ['poll', 'pages', 'save'].filter((name) => valueOf(node, name));
  if (others.length > 0)
    fields.findings.problem(
      valueOf(node, 'stream')!,
      'wrong-form',
      `a stream is read item by item, and ${others.join(' and ')} ${others.length > 1 ? 'want' : 'wants'} the whole response`,
      'two steps, of which one streams',
    );
  if (readAs !== undefined && !STREAMED_AS.some((one) => one === readAs))
    fields.findings.problem(
      valueOf(node, 'read-as')!,
      'wrong-form',
      `a stream is read item by item, and ${readAs} has none`,
      `read-as: ${STREAMED_AS.join(', read-as: ')}`,
    );
}

/** All texts in a node. */
function scalarsOf(node: SourceNode): string[] {
  if (node.type === 'list') return node.items.flatMap(scalarsOf);
  if (node.type === 'map') return node.entries.flatMap(({ value }) => scalarsOf(value));
  return node.type === 'scalar' ? [node.text] : [];
}

/** The path that a text is; `*` where values are inserted into it. */
function literalPath({ parts }: Template): string {
  return parts.every((part) => typeof part === 'string') ? parts.join('') : '*';
}

/** How the body is read: a word, or CSV with what separates its cells. */
function readReadAs(
  { fields }: StepReader,
  node: SourceNode | undefined,
): { readonly readAs?: ReadAs; readonly separator?: string } {
  const separator = node && fields.literal(valueOf(node, 'csv'));
  if (separator !== undefined) return { readAs: 'csv', separator };
  return optional(
    'readAs',
    READ_AS.find((one) => one === fields.literal(node)),
  );
}

function credentialsOf({ project }: StepReader): string {
  const names = [...project.credentials.keys()];
  return names.length === 0
    ? 'define it under credentials in batharon.yaml'
    : `it has ${names.join(', ')}; as: none sends no credential`;
}

/** A step that expects 429 wants to see it. */
function speaksOf429(tree: Tree): boolean {
  return (
    (tree.type === 'literal' && (tree.value === 429 || tree.value === 503)) ||
    childrenOf(tree).some(speaksOf429)
  );
}

/** A name both in the URL and under query would be sent twice without anybody having asked for it. */
function repeatedParameters({ fields }: StepReader, line: ScalarNode, query: readonly Parameter[]): void {
  const search = /\?([^#]*)/.exec(line.text.replace(/\$\{[^}]*\}/g, ''))?.[1] ?? '';
  const names = new Set(search.split('&').map((pair) => decodeName(pair.split('=')[0]!)));
  for (const { name, at } of query) {
    if (name !== '' && names.has(name)) {
      fields.findings.all.push({
        level: 'problem',
        code: 'parameter-twice',
        message: `${name} is set both in the URL and under query`,
        hint: 'keep one of them; a list under query repeats a name',
        place: at,
      });
    }
  }
}

function decodeName(name: string): string {
  try {
    return decodeURIComponent(name.replaceAll('+', ' '));
  } catch {
    return name;
  }
}

/** Reads a map of header fields (RFC 9110, section 5). */
export function readFields(
  { fields }: Pick<StepReader, 'fields'>,
  node: SourceNode | undefined,
  scope: StaticScope,
): Field[] {
  if (node?.type === 'scalar') {
    const insertion = fields.members(node, scope);
    const at = fields.findings.place(node);
    return insertion ? [{ name: '', all: true, value: { parts: [insertion], at }, at }] : [];
  }
  if (node?.type !== 'map') return [];
  const seen = new Set<string>();
  return node.entries.flatMap(({ key, value }) => {
    const lower = key.text.toLowerCase();
    const computedName = key.text.includes('${') ? fields.template(key, scope, { hint: false }) : undefined;
    if (computedName) {
      // What it comes out as is looked at when it is sent.
    } else if (!FIELD_NAME.test(key.text)) {
      fields.findings.problem(
        key,
        'wrong-form',
        `${key.text} can't be the name of a header field`,
        'letters, digits and -',
      );
    } else if (seen.has(lower)) {
      fields.findings.problem(
        key,
        'wrong-form',
        `the field ${key.text} stands here twice; the case of letters does not count`,
      );
    } else if (SET_BY_REQUEST.has(lower)) {
      fields.findings.problem(key, 'wrong-form', `${key.text} follows from the request and can't be set`);
    }
    seen.add(lower);
    const at = fields.findings.place(key);
    const named = { name: computedName ? '' : key.text, ...optional('computedName', computedName), at };
    if (value.type === 'scalar' && !value.quoted && value.text === 'null')
      return [{ ...named, value: { parts: [], at }, leftOut: true as const }];
    return (value.type === 'list' ? value.items : [value]).flatMap((one, i): Field[] => {
      const template = fields.template(one, scope, { isValue: 'a name' });
      if (!template) return [];
      if (lower === 'cookie') plainSecretsInCookies(fields.findings, one);
      else plainSecret(fields.findings, one, lower);
      return [{ ...named, value: template, ...(i > 0 ? { more: true as const } : {}) }];
    });
  });
}

/** One duration is the time in all; a map tells the phases apart. */
export function readTimeouts(
  { fields }: Pick<StepReader, 'fields'>,
  node: SourceNode | undefined,
  scope: StaticScope,
): Timeouts {
  if (!node) return {};
  if (node.type === 'scalar') return optional('total', fields.duration(node, scope));
  const phase = <K extends keyof Timeouts>(name: K): Partial<Record<K, Timeouts[K]>> => {
    const value = valueOf(node, name);
    return optional(name, value && fields.duration(value, scope));
  };
  return { ...phase('connect'), ...phase('response'), ...phase('total') };
}
