import * as z from 'zod';
import {
  type KeyDefinition,
  anything,
  conditions,
  count,
  duration,
  list,
  map,
  shapeOf,
  text,
  texts,
  timeout,
  yesNo,
} from './key-definition.ts';
import { COLUMN_KINDS, INPUT_KINDS, READ_AS } from './model.ts';

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
  {
    name: 'columns',
    sort: 'setting',
    shape: map,
    wants: `a map of columns and kinds: ${COLUMN_KINDS.join(', ')}`,
    about: 'What the columns of an input of kind rows are; texts where nothing is said.',
    example: 'columns: { cone: number }',
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
  {
    name: 'undo',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    about:
      'Steps that take back what this step did. Once it has held they are carried out at the end of the run, whatever happens, those of the last step first; 404 and 410 count as done.',
    example: 'undo:\n  - call: DELETE kiln /firings/${firing}',
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
    name: 'each',
    sort: 'value expression',
    shape: text,
    wants: 'NAME in LIST; NAME, i in LIST; or key, value in OBJECT',
    about:
      'Carries its steps out for each item of a list, member of an object, or row of an input. `index` counts the turns from 0.',
    example: 'each: piece in pieces\nsteps:\n  - call: GET kiln /pieces/${piece.id}',
  },
  {
    name: 'repeat',
    sort: 'structure',
    shape: map,
    wants: 'a map of until, up-to, every and within',
    about: 'Carries its steps out again until a condition holds. `index` counts the turns from 0.',
    example:
      'repeat: { until: more == false, up-to: 20 }\nsteps:\n  - call: GET kiln /pieces\n    keep: { more: "$.next_cursor != null" }',
  },
  {
    name: 'follow',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a chain file',
    about:
      'Carries another chain out as a step. Its results are members of the name of the step; a path begins at the folder of the chain file.',
    example: 'follow: rack.chain.yaml\nname: rack\ninputs:\n  rack: A3',
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
    name: 'retry',
    sort: 'setting',
    shape: map,
    wants: 'a map of attempts, on, wait, when and as-told',
    about:
      'Sends a request again that got no answer, or one that says to come back. Without it only what the service says with 429, or 503 and Retry-After, is waited for.',
    example: 'retry: { attempts: 4, wait: 1s..30s }',
  },
  {
    name: 'idempotency',
    sort: 'setting',
    shape: shapeOf(() => z.union([yesNo(), map()])),
    wants: 'yes, or a map of header and key',
    about:
      'Sends a key by which the service knows a repeated request, in the field Idempotency-Key, so that it may be sent again.',
    example: 'idempotency: yes',
  },
  {
    name: 'repeatable',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    usual: 'no',
    about: 'The request may be sent again although its method is not idempotent (RFC 9110, 9.2.2).',
    example: 'repeatable: yes',
  },
  {
    name: 'poll',
    sort: 'setting',
    shape: map,
    wants: 'a map of until, while, give-up-when, every, within and at',
    about: 'Asks again until a condition holds. expect and keep see the last answer.',
    example: "poll:\n  until: $.state == 'done'\n  every: 1s..10s\n  within: 5m",
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
      'Opens a listener, gives its address to the request as ${callback}, and waits after the answer for the request that comes in: `arrived`.',
    example: "callback:\n  within: 2m\n  when: arrived.body.state == 'done'",
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
