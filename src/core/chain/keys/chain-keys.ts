import * as z from 'zod';
import { type KeyDefinition, anything, list, map, shapeOf, text, texts } from '../source/key-definition.ts';
import { COLUMN_KINDS, INPUT_KINDS } from '../model.ts';

const stepsExample = 'steps:\n  - call: GET kiln /racks';

/** Of the project and of a chain. */
export const shapesKey: KeyDefinition = {
  name: 'shapes',
  sort: 'structure',
  shape: map,
  wants: 'a map of names and schemas',
  about:
    'Schemas by name, for fits(value, NAME): JSON Schema (2020-12), or the path of a file with one. One refers to another as `#/NAME`.',
  example:
    'shapes:\n  Piece:\n    type: object\n    required: [id, price]\n    properties:\n      id: { type: string }\n      price: { type: number }',
};

export const defineKey: KeyDefinition = {
  name: 'define',
  sort: 'value expression',
  shape: map,
  wants: 'a map of names with their arguments, and expressions',
  about:
    'Functions of your own: an expression that is used more than once, with names for its arguments. It may use those above it, the values of the project, `environment` and `run`.',
  example: 'define:\n  gross(price): round(price * 1.19, 2)',
};

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
    name: 'run',
    sort: 'setting',
    shape: shapeOf(() => z.enum(['always', 'only-by-name'])),
    wants: 'always or only-by-name',
    default: 'always',
    about:
      'With only-by-name `batharon run` carries it out only where its file is named, not where a folder is. So it is with chains that others follow or sign in with.',
    example: 'run: only-by-name',
  },
  {
    name: 'inputs',
    sort: 'structure',
    shape: map,
    wants: 'a map of inputs',
    about: 'Values that are given to a run. An input without a default must be given.',
    example: 'inputs:\n  rack: { default: A3, about: the rack to look at }',
  },
  defineKey,
  shapesKey,
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
    default: 'text',
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
    about: 'The values that an input takes. Its kind is choice then, also where no kind is written.',
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
