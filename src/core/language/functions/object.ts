import { ANY, BIT, LIST, listOf, OBJECT, objectKind } from '../kinds.ts';
import { membersOf, namesOf, objectOf, type Value } from '../values.ts';
import { define, repeated, takes } from './define.ts';

const family = 'object';

export const objectFunctions = [
  define(family, 'keys', {
    about: 'The names of the members of an object.',
    parameters: [takes.object('object')],
    returns: listOf({ bits: BIT.text }),
    examples: [['keys({ a: 1, b: 2 })', '["a","b"]']],
    evaluate: ([object]) => namesOf(object),
  }),
  define(family, 'values', {
    about: 'The values of the members of an object.',
    parameters: [takes.object('object')],
    returns: LIST,
    examples: [['values({ a: 1, b: 2 })', '[1,2]']],
    evaluate: ([object]) => membersOf(object).map(([, value]) => value),
  }),
  define(family, 'entries', {
    about: 'The members of an object as a list of objects with `key` and `value`.',
    parameters: [takes.object('object')],
    returns: listOf(objectKind({ key: { bits: BIT.text }, value: ANY })),
    examples: [['entries({ a: 1 })', '[{"key":"a","value":1}]']],
    evaluate: ([object]) => membersOf(object).map(([key, value]): Value => ({ key, value })),
  }),
  define(family, 'merge', {
    about: 'An object with the members of all; of two with one name the later counts.',
    parameters: [takes.object('object'), repeated(takes.object('more'))],
    returns: OBJECT,
    examples: [['merge({ a: 1, b: 2 }, { b: 3 })', '{"a":1,"b":3}']],
    evaluate: (objects) => objectOf(objects.flatMap((object) => membersOf(object))),
  }),
  define(family, 'without', {
    about: 'The object without the members of these names.',
    parameters: [takes.object('object'), repeated(takes.text('name'))],
    returns: OBJECT,
    examples: [["without({ a: 1, b: 2 }, 'a')", '{"b":2}']],
    evaluate: ([object, ...names]) =>
      objectOf(membersOf(object).filter(([name]) => !(names as string[]).includes(name))),
  }),
];
