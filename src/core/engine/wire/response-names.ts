import { type Maybe, Duration, objectOf, type Value, type ValueObject } from '../../language/values.ts';
import type { ResponseName } from '../../chain/keys/given-names.ts';
import type { HeaderList } from '../../ports.ts';
import type { CallResult } from './call-result.ts';

/** What each name of a response is. */
const VALUES: Readonly<Record<ResponseName, (result: CallResult) => Maybe>> = {
  status: ({ response }) => response.status,
  headers: ({ response }) => headerObject(response.headers),
  fields: ({ response }) => headerLists(response.headers),
  trailers: ({ response }) => headerObject(response.trailers ?? []),
  body: ({ body }) => body.value,
  text: ({ body }) => body.text,
  type: ({ body }) => body.type,
  size: ({ size }) => size,
  elapsed: ({ elapsed }) => new Duration(elapsed),
  attempts: ({ attempts }) => attempts,
  cookies: ({ response, jar }) => objectOf([...(jar?.() ?? []), ...cookiesOf(response.headers)]),
  url: ({ url }) => url,
  sent: ({ request, sentHeaders, url }) => ({
    url,
    headers: headerObject(sentHeaders),
    ...(request.json === undefined ? {} : { json: request.json }),
  }),
};

/** The names that a call gives to the expressions of its own step. */
export function responseNames(result: CallResult): (name: string) => Maybe {
  return (name) => {
    if (Object.hasOwn(VALUES, name)) return VALUES[name as ResponseName](result);
    return name === 'response' ? wholeResponse(result) : result.more?.[name];
  };
}

/** All names of a response as members of one object. */
function wholeResponse(result: CallResult): ValueObject {
  return objectOf(
    Object.entries(VALUES).flatMap(([name, read]): [string, Value][] => {
      const value = read(result);
      return value === undefined ? [] : [[name, value]];
    }),
  );
}

/** Fields by their names in lower case; several of one name are joined by commas (RFC 9110, section 5.3). */
export function headerObject(headers: HeaderList): ValueObject {
  const joined = new Map<string, string>();
  for (const [name, value] of headers) {
    const lower = name.toLowerCase();
    const before = joined.get(lower);
    joined.set(lower, before === undefined ? value : `${before}, ${value}`);
  }
  return objectOf(joined);
}

/** Fields by their names in lower case, each as the list of its values. */
function headerLists(headers: HeaderList): ValueObject {
  const lists = new Map<string, string[]>();
  for (const [name, value] of headers) {
    const lower = name.toLowerCase();
    lists.set(lower, [...(lists.get(lower) ?? []), value]);
  }
  return objectOf(lists);
}

/** Names and values of the cookies that a response sets (RFC 6265, section 4.1). */
function cookiesOf(headers: HeaderList): [string, string][] {
  return headers.flatMap(([name, value]): [string, string][] => {
    const pair = name === 'set-cookie' ? /^\s*([^=;\s]+)\s*=\s*("?)([^;"]*)\2/.exec(value) : null;
    return pair ? [[pair[1]!, pair[3]!.trim()]] : [];
  });
}
