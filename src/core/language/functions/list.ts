import { fail } from '../../problems.ts';
import { compareValues, equalValues } from '../compare.ts';
import { ANY, type Kind, LIST, listOf, maybe, NUMBER, objectKind, YES_NO } from '../kinds.ts';
import { boundList } from '../limits.ts';
import { add, approximately, divide, type Numeric, numberText } from '../numbers.ts';
import { Duration, isNumeric, kindOf, memberOf, type Maybe, type Value } from '../values.ts';
import { define, optionalParameter, takes } from './define.ts';
import { place } from './text.ts';

const family = 'list';

const itemOf = (kind: Kind | undefined): Kind => kind?.item ?? ANY;
const sameList = ([list]: readonly Kind[]): Kind => (list?.item ? listOf(list.item) : LIST);
const oneItem = ([list]: readonly Kind[]): Kind => maybe(itemOf(list));

function numbers(list: Value[], name: string): Numeric[] {
  return list.map((item, i) =>
    isNumeric(item)
      ? item
      : fail('wrong-kind', `${name} takes numbers, and item ${i} is ${kindOf(item)}`, {
          hint: `${name}(map(list, number(@))) reads numbers from texts`,
        }),
  );
}

/** The keys of all items; undefined if one of them is nothing. */
function keysOf(list: Value[], key: ((item: Value) => Maybe) | undefined): Value[] | undefined {
  if (!key) return list;
  const keys: Value[] = [];
  for (const item of list) {
    const value = key(item);
    if (value === undefined) return undefined;
    keys.push(value);
  }
  return keys;
}

function order(a: Value, b: Value): number {
  if (Array.isArray(a) && Array.isArray(b)) return orderOfLists(a, b);
  return (
    compareValues(a, b) ??
    fail('kinds-differ', `${kindOf(a)} and ${kindOf(b)} have no order`, {
      hint: 'keys that are all numbers, all texts, all times or all durations; number(@.x) reads one',
    })
  );
}

/** Keys that are lists are compared item by item: by several keys, the first of them first. */
function orderOfLists(a: readonly Value[], b: readonly Value[]): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) {
    const found = order(a[i]!, b[i]!);
    if (found !== 0) return found;
  }
  return a.length - b.length;
}

/** Items with their keys in ascending order, those of equal keys in the order they had. */
function sorted(list: Value[], keys: Value[]): Value[] {
  if (keys.length === 1) order(keys[0]!, keys[0]!);
  return list
    .map((item, i) => ({ item, key: keys[i]! }))
    .sort((a, b) => order(a.key, b.key))
    .map(({ item }) => item);
}

function extreme(list: Value[], keys: Value[] | undefined, sign: 1 | -1): Maybe {
  if (!keys || list.length === 0) return undefined;
  let best = 0;
  for (let i = 0; i < keys.length; i++) if (order(keys[i]!, keys[best]!) * sign > 0) best = i;
  return list[best];
}

/** Texts, numbers and other simple values of one kind are found by this key without comparing with each. */
function hashKey(value: Value): string | undefined {
  if (typeof value === 'string') return `t${value}`;
  if (typeof value === 'number') return `n${value}`;
  return undefined;
}

/** Puts items with equal keys together, in the order in which the keys first came. */
function grouped(list: Value[], keys: Value[]): { key: Value; items: Value[] }[] {
  const groups: { key: Value; items: Value[] }[] = [];
  const known = new Map<string, { key: Value; items: Value[] }>();
  const exact = keys.some((key) => isNumeric(key) && typeof key !== 'number');
  list.forEach((item, i) => {
    const key = keys[i]!;
    const hash = exact && isNumeric(key) ? undefined : hashKey(key);
    let group = hash === undefined ? groups.find((other) => equalValues(other.key, key)) : known.get(hash);
    if (!group) {
      group = { key, items: [] };
      groups.push(group);
      if (hash !== undefined) known.set(hash, group);
    }
    group.items.push(item);
  });
  return groups;
}

