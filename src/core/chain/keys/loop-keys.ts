import * as z from 'zod';
import {
  type KeyDefinition,
  amount,
  duration,
  list,
  map,
  mapOrInsertion,
  pause,
  shapeOf,
  text,
  yesNo,
} from '../source/key-definition.ts';

const steps: KeyDefinition = {
  name: 'steps',
  sort: 'structure',
  shape: list,
  wants: 'a list of steps',
  required: true,
  about: 'What is done in each iteration.',
  example: 'steps:\n  - call: GET kiln /pieces/${piece.id}',
};

/** The keys of `each`, besides those of every step. */
export const eachKeys: readonly KeyDefinition[] = [
  steps,
  {
    name: 'at-once',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '1',
    about: 'How many iterations go on at the same time.',
    example: 'at-once: 3',
  },
  {
    name: 'when-one-fails',
    manner: true,
    sort: 'setting',
    shape: shapeOf(() => z.enum(['stop', 'continue'])),
    wants: 'stop or continue',
    default: 'stop',
    about:
      'Whether no further iteration begins once one has failed. With continue the other iterations and the steps below the loop go on; the run still ends with 1.',
    example: 'when-one-fails: continue',
  },
  {
    name: 'at-least',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '0',
    about: 'How many iterations have to hold; fewer is a failure, also where there was nothing to do.',
    example: 'at-least: 1',
  },
  {
    name: 'up-to',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '100000',
    about: 'How many iterations there may be; more is a failure.',
    example: 'up-to: 500',
  },
  {
    name: 'until',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about:
      'No iteration begins once it holds. It is looked at after each iteration, with the names of that iteration.',
    example: "until: found.state == 'fired'",
  },
  {
    name: 'title',
    manner: true,
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about:
      'What each iteration is called, on screen and in reports. `batharon run --case TITLE` carries out that iteration only.',
    example: 'title: ${one.name}',
  },
  {
    name: 'spread',
    manner: true,
    sort: 'setting',
    shape: shapeOf(() => z.union([yesNo(), z.string().regex(/^[1-9]\d{0,3}$/)])),
    wants: 'yes, no, or a number of iterations',
    default: 'no',
    about:
      'With `batharon run --spread` its iterations are given to the workers of the team, in blocks of so many; `yes` is 100. Of each block `at-once` go on at the same time.',
    example: 'spread: 500',
  },
  {
    name: 'gather',
    sort: 'value expression',
    shape: map,
    wants: 'a map of names and expressions',
    about:
      'One value of each iteration that passed: lists in the order of the items, which are there after the loop. Nothing is left out.',
    example: 'gather:\n  fired: firing',
  },
];

/** The keys inside `repeat`. */
export const repeatKeys: readonly KeyDefinition[] = [
  {
    name: 'until',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    required: true,
    about: 'Looked at after each iteration; where it holds, the loop ends.',
    example: "until: state == 'done'",
  },
  {
    name: 'up-to',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '50',
    about: 'How many iterations at most; reaching it is a failure.',
    example: 'up-to: 10',
  },
  {
    name: 'every',
    manner: true,
    sort: 'setting',
    shape: pause,
    wants: 'a duration, or two with .. between them',
    default: '0s',
    about: 'How long it waits between iterations; of two durations it doubles from the first to the second.',
    example: 'every: 2s',
  },
  {
    name: 'within',
    manner: true,
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    default: '1h',
    about: 'How long it goes on; reaching it is a failure.',
    example: 'within: 5m',
  },
];

/** The keys that stand beside `repeat`. */
export const repeatStepKeys: readonly KeyDefinition[] = [
  { ...steps, example: 'steps:\n  - call: GET kiln /pieces\n    query: { cursor: "${cursor}" }' },
  {
    name: 'start',
    sort: 'value expression',
    shape: map,
    wants: 'a map of names and expressions',
    about: 'Names with first values, which the steps may keep anew. They are there after the loop.',
    example: 'start:\n  cursor: "\'\'"',
  },
];

export const followKeys: readonly KeyDefinition[] = [
  {
    name: 'inputs',
    sort: 'typed text',
    shape: mapOrInsertion,
    wants: 'a map of inputs',
    about: 'The inputs of the chain that is followed. `${object}` as the whole value gives its members.',
    example: 'inputs:\n  rack: ${rack}',
  },
];
