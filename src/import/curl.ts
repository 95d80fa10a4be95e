import { parseJson } from '../core/language/json.ts';
import { isObject, membersOf, type Value } from '../core/language/values.ts';
import { fail, ProblemError } from '../core/problems.ts';
import { type Collected, MEANINGS, SHORT } from './curl-options.ts';
import { markAddress, markBraces, replaceOutputs, variablesIn } from './placeholders.ts';
import { type ImportedBody, type ImportedPart, type ImportedRequest, LEFT_OUT } from './request.ts';
import { type ShellCommand, shellCommands } from './shell-words.ts';

interface Read {
  readonly values: Collected;
  readonly flags: Set<string>;
  readonly notes: string[];
}

/** What was pasted: the requests of its commands, and what in it is no request. */
export interface ImportedCommands {
  readonly requests: readonly ImportedRequest[];
  readonly notes: readonly string[];
}

/**
 * Reads command lines of curl, as documentation shows them, into the requests that they would send. Nothing is carried out.
 * Throws `import-unreadable`.
 */
export function importCurls(source: string): ImportedCommands {
  const notes: string[] = [];
  const requests = shellCommands(markBraces(source)).flatMap((command): ImportedRequest[] => {
    const start = command.words.findIndex((word) => /(?:^|[/\\])curl(?:\.exe)?$/.test(word));
    if (start < 0) {
      // What stands behind its name may be a key: export TOKEN=…
      const [program = ''] = command.words;
      notes.push(`${program.replace(/=.*/s, '=…').slice(0, 40)}: this is no curl`);
      return [];
    }
    return apart(command.words.slice(start + 1)).map((words) => requestOf({ ...command, words }));
  });
  if (requests.length === 0)
    fail('import-unreadable', 'this is no command line that begins with curl', {
      instead: "batharon import curl 'curl https://…'",
    });
  return { requests, notes: notes.map((note) => replaceOutputs(note, (command) => `$(${command})`)) };
}

/** The one request of a command line. Throws `import-unreadable`, also where there are several. */
export function importCurl(source: string): ImportedRequest {
  const { requests, notes } = importCurls(source);
  const [only] = requests as [ImportedRequest];
  if (requests.length > 1) fail('import-unreadable', `there are ${requests.length} commands`);
  return { ...only, notes: [...only.notes, ...notes] };
}

/** The arguments between `--next`: each are a request of their own. */
function apart(words: readonly string[]): string[][] {
  const all: string[][] = [[]];
  for (const word of words)
    if (word === '--next' || word === '-:') all.push([]);
    else all.at(-1)!.push(word);
  return all;
}

/** Throws `import-unreadable`. */
function requestOf(command: ShellCommand): ImportedRequest {
  const { values, flags, notes } = readOptions(command.words);
  const { input, output } = command;
  if (output !== undefined && values.output.length === 0) values.output.push(output);
  takeInput(values, input);
  const [address, ...others] = values.url;
  if (address === undefined)
    return fail('import-unreadable', 'the command has no address', { instead: 'curl https://…' });
  for (const other of others) notes.push(`${other}: a second address; it is a command of its own`);

  const headers = values.header.flatMap((line) => headerOf(line));
  if (values.agent[0] !== undefined) headers.push(['User-Agent', values.agent[0]]);
  if (values.range.at(-1) !== undefined) headers.push(['Range', `bytes=${values.range.at(-1)!}`]);
  if (values.referer[0] !== undefined) headers.push(['Referer', values.referer[0]]);
  if (values.bearer[0] !== undefined) headers.push(['Authorization', `Bearer ${values.bearer[0]}`]);
  const asked = queryParts(values.urlQuery);
  const given = bodyOf(values, headers, notes);
  const moved = flags.has('get') ? dataText(values, notes) : undefined;
  const body = flags.has('get') ? undefined : given;
  if (values.json.length > 0 && !headers.some(([name]) => /^accept$/i.test(name)))
    headers.push(['Accept', 'application/json']);
  const method =
    values.method.at(-1)?.toUpperCase() ??
    (flags.has('head') ? 'HEAD' : values.upload.length > 0 ? 'PUT' : body ? 'POST' : 'GET');
  const cookie = values.cookie.filter((text) => {
    if (text.includes('=')) return true;
    notes.push(`--cookie ${text}: a file of cookies; a run keeps its own`);
    return false;
  });
  const user = values.user.at(-1);
  const colon = user?.indexOf(':') ?? -1;
  return {
    method,
    url: addressOf(address, [...asked, ...(moved === undefined || moved === '' ? [] : [moved])]),
    headers,
    ...(body ? { body } : {}),
    ...(user === undefined
      ? {}
      : {
          user: {
            name: colon < 0 ? user : user.slice(0, colon),
            password: colon < 0 ? undefined : user.slice(colon + 1),
            digest: flags.has('digest'),
          },
        }),
    ...(cookie.length > 0 ? { cookies: cookie.join('; ') } : {}),
    ...timeoutsOf(values),
    ...(flags.has('insecure') ? { insecure: true } : {}),
    ...tlsOf(values),
    ...(values.proxy[0] === undefined ? {} : { proxy: withScheme(values.proxy[0]) }),
    ...saveOf(values, flags, address),
    notes,
  };
}

