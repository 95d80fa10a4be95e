import { fail } from '../core/problems.ts';
import { formFields, jsonOrText } from './curl-body.ts';
import { markAddress } from './placeholders.ts';
import type { ImportedBody, ImportedRequest } from './request.ts';

/**
 * Reads a raw request, as documentation and captures show it (RFC 9112, section 2.1): a request line, fields, an empty
 * line, the body. The address is that of the request line, or the Host field before its path. Throws `import-unreadable`.
 */
export function importHttp(source: string): ImportedRequest {
  const text = source.replace(/^\s+/, '').replaceAll('\r\n', '\n');
  const [head = '', ...rest] = text.split(/\n[ \t]*\n/);
  const [first = '', ...lines] = head.replace(/\n+$/, '').split('\n');
  const [, method, target] = /^([A-Za-z]+)\s+(\S+)(?:\s+HTTP\/[\d.]+)?\s*$/.exec(first) ?? [];
  if (method === undefined || target === undefined)
    return fail(
      'import-unreadable',
      `the first line is no request line: ${JSON.stringify(first.slice(0, 60))}`,
      {
        hint: 'GET /racks HTTP/1.1',
      },
    );
  const fields = lines
    // A line that begins with a blank goes on with the one before it (RFC 9112, section 5.2).
    .reduce<string[]>(
      (all, line) =>
        /^[ \t]/.test(line) && all.length > 0
          ? [...all.slice(0, -1), `${all.at(-1)!} ${line.trim()}`]
          : [...all, line],
      [],
    )
    .map((line): [string, string] => {
      const [, name, value] = /^([^\s:]+):[ \t]*(.*?)[ \t]*$/.exec(line) ?? [];
      if (name === undefined || value === undefined)
        return fail(
          'import-unreadable',
          `this is no field of a request: ${JSON.stringify(line.slice(0, 60))}`,
          { hint: 'Accept: application/json' },
        );
      return [name, value];
    });
  const host = fields.find(([name]) => /^host$/i.test(name))?.[1];
  if (!/^https?:\/\//.test(target) && host === undefined)
    fail('import-unreadable', 'the message says nowhere which host it goes to', {
      hint: 'Host: api.emberfold.example',
    });
  const headers = fields.filter(
    ([name]) => !/^(?:host|content-length|connection|cookie|transfer-encoding)$/i.test(name),
  );
  const cookies = fields.filter(([name]) => /^cookie$/i.test(name)).map(([, value]) => value);
  const scheme = host !== undefined && /^(?:localhost|127\.|\[::1\])/.test(host) ? 'http' : 'https';
  const body = rest.join('\n\n').replace(/\n$/, '');
  return {
    method: method.toUpperCase(),
    url: markAddress(/^https?:\/\//.test(target) ? target : `${scheme}://${host!}${target}`),
    headers,
    ...(body === '' ? {} : { body: bodyOfMessage(body, headers) }),
    ...(cookies.length > 0 ? { cookies: cookies.join('; ') } : {}),
    notes: [],
  };
}

/** A body by its content type. */
export function bodyOfMessage(text: string, headers: [string, string][]): ImportedBody {
  const type = headers.find(([name]) => /^content-type$/i.test(name))?.[1] ?? '';
  const fields = /x-www-form-urlencoded/i.test(type) ? formFields(text) : undefined;
  if (fields) return { type: 'form', fields };
  return /json/i.test(type) || (type === '' && /^\s*[[{]/.test(text))
    ? jsonOrText(text, headers)
    : { type: 'text', text };
}
