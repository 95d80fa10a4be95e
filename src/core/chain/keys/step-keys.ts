import * as z from 'zod';
import { ON_FAIL } from '../model.ts';
import {
  type KeyDefinition,
  conditions,
  duration,
  list,
  map,
  shapeOf,
  text,
  texts,
} from '../source/key-definition.ts';

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
    manner: true,
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
    name: 'write',
    sort: 'structure',
    shape: map,
    wants: 'a map of to, row and one-row-per',
    about:
      'A row for a file of rows (CSV; JSON Lines where its name ends in .jsonl), written once the step has passed. Other columns, their order and the line ends stay as they are.',
    example:
      'write:\n  to: fired.csv\n  row:\n    piece: ${piece}\n    state: ${$.state}\n  one-row-per: piece',
  },
  {
    name: 'show',
    manner: true,
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'A line for the person who runs the chain.',
    example: 'show: ${length(pieces)} pieces on rack ${rack}',
  },
  {
    name: 'on-fail',
    manner: true,
    sort: 'setting',
    shape: shapeOf(() => z.enum(ON_FAIL)),
    wants: 'stop, continue or accept',
    default: 'stop',
    about:
      'What follows where the step fails. stop: the run ends. continue: the run goes on, and ends with 1. accept: the run goes on, and the step counts as no failure; NAME.failed and NAME.problem.code say what happened. A later step that needs a name of it is skipped.',
    example: 'on-fail: continue',
  },
  {
    name: 'must-fail',
    sort: 'setting',
    shape: shapeOf(() => z.union([text(), texts().min(1)])),
    wants: 'an error code, or a list of them, or none',
    about:
      'The step passes where it, or what stands in it, fails with one of these codes, and fails where it would pass: for what a service has to refuse. What it would have kept is not there.',
    example: 'must-fail: [time-limit, connection-refused]',
  },
  {
    name: 'undo',
    sort: 'structure',
    shape: list,
    wants: 'a list of steps',
    about:
      'Steps that take back what this step did. Once it has passed they are carried out at the end of the run, whatever happens, those of the last step first; 404 and 410 count as done.',
    example: 'undo:\n  - call: DELETE kiln /pieces/${piece}',
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
      'Carries its steps out for each item of a list, member of an object, or row of an input. `index` counts the iterations from 0.',
    example: 'each: one in pieces\nsteps:\n  - call: GET kiln /pieces/${one.id}',
  },
  {
    name: 'repeat',
    sort: 'structure',
    shape: map,
    wants: 'a map of until, up-to, every and within',
    about: 'Carries its steps out again until a condition holds. `index` counts the iterations from 0.',
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
    example: 'follow: clear.chain.yaml\nname: cleared\ninputs:\n  rack: A3',
  },
  {
    name: 'ask',
    sort: 'plain text',
    shape: text,
    wants: 'a question',
    about:
      'Asks the person at the terminal. The answer is what the name of the step means from then on; it is recorded, so a run that goes on does not ask again. Without a terminal, in a build server and with --no-ask it is what --give says, or the default.',
    example: 'ask: Which glaze?\nname: glaze\nchoices: [ash, celadon]',
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

export const writeKeys: readonly KeyDefinition[] = [
  {
    name: 'to',
    sort: 'plain text',
    shape: text,
    wants: 'the path of a file',
    required: true,
    about:
      'The file; it and its folders are made where they are not there. A path begins at the folder of the chain file.',
    example: 'to: fired.csv',
  },
  {
    name: 'row',
    sort: 'typed text',
    shape: shapeOf(() => z.union([text(), map()])),
    wants: 'a map of columns and values',
    required: true,
    about:
      'The columns and their values. In CSV null is an empty field; columns that are not named keep theirs.',
    example: 'row:\n  piece: ${piece}\n  cone: ${$.cone}',
  },
  {
    name: 'one-row-per',
    sort: 'setting',
    shape: shapeOf(() => z.union([text(), texts().min(1)])),
    wants: 'the name of a column, or a list of them',
    default: 'each row is added at the end',
    about:
      'A row with the same values in these columns is brought up to date instead of another being added.',
    example: 'one-row-per: piece',
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
  {
    name: 'else',
    sort: 'setting',
    shape: shapeOf(() => z.enum(['failure', 'warning'])),
    wants: 'failure or warning',
    default: 'failure',
    about: 'What follows where it does not hold: the step fails, or the run only warns and goes on.',
    example: 'else: warning',
  },
];
