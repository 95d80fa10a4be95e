import { fail } from '../core/problems.ts';
import { bodyOfCurl, dataText, queryParts } from './curl-body.ts';
import { type Collected, MEANINGS, SHORT } from './curl-options.ts';
import { markAddress, markBraces, replaceOutputs, variablesIn } from './placeholders.ts';
import { type ImportedCommands, type ImportedRequest, LEFT_OUT } from './request.ts';
import { type ShellCommand, shellCommands } from './shell-words.ts';

interface Read {
  readonly values: Collected;
  readonly flags: Set<string>;
  readonly notes: string[];
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
      hint: "batharon import curl 'curl https://…'",
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
    return fail('import-unreadable', 'the command has no address', { hint: 'curl https://…' });
  for (const other of others) notes.push(`${other}: a second address; it is a command of its own`);

  const headers = values.header.flatMap((line) => headerOf(line));
  if (values.agent[0] !== undefined) headers.push(['User-Agent', values.agent[0]]);
  if (values.range.at(-1) !== undefined) headers.push(['Range', `bytes=${values.range.at(-1)!}`]);
  if (values.referer[0] !== undefined) headers.push(['Referer', values.referer[0]]);
  if (values.bearer[0] !== undefined) headers.push(['Authorization', `Bearer ${values.bearer[0]}`]);
  const asked = queryParts(values.urlQuery);
  const given = bodyOfCurl(values, headers, notes);
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
  return { save: /([^/?#]+)(?:[?#].*)?$/.exec(address)?.[1] ?? 'response' };
}
