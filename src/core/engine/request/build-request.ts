import { missingFrom, queryParameters, renderQuery, sharedQuery } from './query-parameters.ts';
import type {
  CallStep,
  CarriedCredentials,
  Field,
  Idempotency,
  Parameter,
  PlacedExpression,
  Timeouts,
} from '../../chain/model.ts';
import type { Service } from '../../chain/project.ts';
import { fromUtf8, percentEncode, utf8 } from '../../language/encodings.ts';
import { randomUuid } from '../../language/functions/random.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { writeJson } from '../../language/json.ts';
import type { Environment } from '../../language/environment.ts';
import { type Maybe, memberOf, objectOf, type Value } from '../../language/values.ts';
import type { Connection } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { namesIn } from '../../language/tree.ts';
import type { RunContext } from '../scope/context.ts';
import { durationOf } from '../scope/settings.ts';
import { cookiePairs } from '../scope/step-cookies.ts';
import { placed, throwNothing } from '../scope/with-place.ts';
import { type Limits, DEFAULT_LIMITS } from '../time/deadline.ts';
import { buildHeaders, secretFieldsOf } from './build-headers.ts';
import { connectionAt, connectionOf } from './connection.ts';
import { buildBody } from './request-body.ts';
import {
  encodeQuery,
  type Inserter,
  refuseShortSecret,
  watchingShort,
  renderField,
  renderUrl,
} from '../scope/insert.ts';
import type { BuiltRequest } from '../wire/built-request.ts';

/**
 * Builds the request of a call from its templates; `more` are names for this one. Returns a promise only where there is a body:
 * each microtask less counts. Throws problems with a place.
 */
export function buildRequest(
  context: RunContext,
  step: CallStep,
  more: Readonly<Record<string, Maybe>>,
): BuiltRequest | Promise<BuiltRequest> {
  const sent: { url?: string } = {};
  const environment = context.environment(
    step,
    undefined,
    (name) =>
      memberOf(more, name) ??
      (name === 'cookies' ? cookiesBefore(context, step, sent.url) : context.sentName(name)),
  );
  const inserter = context.inserter(environment);
  const url = buildUrl(context, step, inserter, environment);
  sent.url = url;
  if (!step.body) return assemble(context, step, inserter, { environment, url, partial: {} });
  let secretBody = false;
  const noting: Inserter = {
    value: (insertion) => {
      secretBody ||= insertion.expression.secret;
      return inserter.value(insertion);
    },
    nothing: (insertion) => inserter.nothing(insertion),
  };
  return buildBody(context, step, noting).then((body) => ({
    ...assemble(context, step, inserter, { environment, url, partial: { ...body, secretBody } }),
  }));
}

function alsoOf(carried: CarriedCredentials | undefined): Pick<BuiltRequest, 'also'> {
  return carried?.also ? { also: carried.also } : {};
}

/** The cookies that a call would carry to its service. */
function cookiesBefore(context: RunContext, step: CallStep, url: string | undefined): Value {
  const service = context.serviceOf(step);
  const as = step.as ?? service?.as;
  if (url === undefined || step.noCookies || step.newJar) return {};
  const whose = {
    ...(service ? { service: service.name } : {}),
    ...(as === undefined || as === 'nobody' ? {} : { as }),
  };
  return objectOf(cookiePairs(context, whose, url));
}

function assemble(
  context: RunContext,
  step: CallStep,
  inserter: Inserter,
  {
    environment,
    url,
    partial: { body, type, json, secretBody },
  }: {
    readonly environment: Environment;
    readonly url: string;
    readonly partial: Partial<Awaited<ReturnType<typeof buildBody>>> & { readonly secretBody?: boolean };
  },
): BuiltRequest {
  const service = step.target.type === 'url' ? undefined : context.project.services.get(step.target.service)!;
  const fields = [...(service?.headers ?? []), ...step.headers];
  const headers = buildHeaders(inserter, fields, (name) => context.hidden.names.add(name));
  const set = (name: string, value: string, written = name): void => {
    const isOther = ({ name: other, leftOut }: Field): boolean =>
      leftOut === true && other.toLowerCase() === name;
    if (!headers.some(([other]) => other.toLowerCase() === name) && !fields.some(isOther))
      headers.push([written, value]);
  };
  if (type !== undefined) set('content-type', type);
  const { idempotency } = step;
  if (idempotency)
    set(
      idempotency.header.toLowerCase(),
      idempotencyKey(context, step, inserter, idempotency),
      idempotency.header,
    );
  const { agent } = context.ports;
  if (agent !== undefined) set('user-agent', agent);
  set('accept', '*/*');
  set('accept-encoding', 'gzip, deflate, br');
  const as = step.as ?? service?.as;
  const connection = withConnection(service && connectionOf(context, service, inserter));
  const built: BuiltRequest = {
    method: step.method,
    url,
    headers,
    ...(body ? { body, json } : {}),
    ...(secretBody ? { secretBody } : {}),
    ...(as === undefined || as === 'nobody' ? {} : { as, ...alsoOf(step.as === undefined ? service : step) }),
    limits: limitsOf([service, step], environment),
    ...(service ? { service: service.name } : {}),
    secretFields: secretFieldsOf([...(service?.headers ?? []), ...step.headers]),
    ...connection,
  };
  return step.target.type === 'address' ? at(context, step, built, url) : built;
}