/** Puts what the command reads in the place of `@-`. */
function takeInput(values: Collected, input: ShellCommand['input']): void {
  if (!input) return;
  const replace = (list: string[], keepsLines: boolean): void =>
    list.forEach((one, i) => {
      if (one !== '@-') return;
      list[i] =
        'file' in input ? `@${input.file}` : keepsLines ? input.text : input.text.replace(/[\r\n]/g, '');
    });
  replace(values.data, false);
  replace(values.binary, true);
  replace(values.json, true);
  values.upload.forEach((one, i) => {
    if ((one === '-' || one === '.') && 'file' in input) values.upload[i] = input.file;
  });
}

function readOptions(words: readonly string[]): Read {
  const values = Object.fromEntries(
    [...Object.values(MEANINGS), 'inOrder'].map((meaning) => [meaning, [] as string[]]),
  ) as unknown as Collected;
  const read: Read = { values, flags: new Set(), notes: [] };
  for (let i = 0; i < words.length; i++) {
    const word = words[i]!;
    if (word === '--') {
      values.url.push(...words.slice(i + 1));
      break;
    }
    if (word.startsWith('--')) {
      const [, long = '', inline] = /^--([^=]*)(?:=(.*))?$/s.exec(word)!;
      if (take(read, long, inline, words[i + 1])) i++;
    } else if (word.startsWith('-') && word.length > 1) {
      i += readShort(read, word.slice(1), words[i + 1]);
    } else {
      values.url.push(word);
    }
  }
  return read;
}

/** Several short options in one word; the last may have its value in the word or behind it. */
function readShort(read: Read, letters: string, next: string | undefined): number {
  for (let at = 0; at < letters.length; at++) {
    const name = SHORT[letters[at]!];
    if (name === undefined) {
      read.notes.push(`-${letters[at]!}: not known`);
      continue;
    }
    const rest = letters.slice(at + 1);
    const meaning = MEANINGS[name]!;
    if (meaning === 'flag' || meaning === 'ignored' || meaning === 'noted')
      take(read, name, undefined, undefined);
    else return take(read, name, rest === '' ? undefined : rest, next) ? 1 : 0;
  }
  return 0;
}

/** Takes one option; true where the next word was its value. */
function take(
  { values, flags, notes }: Read,
  name: string,
  inline: string | undefined,
  next: string | undefined,
): boolean {
  const meaning = Object.hasOwn(MEANINGS, name) ? MEANINGS[name]! : undefined;
  if (meaning === undefined) {
    const positive = name.replace(/^no-/, '');
    if (positive === name || !Object.hasOwn(MEANINGS, positive)) notes.push(`--${name}: not known`);
    return false;
  }
  if (meaning === 'ignored') return false;
  if (meaning === 'flag') {
    flags.add(name);
    return false;
  }
  if (meaning === 'noted') {
    notes.push(`--${name}`);
    return false;
  }
  const value = inline ?? next;
  if (value === undefined) return fail('import-unreadable', `the option --${name} has no value`);
  if (meaning === 'noted with value') {
    // The value may be a secret (--proxy-user, --pass).
    notes.push(/user|pass/.test(name) ? `--${name}` : `--${name} ${value}`);
  } else if (meaning !== 'ignored with value') {
    values[meaning].push(value);
    if (meaning === 'data' || meaning === 'raw' || meaning === 'binary' || meaning === 'urlencoded')
      values.inOrder.push([meaning, value]);
  }
  return inline === undefined;
}

function headerOf(line: string): [string, string][] {
  const [, name, value] = /^\s*([^:;]+?)\s*:\s*(.*?)\s*$/s.exec(line) ?? [];
  // `Name;` is an empty field, `Name:` takes one away.
  const empty = /^\s*([^:;\s]+)\s*;\s*$/.exec(line)?.[1];
  if (empty !== undefined) return [[empty, '']];
  if (name === undefined || value === undefined) return [];
  return [[name, value === '' ? LEFT_OUT : value]];
}

