import { kindOfCredential } from '../../chain/keys/credential-keys.ts';
import { isThisMachine } from '../../this-machine.ts';
import type { CallStep, Field, PlacedExpression } from '../../chain/model.ts';
import type { Credential } from '../../chain/project.ts';
import { fromUtf8, percentEncode } from '../../language/encodings.ts';
import { type Maybe, objectOf, type Value } from '../../language/values.ts';
import type { Authorisation, FilledCredential, HeaderList, WireRequest } from '../../ports.ts';
import { ProblemError } from '../../problems.ts';
import { withQuery } from '../request/build-request.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import type { CallResult } from '../wire/call-result.ts';
import type { RunContext } from '../scope/context.ts';
import { cookiesFor } from '../scope/step-cookies.ts';
import { placed } from '../scope/with-place.ts';
import { renderField, renderText, watchingShort } from '../scope/insert.ts';

/** A credential with its texts filled in; its secret fields are masked from then on. */
export function fillCredential(
  context: RunContext,
  request: Pick<BuiltRequest, 'as' | 'connection' | 'service' | 'url'>,
): FilledCredential {
  const credential: Credential = context.project.credentials.get(request.as!)!;
  const inserter = context.inserter(
    context.environment(undefined, undefined, (one) => context.sentName(one)),
  );
  const fields = new Map(
    [...credential.fields].map(([field, template]) => [field, renderText(inserter, template)]),
  );
  const service = request.service === undefined ? undefined : context.project.services.get(request.service);
  return {
    credential,
    fields,
    ...(service?.insecure ? { insecure: true } : {}),
    ...(request.connection
      ? { connection: { origin: new URL(request.url).origin, how: request.connection } }
      : {}),
  };
}

/**
 * Adds the cookies of the jar and what the credential gives to a request. `carried` is false where a redirect has left the
 * origin of the credential. Throws `plain-http`, and what signing in can give.
 */
export function authorise(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  { wire, carried }: { readonly wire: WireRequest; readonly carried: boolean },
): WireRequest | Promise<WireRequest> {
  if (request.as === undefined || !carried) return addCookies(context, step, request, wire);
  const signed = sign(context, step, { ...request, as: request.as }, wire);
  return request.also ? signAlso(context, step, { ...request, also: request.also }, signed) : signed;
}

/** Adds what further credentials give. The cookies of the jar are there already. */
async function signAlso(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest & { readonly also: readonly string[] },
  signed: Promise<WireRequest>,
): Promise<WireRequest> {
  let wire = await signed;
  for (const as of request.also)
    wire = await sign(context, { ...step, noCookies: true }, { ...request, as }, wire);
  return wire;
}

async function sign(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest & { readonly as: string },
  wire: WireRequest,
): Promise<WireRequest> {
  refusePlainHttp(context, step, wire.url, request.as);
  const credential = fillCredential(context, request);
  // A signature may cover the cookies; a chain that signs in may set some.
  const before = credential.credential.signIn ? wire : addCookies(context, step, request, wire);
  const added = await authorisation(context, step, credential, before);
  const withCookies = credential.credential.signIn ? addCookies(context, step, request, wire) : before;
  for (const secret of added.secrets) context.masker.add(secret, `token of ${request.as}`);
  for (const computed of added.computed ?? [])
    context.masker.addGiven(computed, `computed for ${request.as}`);
  for (const [name] of added.query) context.hidden.names.add(name);
  if (kindOfCredential(credential.credential.kind)?.sentIn === 'header')
    for (const [name] of added.headers) context.hidden.names.add(name);
  if (added.signedIn) {
    const { scope, until } = added.signedIn;
    context.emit({
      event: 'signed-in',
      step: context.address(step),
      credential: request.as,
      kind: credential.credential.kind,
      ...(scope === undefined ? {} : { scope }),
      ...(until === undefined ? {} : { until }),
    });
  }
  const query = added.query
    .map(([name, value]) => `${percentEncode(name)}=${percentEncode(value)}`)
    .join('&');
  return {
    ...withCookies,
    url: withQuery(wire.url, query),
    headers: merge(withCookies.headers, added.headers),
  };
}