export const listFunctions = [
  define(family, 'first', {
    about: 'The first item of a list; nothing where it is empty.',
    parameters: [takes.list('list')],
    returns: oneItem,
    examples: [['first([5, 6])', '5']],
    evaluate: ([list]) => list[0],
  }),
  define(family, 'last', {
    about: 'The last item of a list; nothing where it is empty.',
    parameters: [takes.list('list')],
    returns: oneItem,
    examples: [['last([5, 6])', '6']],
    evaluate: ([list]) => list.at(-1),
  }),
  define(family, 'at', {
    about:
      'The item of a list at a place (from 0, or from the end where negative), or the member of an object with a name.',
    parameters: [takes.listOrObject('where'), takes.textOrNumber('which')],
    returns: maybe(ANY),
    examples: [
      ['at([5, 6], 1)', '6'],
      ["at({ a: 7 }, 'a')", '7'],
    ],
    evaluate: ([where, which]) => {
      if (Array.isArray(where)) {
        return typeof which === 'string'
          ? fail('wrong-kind', `a list has no member '${which}'`, { hint: 'a number says which item' })
          : where.at(place(which, 'the place of an item'));
      }
      return typeof which === 'string'
        ? memberOf(where, which)
        : fail('wrong-kind', 'an object has no numbered items', {
            hint: 'a text names the member: at(object, text(n))',
          });
    },
  }),
  define(family, 'sort', {
    about:
      'The items in ascending order, of themselves or of a key; a list as key sorts by its first item, then by the next. Equal ones keep their order.',
    parameters: [takes.list('list'), optionalParameter(takes.each('key'))],
    returns: sameList,
    examples: [
      ['sort([3, 1, 2])', '[1,2,3]'],
      ['sort($.pieces, @.cone)[*].id', '["p2","p3","p1"]'],
      ["sort($.pieces, [@.glaze ?? '', -@.cone])[*].id", '["p3","p1","p2"]'],
    ],
    evaluate: ([list, key]) => {
      const keys = keysOf(list, key);
      return keys && sorted(list, keys);
    },
  }),
  define(family, 'unique', {
    about: 'The items without those that equal an earlier one, or whose key does.',
    parameters: [takes.list('list'), optionalParameter(takes.each('key'))],
    returns: sameList,
    examples: [['unique([1, 1.0, 2])', '[1,2]']],
    evaluate: ([list, key]) => {
      const keys = keysOf(list, key);
      return keys && grouped(list, keys).map(({ items }) => items[0]!);
    },
  }),
  define(family, 'group', {
    about: 'The items put together by a key: a list of objects with `key` and `items`.',
    parameters: [takes.list('list'), takes.each('key')],
    returns: ([list]) => listOf(objectKind({ key: ANY, items: sameList(list ? [list] : []) })),
    examples: [["group(['ash', 'oak', 'elm'], length(@))", '[{"key":3,"items":["ash","oak","elm"]}]']],
    evaluate: ([list, key]) => {
      const keys = keysOf(list, key);
      return keys && grouped(list, keys).map((entry): Value => ({ key: entry.key, items: entry.items }));
    },
  }),
  define(family, 'flat', {
    about: 'The items, those of lists in the list in place of these lists.',
    parameters: [takes.list('list')],
    returns: LIST,
    examples: [['flat([[1, 2], 3])', '[1,2,3]']],
    evaluate: ([list]) => {
      boundList(list.reduce<number>((sum, item) => sum + (Array.isArray(item) ? item.length : 1), 0));
      return list.flat(1);
    },
  }),
  define(family, 'sum', {
    about: 'The numbers of a list added up, exactly; 0 where it is empty.',
    parameters: [takes.list('list')],
    returns: NUMBER,
    examples: [
      ['sum([0.1, 0.2])', '0.3'],
      ['sum($.pieces[*].cone)', '16'],
    ],
    evaluate: ([list]) => numbers(list, 'sum').reduce<Numeric>(add, 0),
  }),
  define(family, 'average', {
    about: 'The mean of the numbers of a list; nothing where it is empty.',
    parameters: [takes.list('list')],
    returns: maybe(NUMBER),
    examples: [['average([1, 2])', '1.5']],
    evaluate: ([list]) =>
      list.length === 0 ? undefined : divide(numbers(list, 'average').reduce<Numeric>(add, 0), list.length),
  }),
  define(family, 'median', {
    about:
      'The middle of a list of numbers or durations; of an even count the mean of the two in the middle. Nothing where it is empty.',
    parameters: [takes.list('list')],
    returns: oneItem,
    examples: [
      ['median([3, 1, 2])', '2'],
      ['median([1, 2, 3, 10])', '2.5'],
    ],
    evaluate: ([list]) => {
      if (list.length === 0) return undefined;
      const inOrder = sorted(list, list);
      const middle = inOrder[Math.floor((list.length - 1) / 2)]!;
      const next = inOrder[Math.floor(list.length / 2)]!;
      if (isNumeric(middle) && isNumeric(next))
        return middle === next ? middle : divide(add(middle, next), 2);
      if (middle instanceof Duration && next instanceof Duration)
        return new Duration((middle.milliseconds + next.milliseconds) / 2);
      return fail('wrong-kind', `median takes numbers or durations, but an item is ${kindOf(middle)}`, {
        hint: 'percentile(list, 50) takes whatever has an order',
      });
    },
  }),
  define(family, 'percentile', {
    about:
      'The smallest item of a list that so many percent of the items are not above (the nearest rank): percentile(times, 95). Items are numbers, durations, times or texts. Nothing where it is empty.',
    parameters: [takes.list('list'), takes.number('percent')],
    returns: oneItem,
    examples: [
      ['percentile([10, 20, 30, 40], 50)', '20'],
      ['text(percentile([800ms, 1s, 3s], 95))', '"3s"'],
    ],
    evaluate: ([list, percent]) => {
      const share = approximately(percent);
      if (!(share >= 0 && share <= 100))
        fail('wrong-kind', `a percentile lies between 0 and 100, but this is ${numberText(percent)}`);
      if (list.length === 0) return undefined;
      return sorted(list, list)[Math.max(0, Math.ceil((share / 100) * list.length) - 1)];
    },
  }),
  define(family, 'min', {
    about:
      'The item that is smallest, or whose key is; the first of several. Nothing where the list is empty.',
    parameters: [takes.list('list'), optionalParameter(takes.each('key'))],
    returns: oneItem,
    examples: [['min([3, 1, 2])', '1']],
    evaluate: ([list, key]) => extreme(list, keysOf(list, key), -1),
  }),
  define(family, 'max', {
    about:
      'The item that is largest, or whose key is; the first of several. Nothing where the list is empty.',
    parameters: [takes.list('list'), optionalParameter(takes.each('key'))],
    returns: oneItem,
    examples: [['max($.pieces, @.cone).id', '"p1"']],
    evaluate: ([list, key]) => extreme(list, keysOf(list, key), 1),
  }),
  define(family, 'any', {
    about: 'Whether a condition on `@` holds for some item.',
    parameters: [takes.list('list'), takes.test('condition')],
    returns: YES_NO,
    examples: [["any($.pieces, @.glaze == 'ash')", 'true']],
    evaluate: ([list, condition]) => {
      let unknown = false;
      for (const item of list) {
        const passed = condition(item);
        if (passed) return true;
        if (passed === undefined) unknown = true;
      }
      return unknown ? undefined : false;
    },
  }),
  define(family, 'every', {
    about: 'Whether a condition on `@` holds for each item; so it does for an empty list.',
    parameters: [takes.list('list'), takes.test('condition')],
    returns: YES_NO,
    examples: [['every($.pieces, @.cone >= 4)', 'true']],
    evaluate: ([list, condition]) => {
      let unknown = false;
      for (const item of list) {
        const passed = condition(item);
        if (passed === false) return false;
        if (passed === undefined) unknown = true;
      }
      return unknown ? undefined : true;
    },
  }),
  define(family, 'map', {
    about: 'What an expression on `@` gives for each item, as a list.',
    parameters: [takes.list('list'), takes.each('expression')],
    returns: ([, item]) => (item ? listOf(item) : LIST),
    examples: [['map([1, 2], @ * 10)', '[10,20]']],
    evaluate: ([list, expression]) => keysOf(list, expression),
  }),
  define(family, 'zip', {
    about: 'Pairs of the items of two lists of one length.',
    parameters: [takes.list('first'), takes.list('second')],
    returns: listOf(LIST),
    examples: [["zip(['a', 'b'], [1, 2])", '[["a",1],["b",2]]']],
    evaluate: ([a, b]) =>
      a.length === b.length
        ? a.map((item, i): Value => [item, b[i]!])
        : fail(
            'wrong-kind',
            `zip takes lists of one length, and these have ${a.length} and ${b.length} items`,
            {
              hint: 'slice(list, 0, n) shortens the longer',
            },
          ),
  }),
  define(family, 'range', {
    about: 'The whole numbers from one up to and including another.',
    parameters: [takes.number('from'), takes.number('to')],
    returns: listOf(NUMBER),
    examples: [['range(1, 3)', '[1,2,3]']],
    evaluate: ([from, to]) => {
      const start = place(from, 'the beginning of a range');
      const length = Math.max(0, place(to, 'the end of a range') - start + 1);
      boundList(length);
      return Array.from({ length }, (_, i) => start + i);
    },
  }),
];
