import { parseJson } from '../core/language/json.ts';
import { type Value, isObject, membersOf } from '../core/language/values.ts';
import { ProblemError } from '../core/problems.ts';
import type { Collected } from './curl-options.ts';
import { LEFT_OUT, type ImportedBody, type ImportedPart } from './request.ts';

export function queryParts(values: readonly string[]): string[] {
  return values.map((value) => (value.startsWith('+') ? value.slice(1) : encoded(value)));
}

/** Percent-encodes, but for the marks of values that are left open. */
export function encodeOpen(text: string): string {
  return text
    .split(/([\ue000][A-Za-z_]\w*[\ue001])/)
    .map((part, i) =>
      i % 2 === 1
        ? part
        : encodeURIComponent(part.toWellFormed())
            .replace(/[!'()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`)
            .replaceAll('%20', '+'),
    )
    .join('');
}

/** One argument of --data-urlencode: `content`, `=content`, `name=content`. */
export function encoded(text: string): string {
  const equals = text.indexOf('=');
  const name = equals < 0 ? '' : text.slice(0, equals);
  const content = text.slice(equals + 1);
  return `${name}${name === '' ? '' : '='}${encodeOpen(content)}`;
}

/** What --data and its like give, joined. */
export function dataText(values: Collected, notes: string[]): string | undefined {
  const all = values.inOrder.map(([meaning, given]) => {
    if (meaning === 'urlencoded') return encoded(given);
    // What the command reads has taken the place of @-.
    const text = given === '@-' ? (values[meaning].find((one) => !one.startsWith('@')) ?? given) : given;
    if (text.startsWith('@') && meaning !== 'raw')
      notes.push(`${text}: the contents of a file, in the query`);
    return text;
  });
  return all.length === 0 ? undefined : all.join('&');
}
export function hasOpenNames(value: Value): boolean {
  if (Array.isArray(value)) return value.some(hasOpenNames);
  return (
    isObject(value) && membersOf(value).some(([name, member]) => name.includes('${') || hasOpenNames(member))
  );
}

/** A body that should be JSON as a value; as a text where it is none, or where a variable stands outside its texts. */
export function jsonOrText(text: string, headers: [string, string][]): ImportedBody {
  const asText = (): ImportedBody => {
    if (!headers.some(([name]) => /^content-type$/i.test(name)))
      headers.push(['Content-Type', 'application/json']);
    return { type: 'text', text };
  };
  try {
    const value = parseJson(text);
    // A name that looks like an insertion can't be written as one of a member.
    return hasOpenNames(value) ? asText() : { type: 'json', value };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
  }
  const quoted = text.replace(/(?<=[:[,]\s*)([\ue000][A-Za-z_]\w*[\ue001])(?=\s*[,}\]])/g, '"$1"');
  try {
    return { type: 'json', value: parseJson(quoted) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return asText();
  }
}

/** The fields of a form, where the text is nothing else (URL Standard, application/x-www-form-urlencoded). */
export function formFields(text: string): [string, string][] | undefined {
  const pairs = text.split('&');
  if (!pairs.every((pair) => /^[^=\s{[<"][^=\s{<"]*=[^\n]*$/.test(pair))) return undefined;
  return [...new URLSearchParams(text)];
}
export function textPart(part: string): ImportedPart {
  const [, name = part, value = ''] = /^([^=]*)=(.*)$/s.exec(part) ?? [];
  return { name, value };
}
export function multipartOf(part: string, notes: string[]): ImportedPart {
  const [, name = part, rest = ''] = /^([^=]*)=(.*)$/s.exec(part) ?? [];
  const [value = '', ...options] = rest.split(/;\s*(?=(?:type|filename|headers|encoder)=)/);
  const option = (key: string): string | undefined =>
    options
      .find((one) => one.startsWith(`${key}=`))
      ?.slice(key.length + 1)
      .replace(/^"(.*)"$/s, '$1');
  for (const one of options) if (/^(?:headers|encoder)=/.test(one)) notes.push(`--form …;${one}`);
  const more = {
    ...(option('type') === undefined ? {} : { type: option('type')! }),
    ...(option('filename') === undefined ? {} : { filename: option('filename')! }),
  };
  if (value.startsWith('@')) return { name, file: value.slice(1).replace(/^"(.*)"$/s, '$1'), ...more };
  if (value.startsWith('<'))
    notes.push(`--form ${name}=${value}: the contents of a file as a text; it is sent as a file`);
  return value.startsWith('<')
    ? { name, file: value.slice(1), ...more }
    : { name, value: value.replace(/^"(.*)"$/s, '$1'), ...more };
}
export function bodyOfCurl(
  values: Collected,
  headers: [string, string][],
  notes: string[],
): ImportedBody | undefined {
  if (values.form.length + values.formText.length > 0)
    return {
      type: 'multipart',
      parts: [...values.form.map((part) => multipartOf(part, notes)), ...values.formText.map(textPart)],
    };
  if (values.upload[0] !== undefined) {
    // A file that is put has no type of its own.
    if (!headers.some(([name]) => /^content-type$/i.test(name))) headers.push(['Content-Type', LEFT_OUT]);
    return { type: 'file', path: values.upload[0] };
  }
  const typed = (type: string): void => {
    if (!headers.some(([name]) => /^content-type$/i.test(name))) headers.push(['Content-Type', type]);
  };
  if (values.json.length > 0) {
    const text = values.json.join('');
    typed('application/json');
    return text.startsWith('@') ? { type: 'file', path: text.slice(1) } : jsonOrText(text, headers);
  }
  const files = [...values.data, ...values.binary].filter((text) => text.startsWith('@'));
  if (files.length > 0) {
    if (values.data.length + values.binary.length + values.raw.length > 1)
      notes.push('more data beside that of a file');
    typed('application/x-www-form-urlencoded');
    return { type: 'file', path: files[0]!.slice(1) };
  }
  const text = dataText(values, notes);
  if (text === undefined) return undefined;
  const type = headers.find(([name]) => /^content-type$/i.test(name))?.[1];
  if (type === undefined || /x-www-form-urlencoded/i.test(type)) {
    const fields = formFields(text);
    if (fields) return { type: 'form', fields };
  }
  if (type === undefined && /^\s*[[{]/.test(text)) {
    // Documentation often leaves the content type out; curl then sends it as a form, which is not meant.
    const json = jsonOrText(text, headers);
    if (json.type === 'json') return json;
  }
  if (type !== undefined && /json/i.test(type)) return jsonOrText(text, headers);
  if (type === undefined) headers.push(['Content-Type', 'application/x-www-form-urlencoded']);
  return { type: 'text', text };
}