async function authorisation(
  context: RunContext,
  step: CallStep,
  credential: FilledCredential,
  wire: WireRequest,
): Promise<Authorisation> {
  const { recipe, signIn } = credential.credential;
  if (recipe) return { headers: recipeHeaders(context, credential.credential, wire), query: [], secrets: [] };
  if (signIn) return context.signIns!.authorise(context, credential.credential, step);
  return context.ports.credentials.authorise(
    credential,
    {
      method: wire.method,
      url: wire.url,
      headers: wire.headers,
      ...(wire.body instanceof Uint8Array ? { body: wire.body } : wire.body ? { isStreamed: true } : {}),
    },
    context.interruption.signal,
  );
}

/** Whether sending a request again with a renewed credential may help. */
export async function renews(
  context: RunContext,
  step: CallStep,
  credential: FilledCredential,
  { challenges, result }: { readonly result: CallResult; readonly challenges: readonly string[] },
): Promise<boolean> {
  if (credential.credential.signIn)
    return context.signIns!.renew(context, credential.credential, { step, result });
  return context.ports.credentials.renew(credential, challenges, result.sentHeaders);
}

/** A credential does not go over plain http to another machine, where others could read it. */
function refusePlainHttp(context: RunContext, step: CallStep, url: string, as: string): void {
  const { protocol, hostname, host } = new URL(url);
  if (protocol !== 'http:' || isThisMachine(hostname) || context.serviceOf(step)?.insecure) return;
  throw new ProblemError({
    code: 'plain-http',
    message: `the credential ${as} would be sent over plain HTTP to ${host}, where others can read it`,
    hint: 'https://, or insecure: yes on the service',
    place: step.at,
  });
}

/** Fields that are added take the place of those of the same name; cookies go into one field (RFC 6265, section 5.4). */
function merge(before: HeaderList, added: HeaderList): HeaderList {
  const own = new Set(added.map(([name]) => name.toLowerCase()));
  const cookies = before.filter(([name]) => name.toLowerCase() === 'cookie').map(([, value]) => value);
  return [
    ...before.filter(([name]) => !own.has(name.toLowerCase())),
    ...added.map(([name, value]): readonly [string, string] =>
      name.toLowerCase() === 'cookie' ? [name, [...cookies, value].join('; ')] : [name, value],
    ),
  ];
}

function addCookies(
  context: RunContext,
  step: CallStep,
  request: BuiltRequest,
  wire: WireRequest,
): WireRequest {
  if (step.noCookies) return wire;
  const cookies = cookiesFor(context, request, wire.url);
  return cookies === undefined ? wire : { ...wire, headers: merge(wire.headers, [['Cookie', cookies]]) };
}

/** The fields of a recipe for one request. `now()` and names under `let` are the same in all of them. */
function recipeHeaders(context: RunContext, credential: Credential, wire: WireRequest): [string, string][] {
  const { recipe } = credential;
  const url = new URL(wire.url);
  const names = new Map<string, Value>([
    [
      'request',
      objectOf([
        ['method', wire.method],
        ['path', url.pathname],
        ['query', url.search.slice(1)],
        ['url', url.href],
        ['body', wire.body instanceof Uint8Array ? (fromUtf8(wire.body) ?? wire.body) : ''],
      ]),
    ],
  ]);
  const environment = context.environment(
    undefined,
    undefined,
    (name): Maybe => names.get(name) ?? context.sentName(name),
  );
  for (const { name, value } of recipe!.let) names.set(name, evaluated(value, environment));
  return renderFields(context, recipe!.headers, environment);
}

export function renderFields(
  context: Pick<RunContext, 'inserter' | 'hidden'>,
  fields: readonly Field[],
  environment: Parameters<RunContext['inserter']>[0],
): [string, string][] {
  const inserter = context.inserter(environment);
  return fields.flatMap(({ name, value }): [string, string][] => {
    const text = renderField(
      watchingShort(inserter, () => context.hidden.names.add(name)),
      name,
      value,
    );
    return text === undefined ? [] : [[name, text]];
  });
}

function evaluated(expression: PlacedExpression, environment: Parameters<RunContext['inserter']>[0]): Value {
  const value = placed(expression, () => expression.expression.evaluate(environment));
  if (value !== undefined) return value;
  throw new ProblemError({
    code: 'found-nothing',
    message: expression.expression.whyNothing(environment).message,
    place: expression.at(expression.expression.tree.span),
  });
}

/** The parameter in which a credential of kind query goes. */
export function queryKey(context: RunContext, request: BuiltRequest): string | undefined {
  const kind = request.as === undefined ? undefined : context.project.credentials.get(request.as)?.kind;
  if (kind === undefined || kindOfCredential(kind)?.sentIn !== 'query') return undefined;
  return fillCredential(context, request).fields.get('name');
}
