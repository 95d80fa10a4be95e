import { type Maybe, Duration, objectOf, type ValueObject } from '../language/values.ts';
import type { HeaderList } from '../ports.ts';
import type { CallResult } from './exchange.ts';

/** The names that a call gives to the expressions of its own step. */
export function answerNames({
  answer,
  size,
  body,
  request,
  sentHeaders,
  url,
  elapsed,
  attempts,
  more,
}: CallResult): (name: string) => Maybe {
  return (name) => {
    switch (name) {
      case 'status':
        return answer.status;
      case 'headers':
        return headerObject(answer.headers);
      case 'body':
        return body.value;
      case 'text':
        return body.text;
      case 'type':
        return body.type;
      case 'size':
        return size;
      case 'elapsed':
        return new Duration(elapsed);
      case 'attempts':
        return attempts;
      case 'cookies':
        return cookiesOf(answer.headers);
      case 'url':
        return url;
      case 'sent':
        return {
          url,
          headers: headerObject(sentHeaders),
          ...(request.json === undefined ? {} : { json: request.json }),
        };
      default:
        return more?.[name];
    }
  };
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

/** Names and values of the cookies that an answer sets (RFC 6265, section 4.1). */
function cookiesOf(headers: HeaderList): ValueObject {
  return objectOf(
    headers.flatMap(([name, value]): [string, string][] => {
      const pair = name === 'set-cookie' ? /^\s*([^=;\s]+)\s*=\s*("?)([^;"]*)\2/.exec(value) : null;
      return pair ? [[pair[1]!, pair[3]!.trim()]] : [];
    }),
  );
}