function buildUrl(context: RunContext, step: CallStep, inserter: Inserter, environment: Environment): string {
  const { target } = step;
  const rendered = (parameters: readonly Parameter[]): [string, string][] =>
    renderQuery(context, inserter, parameters);
  const withAll = (url: string): string =>
    withQuery(
      url,
      encodeQuery(queryParameters(url, { step, shared: sharedQuery(context, step, url), rendered })),
    );
  const inPath = watchingShort(inserter, refuseShortSecret);
  if (target.type === 'url') return withAll(renderUrl(inPath, target.url));
  if (target.type === 'service') {
    return withAll(context.serviceBases.get(target.service)! + renderUrl(inPath, target.path));
  }
  const { address } = target;
  const base = provenance(context, step) ?? context.serviceUrls.get(target.service)!;
  return withAll(addressIn(context, step, address, { environment, base }));
}

/** An address out of a response, with the parameters of its service that it does not have. */
export function withSharedQuery(context: RunContext, step: CallStep, url: string): string {
  const missing = missingFrom(
    url,
    sharedQuery(context, step, url),
    step.query.map(({ name }) => name),
  );
  if (missing.length === 0) return url;
  const environment = context.environment(step, undefined, (name) => context.sentName(name));
  return withQuery(url, encodeQuery(renderQuery(context, context.inserter(environment), missing)));
}

/**
 * An address that an expression gives, resolved against the URL of the request that it came from (RFC 3986, section 5).
 * Throws `other-origin` where it leads away from the service and the step names no credential for it.
 */
export function addressIn(
  context: RunContext,
  step: CallStep,
  address: PlacedExpression,
  { environment, base }: { readonly environment: Environment; readonly base: string },
): string {
  const value = placed(address, () => address.expression.evaluate(environment));
  if (value === undefined) throwNothing(address, environment);
  const url = typeof value === 'string' ? resolve(value, base) : undefined;
  const { span } = address.expression.tree;
  if (!url || !/^https?:$/.test(url.protocol)) {
    throw new ProblemError({
      code: 'not-a-url',
      message: `${address.expression.text.slice(...span)} is not an HTTP URL`,
      place: address.at(span),
    });
  }
  const service = context.serviceOf(step)?.name;
  const home = service === undefined ? new URL(base).origin : context.serviceOrigins.get(service)!;
  if (url.origin !== home && !mayLeadTo(context, step, url.origin)) {
    const as = step.as ?? context.serviceOf(step)?.as;
    throw new ProblemError({
      code: 'other-origin',
      message: `this address leads to ${url.origin}, but ${service === undefined ? 'the request went to' : `the service ${service} is at`} ${home}`,
      hint:
        as === undefined || as === 'nobody'
          ? 'as: nobody on this step, which sends no secret there'
          : `origins: [${url.origin}] on the credential ${as}, if it belongs there; or as: nobody on this step`,
      place: address.at(span),
    });
  }
  return url.href;
}

/** Whether an address out of a response may lead to another origin: with a credential that belongs there, or with none, as the step says. */
function mayLeadTo(context: RunContext, step: CallStep, origin: string): boolean {
  const as = step.as ?? context.serviceOf(step)?.as;
  if (as === undefined) return false;
  if (as === 'nobody') return step.as === 'nobody';
  const { credentials, services } = context.project;
  if (credentials.get(as)?.origins.has(origin)) return true;
  return [...services.values()].some(
    (one) => one.as === as && context.serviceOrigins.get(one.name) === origin,
  );
}

/**
 * The same request at another address. What is meant for the origin of the service stays there: headers with a secret in them, and how it is
 * connected to; another service of the project is connected to in its own way. Throws `secret-elsewhere` where a secret stands in the body.
 */
export function at(context: RunContext, step: CallStep, request: BuiltRequest, url: string): BuiltRequest {
  const home = homeOf(context, step);
  if (home === undefined || new URL(url).origin === home) return { ...request, url };
  if (request.body && holdsSecret(context, request))
    throw new ProblemError({
      code: 'secret-elsewhere',
      message: `this address leads to ${new URL(url).origin}, but the body of the request holds a secret that is not meant for it`,
      hint: 'a call of its own, whose body holds what belongs there',
      place: step.at,
    });
  const { connection: _, ...rest } = request;
  return {
    ...rest,
    url,
    headers: withoutSecretFields(context, request.headers, request.secretFields),
    ...withConnection(connectionAt(context, new URL(url).origin)),
  };
}

