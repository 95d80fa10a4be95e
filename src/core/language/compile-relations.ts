import type { BinaryTree, Relation, Tree } from './tree.ts';
import { located, type Evaluate, type Test } from './compiled.ts';
import { equalValues, compareValues } from './compare.ts';
import { type Value, Time, Duration, type Maybe, kindOf } from './values.ts';
import { fail } from '../problems.ts';
import { withArticle } from './kinds.ts';
import { visit } from './limits.ts';

export function orderAdvice(a: Value, b: Value): string {
  if (a instanceof Time || b instanceof Time) return 'time(x) reads a time from a text or a number';
  if (a instanceof Duration || b instanceof Duration) return 'a duration has a unit: 800ms, 2s';
  return 'number(x) reads a number from a text';
}

/** RFC 9535, section 2.3.5.2.2: what has no order does not hold, and two nothings are equal. */
export function compileStandardRelation(
  operator: Relation,
  left: Evaluate,
  right: Evaluate,
  rightTree: Tree,
): Test {
  const equal = (a: Maybe, b: Maybe): boolean =>
    a === b || (a !== undefined && b !== undefined && equalValues(a, b));
  const below = (a: Maybe, b: Maybe): boolean =>
    a !== undefined && b !== undefined && (compareValues(a, b) ?? 0) < 0;
  if (rightTree.type === 'literal' && (operator === '==' || operator === '!=')) {
    const { value } = rightTree;
    const wanted = operator === '==';
    return (environment, item) => equal(left(environment, item), value) === wanted;
  }
  const relation = {
    '==': equal,
    '!=': (a: Maybe, b: Maybe) => !equal(a, b),
    '<': below,
    '>': (a: Maybe, b: Maybe) => below(b, a),
    '<=': (a: Maybe, b: Maybe) => below(a, b) || equal(a, b),
    '>=': (a: Maybe, b: Maybe) => below(b, a) || equal(a, b),
  }[operator as Exclude<Relation, 'in'>];
  return (environment, item) => relation(left(environment, item), right(environment, item));
}
export function compileStrictRelation(
  operator: Relation,
  left: Evaluate,
  right: Evaluate,
  tree: BinaryTree,
): Test {
  return (environment, item) => {
    const a = left(environment, item);
    const b = right(environment, item);
    if (a === undefined || b === undefined) return undefined;
    return located(tree, () => {
      if (operator === '==') return equalValues(a, b);
      if (operator === '!=') return !equalValues(a, b);
      const order = compareValues(a, b);
      if (order === undefined) {
        fail('kinds-differ', `${withArticle(kindOf(a))} and ${withArticle(kindOf(b))} have no order`, {
          hint: orderAdvice(a, b),
        });
      }
      return operator === '<'
        ? order < 0
        : operator === '<='
          ? order <= 0
          : operator === '>'
            ? order > 0
            : order >= 0;
    });
  };
}
export function compileIn(left: Evaluate, right: Evaluate, tree: BinaryTree, filter: boolean): Test {
  return (environment, item) => {
    const a = left(environment, item);
    const list = right(environment, item);
    if (a === undefined || list === undefined) return filter ? false : undefined;
    if (Array.isArray(list)) {
      visit(environment, list.length);
      return list.some((other) => equalValues(a, other));
    }
    if (filter) return false;
    const hint =
      typeof list === 'string'
        ? 'contains(text, part) for a part of a text'
        : 'x in keys(object) or values(object)';
    return fail('wrong-kind', `in looks through lists, but this is ${withArticle(kindOf(list))}`, {
      span: tree.right.span,
      hint,
    });
  };
}

/** `status == 2xx`, `status in [2xx, 404]` */
export function compileStatus(
  tree: BinaryTree,
  left: Evaluate,
  filter: boolean,
  compile: (tree: Tree, filter: boolean) => Evaluate,
): Test {
  const items = tree.right.type === 'list' ? tree.right.items : [tree.right];
  const digits = items.flatMap((item) => (item.type === 'status class' ? [item.digit] : []));
  const others = items.flatMap((item) => (item.type === 'status class' ? [] : [compile(item, filter)]));
  const wanted = tree.operator !== '!=';
  return (environment, item) => {
    const status = left(environment, item);
    if (status === undefined) return filter ? !wanted : undefined;
    const isOfClass = typeof status === 'number' && digits.includes(Math.floor(status / 100));
    const isOther = (): boolean =>
      others.some((value) => {
        const other = value(environment, item);
        return other !== undefined && equalValues(status, other);
      });
    return (isOfClass || isOther()) === wanted;
  };
}
