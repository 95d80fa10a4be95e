import { type CallStep, insertionsOf, type Pages, type Typed } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { fromUtf8 } from '../../language/encodings.ts';
import { speaksOfStatus } from '../../language/tree.ts';
import { kindAndValue } from '../../language/show.ts';
import { isObject, membersOf, objectOf, setMember, type Maybe, type Value } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import { responseNames } from '../wire/response-names.ts';
import { addressIn, at, withJson, withParameters, withSharedQuery } from '../request/build-request.ts';
import type { BuiltRequest } from '../wire/built-request.ts';
import { Bound } from '../time/bound.ts';
import type { RunContext } from '../scope/context.ts';
import { renderTyped } from '../scope/insert.ts';
import { amountOf } from '../scope/settings.ts';
import { placed, throwNothing } from '../scope/with-place.ts';
import type { Progress, CallResult } from '../wire/call-result.ts';
import { sendRepeating } from './retry.ts';
import { whatItSaid } from '../wire/error-summary.ts';

/**
 * Asks for one page after the other and gathers their items; returns the last response. Throws `bound-reached`,
 * `not-a-list`, `status-not-expected`.
 */
export async function fetchPages(
  context: RunContext,
  step: CallStep,
  pages: Pages,
  { first, progress }: { readonly first: BuiltRequest; readonly progress: Progress },
): Promise<CallResult> {
  const most = amountOf(pages.upTo, context.environment(step));
  const gathered: Value[] = [];
  const asked = new Set<string>([keyOf(first)]);
  let request: BuiltRequest = { ...first, page: 1 };
  const bound = new Bound(context.ports.clock, { times: most });
  while (bound.take()) {
    const page = bound.taken;
    const response = await sendRepeating(context, step, request, progress);
    const result: CallResult = { ...response, more: { gathered, page }, pages: page };
    // The last response meets all expectations; one that is no page is the last.
    if (response.waitProblem || response.body.problem || !meetsStatus(context, step, result)) {
      if (page === 1) return result;
      throw new ProblemError({
        code: 'status-not-expected',
        message: `page ${page} was answered with ${response.response.status}${whatItSaid(response.body)}`,
        place: step.at,
      });
    }
    const environment = context.environment(step, response.body.value, responseNames(result));
    const items = itemsOf(pages, environment, response.body.value);
    for (const item of items) gathered.push(item);
    context.emit({
      event: 'page-received',
      step: context.address(step),
      page,
      items: items.length,
      gathered: gathered.length,
    });
    const { until } = pages;
    if (
      until &&
      (placed(until, () => until.expression.test(environment)) ?? throwNothing(until, environment))
    )
      return result;
    if (items.length === 0 && !pages.fromResponse) return result;
    const next = await nextRequest(context, step, pages, { request, result, environment });
    if (!next) return result;
    const key = keyOf(next);
    if (asked.has(key)) {
      context.warn(
        step,
        'page-repeats',
        `page ${page} links to a page that was already read, so reading stopped there`,
      );
      return result;
    }
    asked.add(key);
    if (!bound.mayTake) {
      if (pages.enough) return result;
      break;
    }
    await response.saved?.discard();
    request = { ...next, page: page + 1 };
  }
  throw new ProblemError({
    code: 'bound-reached',
    message: `there are more than ${most} pages, the most that this step reads`,
    hint: `up-to: ${most * 10}, or enough: yes where these will do`,
    place: step.at,
  });
}

/** Two requests with one key ask for the same page. */
function keyOf({ method, url, body }: BuiltRequest): string {
  return `${method} ${url} ${body instanceof Uint8Array ? (fromUtf8(body) ?? '') : ''}`;
}

/** Whether a page meets what the step expects of its status. */
function meetsStatus(context: RunContext, step: CallStep, result: CallResult): boolean {
  if (step.expectsSuccess) return result.response.status < 400;
  const environment = context.environment(step, result.body.value, responseNames(result));
  return step.expect.every(
    ({ condition: { expression } }) =>
      !speaksOfStatus(expression.tree) || expression.test(environment) === true,
  );
}

function itemsOf({ items }: Pages, environment: Environment, body: Maybe): Value[] {
  const value = items ? placed(items, () => items.expression.evaluate(environment)) : body;
  if (value === undefined && items) throwNothing(items, environment);
  if (Array.isArray(value)) return value;
  if (!items) return value === undefined ? [] : [value];
  throw new ProblemError({
    code: 'not-a-list',
    message: `items is a list, and ${items.expression.text} is ${kindAndValue(value)}`,
    place: items.at(),
    ...(value === null ? { hint: `${items.expression.text} ?? []` } : {}),
  });
}

/** The request for the next page; undefined if there is none. */
async function nextRequest(
  context: RunContext,
  step: CallStep,
  { next, nextQuery, nextJson }: Pages,
  {
    request,
    result,
    environment,
  }: { readonly request: BuiltRequest; readonly result: CallResult; readonly environment: Environment },
): Promise<BuiltRequest | undefined> {
  if (next) {
    const value = placed(next, () => next.expression.evaluate(environment));
    if (value === undefined || value === null || value === '') return undefined;
    return at(
      context,
      step,
      request,
      withSharedQuery(context, step, addressIn(context, step, next, { environment, base: result.url })),
    );
  }
  const values = valuesOf(context, (nextQuery ?? nextJson)!, environment);
  if (!values) return undefined;
  return nextQuery ? withParameters(request, values) : withJson(request, merged(request.json, values));
}

function merged(json: Maybe, values: readonly (readonly [string, Value])[]): Value {
  const object = objectOf(isObject(json) ? membersOf(json) : []);
  for (const [name, value] of values) setMember(object, name, value);
  return object;
}

/** The values that lead to the next page; undefined if one that is inserted is nothing, null or an empty text. */
function valuesOf(
  context: RunContext,
  typed: Typed,
  environment: Environment,
): (readonly [string, Value])[] | undefined {
  const inserter = context.inserter(environment);
  for (const insertion of insertionsOf(typed)) {
    const value = inserter.value(insertion);
    if (value === undefined || value === null || value === '') return undefined;
  }
  const values = renderTyped(inserter, typed);
  return isObject(values) ? membersOf(values) : undefined;
}