/** The connection of a request, where it has one of its own. */
export function withConnection(connection: Connection | undefined): { readonly connection?: Connection } {
  return connection ? { connection } : {};
}

/** The origin for which a request is made. */
function homeOf(context: RunContext, { target }: CallStep): string | undefined {
  return target.type === 'url' ? undefined : context.serviceOrigins.get(target.service);
}

/** Headers without Host and those that hold something secret, whether the file says so or only the value tells. */
export function withoutSecretFields(
  { hidden }: RunContext,
  headers: readonly (readonly [string, string])[],
  secretFields: ReadonlySet<string>,
): [string, string][] {
  return headers.flatMap(([name, value]): [string, string][] =>
    // The name of the one service is none of the other.
    name.toLowerCase() === 'host' ||
    secretFields.has(name.toLowerCase()) ||
    hidden.names.hasField(name) ||
    hidden.masker.find(value).length > 0
      ? []
      : [[name, value]],
  );
}

/** Whether something secret stands in the body of a request. */
export function holdsSecret(
  { hidden }: RunContext,
  { body, secretBody }: Pick<BuiltRequest, 'body' | 'secretBody'>,
): boolean {
  if (secretBody) return true;
  if (!(body instanceof Uint8Array)) return false;
  const text = fromUtf8(body);
  return text !== undefined && (hidden.masker.find(text).length > 0 || hidden.names.places(text).length > 0);
}

/** The same request with other values of some parameters. */
export function withParameters(
  request: BuiltRequest,
  values: readonly (readonly [string, Value])[],
): BuiltRequest {
  const url = new URL(request.url);
  const names = new Set(values.map(([name]) => name));
  const kept = url.search
    .slice(1)
    .split('&')
    .filter((pair) => pair !== '' && !names.has(decodeParameter(pair.split('=')[0]!)));
  const added = values.map(
    ([name, value]) => `${percentEncode(name)}=${percentEncode(plainText(value) ?? writeJson(value))}`,
  );
  url.search = '';
  return { ...request, url: withQuery(url.href, [...kept, ...added].join('&')) };
}

/** The same request with another body in JSON. */
export function withJson(request: BuiltRequest, json: Value): BuiltRequest {
  return { ...request, json, body: utf8(writeJson(json)) };
}

function decodeParameter(name: string): string {
  try {
    return decodeURIComponent(name.replaceAll('+', ' '));
  } catch {
    return name;
  }
}

/**
 * The key by which a service knows a repeated request (draft-ietf-httpapi-idempotency-key-header: a text in quotes). One
 * that is made up is a UUID of version 4 (RFC 9562, section 5.4).
 */
function idempotencyKey(
  context: RunContext,
  step: CallStep,
  inserter: Inserter,
  { header, key }: Idempotency,
): string {
  if (key) return renderField(inserter, header, key) ?? '';
  const before = context.options.past?.step(context.address(step))?.key;
  return before ?? `"${randomUuid(() => context.ports.chance.next())}"`;
}

/** The URL of the request in whose response an address got: references are resolved against it (RFC 3986, section 5). */
function provenance(context: RunContext, step: CallStep): string | undefined {
  if (step.target.type !== 'address') return undefined;
  for (const name of namesIn(step.target.address.expression.tree)) {
    const url = context.names.origin(name);
    if (url !== undefined) return url;
  }
  return undefined;
}

function resolve(reference: string, base: string): URL | undefined {
  return URL.canParse(reference, base) ? new URL(reference, base) : undefined;
}

export function withQuery(url: string, query: string): string {
  if (query === '') return url;
  const [, head = '', fragment = ''] = /^([^#]*)(#.*)?$/s.exec(url)!;
  return `${head}${head.includes('?') ? (/[?&]$/.test(head) ? '' : '&') : '?'}${query}${fragment}`;
}

/** Limits of the service, those of the step in their place. One figure for all bounds the other two as well. */
function limitsOf(
  from: readonly ({ readonly timeouts: Timeouts } | Service | undefined)[],
  environment: Environment,
): Limits {
  const limits = { ...DEFAULT_LIMITS };
  for (const one of from) {
    const timeouts = one?.timeouts ?? {};
    for (const phase of ['connect', 'response', 'total'] as const) {
      const setting = timeouts[phase];
      if (setting) limits[phase] = durationOf(setting, environment);
    }
    if (timeouts.total && !timeouts.response) limits.response = limits.total;
  }
  return limits;
}
