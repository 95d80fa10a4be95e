import * as z from 'zod';
import {
  type KeyDefinition,
  amount,
  anything,
  carried,
  countOrNone,
  map,
  mapOrInsertion,
  mapOrNone,
  NONE,
  shapeOf,
  text,
  textOrFile,
  timeout,
  yesNo,
} from '../source/key-definition.ts';
import { READ_AS } from '../model.ts';
import { contractKey } from './project-keys.ts';

export const callKeys: readonly KeyDefinition[] = [
  {
    name: 'as',
    sort: 'setting',
    shape: carried,
    wants: 'the name of a credential, a list of them, or none',
    about:
      'The credential that the request carries, in place of the one of its service. `none` (or `nobody`) sends none. A list sends several. `NAME: { … }` gives inputs to the chain by which a credential of kind chain signs in; it does so once for each set of them.',
    example: 'as: counter',
  },
  {
    name: 'query',
    sort: 'typed text',
    shape: mapOrInsertion,
    wants: 'a map of names and values',
    about:
      'Parameters of the URL. A list repeats the name. Values are percent-encoded. `${object}` as the whole value gives its members.',
    example: 'query:\n  state: waiting',
  },
  {
    name: 'headers',
    sort: 'plain text',
    shape: mapOrInsertion,
    wants: 'a map of names and texts',
    about: 'Fields of the request. `${object}` as the whole value gives its members.',
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
    shape: mapOrInsertion,
    wants: 'a map of names and values',
    about:
      'A body of form fields (application/x-www-form-urlencoded). A list repeats the name. `${object}` as the whole value gives its members.',
    example: 'form:\n  user: anna',
  },
  {
    name: 'text',
    sort: 'plain text',
    shape: textOrFile,
    wants: 'a text',
    about: 'A body of plain text. `from:` a file takes the text of that file, insertions included.',
    example: 'text: ${report}',
  },
  {
    name: 'xml',
    sort: 'plain text',
    shape: textOrFile,
    wants: 'a text',
    about:
      'A body of XML. Inserted values are escaped, as text and inside attributes. `from:` a file takes the text of that file.',
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
    name: 'bytes',
    sort: 'value expression',
    shape: text,
    wants: 'an expression',
    about: 'A body that is bytes, as an expression gives them; of a text its UTF-8.',
    example: 'bytes: load.body',
  },
  {
    name: 'file',
    sort: 'plain text',
    shape: shapeOf(() => z.union([z.string(), map()])),
    wants: 'the path of a file, or a map of path, from and to',
    about:
      'A body that is a file, read while it is sent. A path begins at the folder of the chain file; the ending says the content type, unless headers do. `from` and `to` take a part of it, for uploads in parts.',
    example: 'file: designs/bowl.png',
  },
  {
    name: 'save',
    sort: 'plain text',
    shape: shapeOf(() =>
      z.union([z.string(), z.strictObject({ to: z.string(), resume: yesNo().optional() })]),
    ),
    wants: 'the path of a file, or a map of to and resume',
    about:
      'Writes the body to a file while it comes. It has its name only when the expectations of the step hold; a path begins at the folder of the chain file. `save: { to: PATH, resume: yes }` goes on where an earlier download was cut, by a retry or in a later run, if the service says that it still is the same file.',
    example: 'save: out/${piece}.png',
  },
  {
    name: 'cookies',
    sort: 'setting',
    shape: shapeOf(() => z.enum(['none', 'new'])),
    wants: 'none or new',
    about:
      'Cookies are kept for a run, one jar for each service and credential, and sent again as RFC 6265 says. `none` sends and keeps none, `new` begins with an empty jar.',
    example: 'cookies: new',
  },
  {
    name: 'redirects',
    manner: true,
    sort: 'setting',
    shape: countOrNone,
    wants: 'a number, or none',
    default: '5',
    about: 'How often a request is redirected at most. `none`, or 0, takes the redirect as the response.',
    example: 'redirects: 0',
  },
  {
    name: 'service-expect',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    default: 'yes',
    about: 'Whether what the service expects of each call holds for this one.',
    example: 'service-expect: no',
  },
  contractKey(
    'What it means where this call or its response is not as the description of the service says: the step fails, a warning, or nothing.',
    'what the service says',
  ),
  {
    name: 'timeout',
    manner: true,
    sort: 'setting',
    shape: timeout,
    wants: 'a duration, or a map of connect, response and total',
    default: 'connect: 10s, response: 30s, total: 60s',
    about:
      'How long a request may take: until it is connected, until the response begins, and in all. One duration is the time in all.',
    example: 'timeout: 10s',
  },
  {
    name: 'retry',
    manner: true,
    sort: 'setting',
    shape: mapOrNone,
    wants: 'a map of attempts, on, wait, when and retry-after, or none',
    about:
      'Sends a request again that got no response, or one that says to come back. Without it only what the service says with 429, or 503 and Retry-After, is waited for.',
    example: 'retry: { attempts: 4, wait: 1s..30s }',
  },
  {
    name: 'idempotency',
    manner: true,
    sort: 'setting',
    shape: shapeOf(() => z.union([z.literal(NONE), yesNo(), map()])),
    wants: 'yes, or a map of header and key',
    about:
      'Sends a key by which the service knows a repeated request, in the field Idempotency-Key, so that it may be sent again.',
    example: 'idempotency: yes',
  },
  {
    name: 'repeatable',
    manner: true,
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    default: 'no',
    about: 'The request may be sent again although its method is not idempotent (RFC 9110, 9.2.2).',
    example: 'repeatable: yes',
  },
  {
    name: 'poll',
    sort: 'setting',
    shape: map,
    wants: 'a map of until, while, give-up-when, every, within and at',
    about: 'Asks again until a condition holds. expect and keep see the last response.',
    example: "poll:\n  until: $.state == 'done'\n  every: 1s..10s\n  within: 5m",
  },
  {
    name: 'stream',
    sort: 'setting',
    shape: map,
    wants: 'a map of until, within, quiet, up-to, enough, newest and live',
    about:
      'Reads the response bit by bit, as it comes: server-sent events, a JSON value a line, or lines. `$` is the list of what came. `timeout` is then the time until the response begins.',
    example: "stream:\n  until: item.event == 'done'\n  within: 30s",
  },
  {
    name: 'pages',
    sort: 'setting',
    shape: map,
    wants: 'a map of next, next-query or next-json, items, until, up-to and enough',
    about: 'Asks for one page after the other. The items of all of them are `gathered`.',
    example: "pages:\n  next: link('next')\n  items: $.pieces",
  },
  {
    name: 'callback',
    sort: 'setting',
    shape: map,
    wants: 'a map of within, when and signed-by',
    about:
      'Opens a listener, gives its address to the request as ${callback}, and waits after the response for the request that comes in: `arrived`.',
    example: "callback:\n  within: 2m\n  when: arrived.body.state == 'done'",
  },
  {
    name: 'read-as',
    sort: 'setting',
    shape: shapeOf(() => z.union([z.enum(READ_AS), z.strictObject({ csv: z.string().length(1) })])),
    wants: `${READ_AS.join(', ')}, or { csv: ';' }`,
    about:
      'How the body of the response is read, whatever its content type says. `{ csv: ";" }` names what separates cells; json-lines is a JSON value a line.',
    example: 'read-as: json',
  },
];

/** The keys of a body that is a part of a file. */
export const fileKeys: readonly KeyDefinition[] = [
  {
    name: 'path',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a file',
    required: true,
    about: 'The file, from the folder of the chain file on.',
    example: 'path: film.mp4',
  },
  {
    name: 'from',
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '0',
    about: 'The offset of the first byte that is sent.',
    example: 'from: 1000000',
  },
  {
    name: 'to',
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    about:
      'The offset behind the last byte that is sent; the end of the file where it is shorter, or without it.',
    example: 'to: 2000000',
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
    name: 'json',
    sort: 'typed text',
    shape: anything,
    wants: 'a value',
    about: 'A value that the part holds as JSON.',
    example: 'json: { cone: 6 }',
  },
  {
    name: 'bytes',
    sort: 'value expression',
    shape: text,
    wants: 'an expression',
    about: 'Bytes that the part holds, as an expression gives them; of a text its UTF-8.',
    example: 'bytes: photo.body',
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
