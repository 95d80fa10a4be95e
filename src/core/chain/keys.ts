import * as z from 'zod';
import { readDuration } from '../language/lexer.ts';
import { INPUT_KINDS, READ_AS } from './model.ts';

/** Which of the five sorts a field is of, and so what may stand in it. */
export type FieldSort =
  'condition' | 'value expression' | 'typed text' | 'plain text' | 'setting' | 'structure';

/** A key of one of the two files: how it is checked, and what `explain` says of it. */
export interface KeyDefinition {
  readonly name: string;
  readonly sort: FieldSort;
  /** Its form before expressions are looked at: scalars are texts, an empty value is null. */
  readonly shape: Shape;
  /** What it wants, as a message says it. */
  readonly wants: string;
  readonly about: string;
  readonly usual?: string;
  readonly required?: boolean;
  readonly example: string;
}

/** A schema that is made when it is first used: making all of them would take longer than checking a file. */
export type Shape = () => z.ZodType;

export function shapeOf<T extends z.ZodType>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
}

export const text = shapeOf(() => z.string());
const texts = shapeOf(() => z.array(text()));
const yesNo = shapeOf(() => z.enum(['yes', 'no']));
const count = shapeOf(() => z.string().regex(/^\d{1,4}$/));
const anything = shapeOf(() => z.unknown().refine((value) => value !== null));
export const map = shapeOf(() => z.record(z.string(), z.unknown()));
const list = shapeOf(() => z.array(z.unknown()));
const duration = shapeOf(() =>
  z.string().refine((value) => readDuration(value) !== undefined || /^\$\{.*\}$/s.test(value)),
);
const timeout = shapeOf(() =>
  z.union([
    duration(),
    z.strictObject({
      connect: duration().optional(),
      answer: duration().optional(),
      total: duration().optional(),
    }),
  ]),
);
const conditions = shapeOf(() => z.union([text(), list(), map()]));

const stepsExample = 'steps:\n  - call: GET kiln /racks';

export const chainKeys: readonly KeyDefinition[] = [
  {
    name: 'chain',
    sort: 'plain text',
    shape: text,
    wants: 'a title',
    required: true,
    about: 'What the chain does, in a few words. Begins the file.',
    example: 'chain: Find the glazed pieces of a rack',
  },
  {
    name: 'about',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'What a reader should know about it.',
    example: 'about: Needs a rack with waiting pieces.',
  },
  {
    name: 'tags',
    sort: 'setting',
    shape: texts,
    wants: 'a list of words',
    about: 'Words by which chains can be told apart.',
    example: 'tags: [nightly]',
  },
  {
    name: 'inputs',
    sort: 'structure',
    shape: map,
    wants: 'a map of inputs',
    about: 'Values that are given to a run. An input without a default must be given.',
    example: 'inputs:\n  rack: { default: A3, about: the rack to look at }',
  },
  {
    name: 'steps',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    required: true,
    about: 'What is done, from top to bottom.',
    example: stepsExample,
  },
  {
    name: 'cleanup',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    about:
      'Steps that are carried out at the end of a run, whatever happened. One that needs a name that was never kept is skipped.',
    example: 'cleanup:\n  - call: DELETE kiln /pieces/${piece}',
  },
  {
    name: 'results',
    sort: 'value expression',
    shape: map,
    wants: 'a map of names and expressions',
    about: 'What the run gives, printed as JSON on standard output.',
    example: 'results:\n  pieces: pieces[*].id',
  },
];

export const inputKeys: readonly KeyDefinition[] = [
  {
    name: 'kind',
    sort: 'setting',
    shape: shapeOf(() => z.enum(INPUT_KINDS)),
    wants: INPUT_KINDS.join(', '),
    usual: 'text',
    about: 'What the input is: its text is read as this.',
    example: 'kind: number',
  },
  {
    name: 'default',
    sort: 'typed text',
    shape: anything,
    wants: 'a value',
    about: 'The value where none is given.',
    example: 'default: A3',
  },
  {
    name: 'about',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'What it is for.',
    example: 'about: the rack to look at',
  },
  {
    name: 'must',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'What has to hold for a given value.',
    example: 'must: cone >= 1 && cone <= 10',
  },
  {
    name: 'choices',
    sort: 'setting',
    shape: texts,
    wants: 'a list of texts',
    about: 'The values of an input of kind choice.',
    example: 'choices: [glazed, plain]',
  },
];

