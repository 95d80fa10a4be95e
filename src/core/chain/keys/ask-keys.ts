import * as z from 'zod';
import { ASKED_KINDS } from '../model.ts';
import { type KeyDefinition, list, map, shapeOf, text } from '../source/key-definition.ts';

/** The keys of `ask`, besides those of every step. */
export const askKeys: readonly KeyDefinition[] = [
  {
    name: 'choices',
    sort: 'value expression',
    shape: shapeOf(() => z.union([text(), list(), map()])),
    wants: 'a list, a map of labels and values, or an expression that gives one',
    about:
      'What can be chosen. A list or map as written holds texts with `${…}`; a single line is an expression, such as a path in what was kept. Typing filters them.',
    example: 'choices: [ash, celadon, oxblood]',
  },
  {
    name: 'default',
    sort: 'typed text',
    shape: shapeOf(() => z.union([text(), list(), map()])),
    wants: 'a value',
    about: 'The answer where nothing is typed, and where nobody can be asked.',
    example: 'default: celadon',
  },
  {
    name: 'kind',
    sort: 'setting',
    shape: shapeOf(() => z.enum(ASKED_KINDS)),
    wants: ASKED_KINDS.join(', '),
    default: 'choice with choices, that of the default, else text',
    about: 'What the answer is. A secret is not shown while it is typed, and masked from then on.',
    example: 'kind: number',
  },
  {
    name: 'must',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'What the answer has to be, by the name of the step; it is asked for again until it is.',
    example: 'must: cone >= 1 && cone <= 10',
  },
];