/** The address, with the parts of the query that were given apart from it. */
function addressOf(address: string, more: readonly string[]): string {
  const whole = markAddress(withScheme(address).replace(/^(https?:\/\/[^/?#]+)(?=[?#]|$)/, '$1/'));
  if (more.length === 0) return whole;
  const [, head = '', fragment = ''] = /^([^#]*)(#.*)?$/s.exec(whole)!;
  return `${head}${head.includes('?') ? '&' : '?'}${more.join('&')}${fragment}`;
}

function withScheme(address: string): string {
  return /^[a-z][a-z0-9+.-]*:\/\//i.test(address) || variablesIn(address.slice(0, 40)).length > 0
    ? address
    : `http://${address}`;
}

function queryParts(values: readonly string[]): string[] {
  return values.map((value) => (value.startsWith('+') ? value.slice(1) : encoded(value)));
}

/** One argument of --data-urlencode: `content`, `=content`, `name=content`. */
function encoded(text: string): string {
  const equals = text.indexOf('=');
  const name = equals < 0 ? '' : text.slice(0, equals);
  const content = text.slice(equals + 1);
  return `${name}${name === '' ? '' : '='}${encodeOpen(content)}`;
}

/** Percent-encodes, but for the marks of values that are left open. */
function encodeOpen(text: string): string {
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

/** What --data and its like give, joined. */
function dataText(values: Collected, notes: string[]): string | undefined {
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

function bodyOf(values: Collected, headers: [string, string][], notes: string[]): ImportedBody | undefined {
  if (values.form.length + values.formText.length > 0)
    return {
      type: 'multipart',
      parts: [...values.form.map((part) => partOf(part, notes)), ...values.formText.map(textPart)],
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

function hasOpenNames(value: Value): boolean {
  if (Array.isArray(value)) return value.some(hasOpenNames);
  return (
    isObject(value) && membersOf(value).some(([name, member]) => name.includes('${') || hasOpenNames(member))
  );
}

/** The fields of a form, where the text is nothing else (URL Standard, application/x-www-form-urlencoded). */
export function formFields(text: string): [string, string][] | undefined {
  const pairs = text.split('&');
  if (!pairs.every((pair) => /^[^=\s{[<"][^=\s{<"]*=[^\n]*$/.test(pair))) return undefined;
  return [...new URLSearchParams(text)];
}

function partOf(part: string, notes: string[]): ImportedPart {
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

function textPart(part: string): ImportedPart {
  const [, name = part, value = ''] = /^([^=]*)=(.*)$/s.exec(part) ?? [];
  return { name, value };
}

function timeoutsOf({ connect, total }: Collected): Pick<ImportedRequest, 'timeouts'> {
  const seconds = (text: string | undefined): string | undefined =>
    text !== undefined && /^\d+(?:\.\d+)?$/.test(text) && Number(text) > 0
      ? `${Math.round(Number(text) * 1000)}ms`.replace(/000ms$/, 's')
      : undefined;
  const [first, all] = [seconds(connect.at(-1)), seconds(total.at(-1))];
  if (first === undefined && all === undefined) return {};
  return {
    timeouts: {
      ...(first === undefined ? {} : { connect: first }),
      ...(all === undefined ? {} : { total: all }),
    },
  };
}

function tlsOf({ ca, cert, key }: Collected): Pick<ImportedRequest, 'tls'> {
  if (ca.length + cert.length + key.length === 0) return {};
  return {
    tls: {
      ...(ca[0] === undefined ? {} : { ca: ca[0] }),
      // Behind a colon stands the password of the key; it is never written to a file.
      ...(cert[0] === undefined ? {} : { cert: cert[0].replace(/(?<=.{2}):[^/\\]*$/, '') }),
      ...(key[0] === undefined ? {} : { key: key[0] }),
    },
  };
}

function saveOf(
  values: Collected,
  flags: ReadonlySet<string>,
  address: string,
): Pick<ImportedRequest, 'save'> {
  const output = values.output.at(-1);
  if (output !== undefined) return output === '-' || output === '/dev/null' ? {} : { save: output };
  if (!flags.has('remote-name')) return {};
  return { save: /([^/?#]+)(?:[?#].*)?$/.exec(address)?.[1] ?? 'answer' };
}