export const stepKeys: readonly KeyDefinition[] = [
  {
    name: 'name',
    sort: 'setting',
    shape: text,
    wants: 'a name',
    about:
      'A name for the step. Later steps can use NAME.ok, .skipped, .failed, .problem, .elapsed, and of a call .status, .headers, .body, .url, .attempts.',
    example: 'name: load',
  },
  {
    name: 'about',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'What a reader should know about the step.',
    example: 'about: The kiln wants the cone as a number.',
  },
  {
    name: 'when',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'The step is carried out only where it holds; otherwise it is skipped, and the run says so.',
    example: 'when: length(pieces) > 0',
  },
  {
    name: 'expect',
    sort: 'condition',
    shape: conditions,
    wants: 'a condition or a list of them',
    about: 'What has to hold. All are tried, each is reported. One may be a map of holds and because.',
    example: 'expect:\n  - status == 200\n  - length($.pieces) > 0',
  },
  {
    name: 'keep',
    sort: 'value expression',
    shape: map,
    wants: 'a map of names and expressions',
    about: 'Values that later steps can use, by name.',
    example: 'keep:\n  first: $.pieces[0].id',
  },
  {
    name: 'show',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'A line for the person who runs the chain.',
    example: 'show: ${length(pieces)} pieces on rack ${rack}',
  },
  {
    name: 'on-fail',
    sort: 'setting',
    shape: shapeOf(() => z.enum(['stop', 'continue'])),
    wants: 'stop or continue',
    usual: 'stop',
    about: 'Whether the run ends where the step fails. A later step that needs a name of it is skipped.',
    example: 'on-fail: continue',
  },
];

export const verbKeys: readonly KeyDefinition[] = [
  {
    name: 'call',
    sort: 'plain text',
    shape: text,
    wants: 'METHOD service /path, or METHOD https://…',
    about: 'One request. A service is one of the project file; with one service its name may be left out.',
    example: 'call: GET kiln /racks/${rack}/pieces',
  },
  {
    name: 'wait',
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    about: 'Waits so long.',
    example: 'wait: 2s',
  },
  {
    name: 'steps',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    about: 'Steps under one name and one `when`.',
    example: `- when: length(pieces) > 0\n  steps:\n    - call: GET kiln /pieces/\${pieces[0].id}`,
  },
];

export const groupKeys: readonly KeyDefinition[] = [
  {
    name: 'else',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    about: 'Steps for the case in which `when` of the group does not hold.',
    example: 'else:\n  - show: nothing to fire',
  },
];

