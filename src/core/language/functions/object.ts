import { fail } from '../../problems.ts';
import { ANY, BIT, isOnly, LIST, listOf, mayBe, OBJECT, objectKind, union } from '../kinds.ts';
import { numberText } from '../numbers.ts';
import {
  isNumeric,
  isObject,
  memberOf,
  membersOf,
  namesOf,
  objectOf,
  type Value,
  type ValueObject,
} from '../values.ts';
import { define, type FindPlaces, type Location, repeated, takes } from './define.ts';

const family = 'object';

/** A member as entries or zip give it. */
function memberIn(item: Value, index: number): [string, Value] {
  const [name, value] = Array.isArray(item)
    ? item.length === 2
      ? item
      : []
    : isObject(item)
      ? [memberOf(item, 'key'), memberOf(item, 'value')]
      : [];
  if (value === undefined || (typeof name !== 'string' && !isNumeric(name)))
    fail(
      'wrong-kind',
      `item ${index} is no member: an object with key and value, or a list of a name and a value`,
      {
        hint: 'object(map(list, [@.name, @.value]))',
      },
    );
  return [typeof name === 'string' ? name : numberText(name), value!];
}

/** A value without what lies at these places in it. */
function withoutPlaces(value: Value, places: readonly Location[]): Value {
  const here = new Map<string | number, Location[]>();
  for (const [key, ...rest] of places) if (key !== undefined) here.set(key, [...(here.get(key) ?? []), rest]);
  const kept = (key: string | number, inner: Value): Value[] => {
    const below = here.get(key);
    if (!below) return [inner];
    return below.some((rest) => rest.length === 0) ? [] : [withoutPlaces(inner, below)];
  };
  if (Array.isArray(value)) return value.flatMap((item, i) => kept(i, item));
  if (!isObject(value)) return value;
  return objectOf(
    membersOf(value).flatMap(([name, inner]) => kept(name, inner).map((one) => [name, one] as const)),
  );
}

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
  define(family, 'object', {
    about:
      'An object made of a list of its members: objects with `key` and `value`, as entries gives them, or lists of a name and a value, as zip does. Of two with one name the later counts.',
    parameters: [takes.list('members')],
    returns: OBJECT,
    examples: [
      ["object([{ key: 'a', value: 1 }])", '{"a":1}'],
      ["object(zip(['a', 'b'], [1, 2]))", '{"a":1,"b":2}'],
      ['object(map($.pieces, [@.id, @.cone]))', '{"p1":7,"p2":4,"p3":5}'],
    ],
    evaluate: ([members]) => objectOf(members.map(memberIn)),
  }),
  define(family, 'merge', {
    about: 'An object with the members of all; of two with one name the later counts.',
    parameters: [takes.object('object'), repeated(takes.object('more'))],
    returns: OBJECT,
    examples: [['merge({ a: 1, b: 2 }, { b: 3 })', '{"a":1,"b":3}']],
    evaluate: (objects) => objectOf(objects.flatMap((object) => membersOf(object))),
  }),
  define(family, 'without', {
    about:
      'The value without some of its members: those of these names, or those that a path of `@`, which is the value itself, finds in it however deep.',
    parameters: [takes.listOrObject('value'), repeated(takes.nameOrPath('name'))],
    returns: ([value]) =>
      value && isOnly(value, BIT.list)
        ? LIST
        : value && !mayBe(value, BIT.list)
          ? OBJECT
          : union(LIST, OBJECT),
    examples: [
      ["without({ a: 1, b: 2 }, 'a')", '{"b":2}'],
      ['without($, @.pieces[*].glaze, @.pieces[1:]).pieces', '[{"id":"p1","cone":7}]'],
    ],
    evaluate: ([value, ...parts]) => {
      const names = (parts as (string | FindPlaces)[]).filter((part) => typeof part === 'string');
      const places = (parts as (string | FindPlaces)[]).flatMap((part) =>
        typeof part === 'string' ? [] : part(value),
      );
      if (names.length > 0 && Array.isArray(value))
        fail('wrong-kind', `a list has no member '${names[0]!}'`, {
          hint: `@[*].${names[0]!} for that of each item`,
        });
      const rest =
        names.length > 0
          ? objectOf(membersOf(value as ValueObject).filter(([name]) => !names.includes(name)))
          : value;
      return places.length > 0 ? withoutPlaces(rest, places) : rest;
    },
  }),
];
