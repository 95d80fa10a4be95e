import { visible, shorten } from '../../language/show.ts';
import { isObject, type Maybe, memberOf, namesOf, type ValueObject } from '../../language/values.ts';
import type { CallResult } from './call-result.ts';
import { describeText } from './read-response.ts';

const LONGEST = 120;

/**
 * What the body of an error says, in a few words: the title of a page, or the error in JSON. Begins with a comma; empty
 * where nothing is found.
 */
export function whatItSaid({ text, type, value }: CallResult['body']): string {
  if (text === undefined || text === '') return '';
  if (type !== undefined && /html/.test(type)) return `, ${describeText(text, undefined)}`;
  const said = isObject(value) ? messageOf(value) : errorIn(value);
  return said === undefined ? '' : `, "${visible(shorten(said, LONGEST))}"`;
}

/**
 * The error that a response holds which is not as expected; empty where there is none. Where the status tells of none, as
 * with GraphQL ([errors](https://spec.graphql.org/October2021/#sec-Errors)) and JSON-RPC
 * ([error object](https://www.jsonrpc.org/specification#error_object)), only what is called an error is one. `ofStatus` says
 * that the status was not as expected.
 */
export function saidInstead({ body, response }: CallResult, ofStatus: boolean): string {
  if (response.status >= 400) return whatItSaid(body);
  const said = ofStatus ? undefined : errorIn(body.value);
  return said === undefined ? '' : `; the service said "${visible(shorten(said, LONGEST))}"`;
}

/** Problem details ([RFC 9457, 3.1](https://www.rfc-editor.org/rfc/rfc9457#section-3.1)) and the forms that APIs share. */
function messageOf(value: ValueObject): string | undefined {
  const said =
    textIn(value, ['detail', 'error_description', 'message']) ??
    errorOf(memberOf(value, 'error')) ??
    textIn(value, ['title']);
  const more = errorsOf(memberOf(value, 'errors'));
  if (said === undefined || more === undefined) return said ?? more;
  return `${said.replace(/[.:]$/, '')}: ${more}`;
}

/** What `error` or `errors` says; of a list, as of several calls in one, the first that has one. */
function errorIn(value: Maybe): string | undefined {
  for (const one of Array.isArray(value) ? value : [value]) {
    if (!isObject(one)) continue;
    const said = errorOf(memberOf(one, 'error')) ?? errorsOf(memberOf(one, 'errors'));
    if (said !== undefined) return said;
  }
  return undefined;
}

function errorOf(error: Maybe): string | undefined {
  if (typeof error === 'string' && error !== '') return error;
  return isObject(error) ? messageOf(error) : undefined;
}

/** A list of texts or objects, or an object of fields with what is wrong with each. */
function errorsOf(errors: Maybe): string | undefined {
  if (isObject(errors)) {
    const [field] = namesOf(errors);
    const said = field === undefined ? undefined : listed(memberOf(errors, field));
    return said === undefined ? undefined : `${field} ${said}`;
  }
  return Array.isArray(errors) ? listed(errors) : undefined;
}

function listed(errors: Maybe): string | undefined {
  if (!Array.isArray(errors)) return errorOf(errors);
  const said = errorOf(errors[0]);
  return said === undefined || errors.length === 1 ? said : `${said} (and ${errors.length - 1} more)`;
}

function textIn(value: ValueObject, names: readonly string[]): string | undefined {
  for (const name of names) {
    const member = memberOf(value, name);
    if (typeof member === 'string' && member !== '') return member;
  }
  return undefined;
}