export const callKeys: readonly KeyDefinition[] = [
  {
    name: 'as',
    sort: 'setting',
    shape: text,
    wants: 'the name of a credential, or nobody',
    about:
      'The credential that the request carries, in place of the one of its service. `nobody` sends none.',
    example: 'as: counter',
  },
  {
    name: 'query',
    sort: 'typed text',
    shape: map,
    wants: 'a map of names and values',
    about: 'Parameters of the URL. A list repeats the name. Values are percent-encoded.',
    example: 'query:\n  state: waiting',
  },
  {
    name: 'headers',
    sort: 'plain text',
    shape: map,
    wants: 'a map of names and texts',
    about: 'Fields of the request.',
    example: 'headers:\n  Accept-Language: en',
  },
  {
    name: 'json',
    sort: 'typed text',
    shape: shapeOf(() => z.unknown()),
    wants: 'a value',
    about:
      'A body in JSON. Inserted values stay values; an unquoted true, false, null or number is one. Pasted JSON is YAML already.',
    example: 'json:\n  piece: ${piece.id}\n  cone: 6',
  },
  {
    name: 'form',
    sort: 'typed text',
    shape: map,
    wants: 'a map of names and values',
    about: 'A body of form fields (application/x-www-form-urlencoded). A list repeats the name.',
    example: 'form:\n  user: anna',
  },
  {
    name: 'text',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'A body of plain text.',
    example: 'text: ${report}',
  },
  {
    name: 'xml',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'A body of XML. Inserted values are escaped, as text and inside attributes.',
    example: 'xml: <piece id="${piece}"><cone>6</cone></piece>',
  },
  {
    name: 'multipart',
    sort: 'plain text',
    shape: map,
    wants: 'a map of parts',
    about:
      'A body of several parts (RFC 7578). A part is a text, or a map of file (or text), type and filename. Files are read while they are sent.',
    example: 'multipart:\n  title: Bowl\n  photo: { file: bowl.png, type: image/png }',
  },
  {
    name: 'file',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a file',
    about:
      'A body that is a file, read while it is sent. A path begins at the folder of the chain file; the ending says the content type, unless headers do.',
    example: 'file: designs/bowl.png',
  },
  {
    name: 'save',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a file',
    about:
      'Writes the body to a file while it comes. It has its name only when the expectations of the step hold; a path begins at the folder of the chain file.',
    example: 'save: out/${piece}.png',
  },
  {
    name: 'cookies',
    sort: 'setting',
    shape: shapeOf(() => z.enum(['none'])),
    wants: 'none',
    about:
      'Cookies are kept for a run, one jar for each service and credential, and sent again as RFC 6265 says. `none` sends and keeps none.',
    example: 'cookies: none',
  },
  {
    name: 'redirects',
    sort: 'setting',
    shape: count,
    wants: 'a number',
    usual: '5',
    about: 'How often a request is redirected at most. 0 takes the redirect as the answer.',
    example: 'redirects: 0',
  },
  {
    name: 'service-expect',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    usual: 'yes',
    about: 'Whether what the service expects of each call holds for this one.',
    example: 'service-expect: no',
  },
  {
    name: 'timeout',
    sort: 'setting',
    shape: timeout,
    wants: 'a duration, or a map of connect, answer and total',
    usual: 'connect: 10s, answer: 30s, total: 60s',
    about:
      'How long a request may take: until it is connected, until the answer begins, and in all. One duration is the time in all.',
    example: 'timeout: 10s',
  },
  {
    name: 'read-as',
    sort: 'setting',
    shape: shapeOf(() => z.enum(READ_AS)),
    wants: READ_AS.join(', '),
    about: 'How the body of the answer is read, whatever its content type says.',
    example: 'read-as: json',
  },
];

export const expectationKeys: readonly KeyDefinition[] = [
  {
    name: 'holds',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    required: true,
    about: 'What has to hold.',
    example: 'holds: $.cone <= 10',
  },
  {
    name: 'because',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'Why; it is shown where the expectation does not hold.',
    example: 'because: the kiln goes no higher',
  },
];

export const projectKeys: readonly KeyDefinition[] = [
  {
    name: 'services',
    sort: 'structure',
    shape: map,
    wants: 'a map of services',
    about: 'The services that the chains speak to.',
    example: 'services:\n  kiln:\n    url: https://api.emberfold.example/v1',
  },
  {
    name: 'credentials',
    sort: 'structure',
    shape: map,
    wants: 'a map of credentials',
    about: 'Who signs in, and how.',
    example: 'credentials:\n  counter:\n    kind: bearer\n    token: ${secret.counter}',
  },
  {
    name: 'secrets',
    sort: 'setting',
    shape: shapeOf(() => z.record(z.string(), text())),
    wants: 'a map of names and sources',
    about:
      'Where secrets come from: `env NAME`, `file PATH`, `command WORDS` (its output), `ask` (typed in, once a run), or `locked` (stored with `batharon secret set`).',
    example: 'secrets:\n  counter: env KILN_COUNTER_TOKEN\n  desk: locked',
  },
  {
    name: 'mask',
    sort: 'setting',
    shape: shapeOf(() => z.strictObject({ also: texts().optional(), never: texts().optional() })),
    wants: 'a map of also and never',
    about:
      'Names of members of answers whose values are secrets besides the usual ones (access_token, password …), and usual ones that are none.',
    example: 'mask:\n  also: [pin]',
  },
  {
    name: 'environments',
    sort: 'structure',
    shape: map,
    wants: 'a map of environments',
    about: 'Sets of overrides, by dotted key, of anything in this file.',
    example: 'environments:\n  live:\n    services.kiln.url: https://api.emberfold.example/v1',
  },
  {
    name: 'default-environment',
    sort: 'setting',
    shape: text,
    wants: 'the name of an environment',
    about: 'The environment of a run without --env.',
    example: 'default-environment: practice',
  },
  {
    name: 'values',
    sort: 'typed text',
    shape: map,
    wants: 'a map of names and values',
    about: 'Names that every chain of the project may use.',
    example: 'values:\n  studio: north',
  },
  {
    name: 'zone',
    sort: 'setting',
    shape: text,
    wants: 'a time zone',
    usual: 'UTC',
    about: 'The zone in which date(…) and format(…) write times.',
    example: 'zone: Europe/Lisbon',
  },
];

export const serviceKeys: readonly KeyDefinition[] = [
  {
    name: 'url',
    sort: 'plain text',
    shape: text,
    wants: 'a URL, or practice',
    required: true,
    about:
      'Where the service lives; paths of calls are appended. `practice` is the practice service, started with the run.',
    example: 'url: https://api.emberfold.example/v1',
  },
  {
    name: 'as',
    sort: 'setting',
    shape: text,
    wants: 'the name of a credential, or nobody',
    about: 'The credential that its calls carry.',
    example: 'as: counter',
  },
  {
    name: 'headers',
    sort: 'plain text',
    shape: map,
    wants: 'a map of names and texts',
    about: 'Fields of each of its requests. A call may set them otherwise.',
    example: 'headers:\n  Accept: application/json',
  },
  {
    name: 'timeout',
    sort: 'setting',
    shape: timeout,
    wants: 'a duration, or a map of connect, answer and total',
    usual: 'connect: 10s, answer: 30s, total: 60s',
    about: 'How long each of its requests may take.',
    example: 'timeout:\n  connect: 2s\n  total: 20s',
  },
  {
    name: 'expect',
    sort: 'condition',
    shape: conditions,
    wants: 'a condition or a list of them',
    about: 'What has to hold for each of its calls; service-expect: no on a call sets it aside.',
    example: "expect:\n  - type == 'application/json'",
  },
  {
    name: 'tls',
    sort: 'plain text',
    shape: shapeOf(() =>
      z.strictObject({
        ca: text().optional(),
        cert: text().optional(),
        key: text().optional(),
        verify: yesNo().optional(),
      }),
    ),
    wants: 'a map of ca, cert, key and verify',
    about:
      'PEM files: ca is trusted besides what the system trusts, cert and key prove who the client is. `verify: no` looks at no certificate, and each run says so.',
    example: 'tls:\n  ca: keys/kiln-ca.pem\n  cert: keys/desk.pem\n  key: keys/desk.key',
  },
  {
    name: 'proxy',
    sort: 'plain text',
    shape: text,
    wants: 'a URL, or none',
    about:
      'A proxy for its calls. Without it HTTPS_PROXY, HTTP_PROXY and NO_PROXY say; `none` uses none. A machine’s own addresses are never asked for through one.',
    example: 'proxy: http://proxy.example:3128',
  },
  {
    name: 'redirects',
    sort: 'setting',
    shape: count,
    wants: 'a number',
    usual: '5',
    about: 'How often each of its requests is redirected at most.',
    example: 'redirects: 2',
  },
  {
    name: 'insecure',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    usual: 'no',
    about: 'Lets a credential go to it over plain http, where others can read it.',
    example: 'insecure: yes',
  },
];

export const partKeys: readonly KeyDefinition[] = [
  {
    name: 'text',
    sort: 'typed text',
    shape: anything,
    wants: 'a text',
    about: 'What the part holds.',
    example: 'text: Bowl',
  },
  {
    name: 'file',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a file',
    about: 'The file that is the part; read while it is sent.',
    example: 'file: bowl.png',
  },
  {
    name: 'type',
    sort: 'plain text',
    shape: text,
    wants: 'a media type',
    about: 'The content type of the part.',
    example: 'type: image/png',
  },
  {
    name: 'filename',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'The name of the file as the service sees it; usually its own.',
    example: 'filename: bowl.png',
  },
];
