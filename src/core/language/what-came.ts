import { ProblemError } from '../problems.ts';
import { itemsApart } from './any-order.ts';
import { compileTest } from './compile.ts';
import { evaluateAgain, whyNothing, withItem } from './diagnose.ts';
import { differenceOf } from './difference.ts';
import type { Environment } from './environment.ts';
import { withArticle } from './kinds.ts';
import { saidOfPlace, sameInItems } from './same-in-items.ts';
import { brief } from './show.ts';
import { type BinaryTree, type CallTree, givesNodes, isRelation, type Tree } from './tree.ts';
import { kindOf, type Maybe, type Value } from './values.ts';

/** What came where a condition did not hold: the value that decided it, in a few words. */
export function whatCame(tree: Tree, text: string, environment: Environment, item?: Maybe): string {
  const source = (part: Tree): string => text.slice(...part.span);
  if (tree.type === 'binary' && (tree.operator === '&&' || tree.operator === '||')) {
    const sides = [tree.left, tree.right].filter((side) => passed(side, environment, item) !== true);
    if (tree.operator === '&&') return whatCame(sides[0] ?? tree.left, text, environment, item);
    return sides.map((side) => whatCame(side, text, environment, item)).join('; ');
  }
  if (tree.type === 'binary' && isRelation(tree.operator))
    return whatWasCompared(tree, text, environment, item);
  if (tree.type === 'unary' && tree.operator === '!') return `${source(tree.operand)} holds`;
  if (tree.type === 'call') {
    const first = tree.arguments[0];
    if (tree.name === 'fits' && first) {
      const misfit = whatDoesNotFit(tree, source(first), environment, item);
      if (misfit !== undefined) return misfit;
    }
    if (tree.name === 'exists' && first)
      return whyNothing(first, text, environment, item)?.message ?? 'nothing';
    if (tree.name === 'same' && tree.arguments.length > 1) {
      const apart = whatIsApart(tree, environment, item);
      if (apart !== undefined) return apart;
    }
    if ((tree.name === 'every' || tree.name === 'any') && first)
      return whichItems(tree, text, environment, item);
    if (first && !givesNodes(first) && first.type !== 'literal')
      return brief(evaluateAgain(first, environment, item));
  }
  const value = evaluateAgain(tree, environment, item);
  return value === false ? `${source(tree)} is false` : brief(value);
}

function passed(tree: Tree, environment: Environment, item: Maybe): boolean | undefined {
  try {
    return compileTest(tree)(environment, item);
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}

function whatWasCompared(tree: BinaryTree, text: string, environment: Environment, item: Maybe): string {
  const left = evaluateAgain(tree.left, environment, item);
  const right = evaluateAgain(tree.right, environment, item);
  const literal = (part: Tree): boolean =>
    part.type === 'literal' ||
    part.type === 'status class' ||
    (part.type === 'list' && part.items.every(literal));
  const kinds =
    (tree.operator === '==' || tree.operator === '!=') &&
    left !== undefined &&
    right !== undefined &&
    kindOf(left) !== kindOf(right)
      ? `, ${withArticle(kindOf(left))}, and ${withArticle(kindOf(left))} never equals ${withArticle(kindOf(right))}`
      : '';
  if (tree.operator === '==' && left !== undefined && right !== undefined && kinds === '') {
    const difference = differenceOf(left, right);
    if (difference !== undefined) return difference;
  }
  if (literal(tree.right)) return brief(left) + kinds;
  if (literal(tree.left)) return brief(right) + kinds;
  const side = (part: Tree, value: Maybe): string => `${text.slice(...part.span)} is ${brief(value)}`;
  return `${side(tree.left, left)}, ${side(tree.right, right)}`;
}

/** How two values differ that should be the same: in any order, by the items that only one side has. */
function whatIsApart(tree: CallTree, environment: Environment, item: Maybe): string | undefined {
  const [left, right, mode] = tree.arguments.map((argument) => evaluateAgain(argument, environment, item));
  if (left === undefined || right === undefined) return undefined;
  if (mode === undefined || !Array.isArray(left) || !Array.isArray(right))
    return differenceOf(left, right) ?? `${brief(left)} and ${brief(right)}`;
  const apart = itemsApart(left, right);
  const only = (side: string, items: readonly Value[]): string[] =>
    items.length === 0
      ? []
      : [
          `only the ${side} one has ${items
            .slice(0, 3)
            .map((one) => brief(one, 60))
            .join(', ')}${items.length > 3 ? ` and ${items.length - 3} more` : ''}`,
        ];
  return [...only('left', apart.left), ...only('right', apart.right)].join('; ');
}

/** So many places that do not fit are said. */
const MISFITS = 50;

/** Where a value is not as its schema wants it; undefined where that can't be told. */
function whatDoesNotFit(
  tree: CallTree,
  source: string,
  environment: Environment,
  item: Maybe,
): string | undefined {
  const [value, schema] = tree.arguments.map((argument) => evaluateAgain(argument, environment, item));
  if (value === undefined || typeof schema !== 'string') return undefined;
  const misfits = sameInItems(environment.world.fits?.(value, schema) ?? []);
  if (misfits.length === 0) return undefined;
  const said = misfits
    .slice(0, MISFITS)
    .map((one) => saidOfPlace({ ...one, path: source + one.path.slice(1) }));
  return [...said, ...(misfits.length > MISFITS ? [`${misfits.length - MISFITS} more`] : [])].join('; ');
}

function whichItems(
  tree: Tree & { type: 'call' },
  text: string,
  environment: Environment,
  item: Maybe,
): string {
  const [listTree, test] = tree.arguments;
  const list = listTree && evaluateAgain(listTree, environment, item);
  if (!Array.isArray(list) || !test) return 'false';
  if (tree.name === 'any')
    return list.length === 0
      ? 'an empty list'
      : `false for each of ${list.length} items, the first ${brief(list[0], 60)}`;
  const failing = list.flatMap((element, i) =>
    passed(test, withItem(environment, tree, element), element) === true ? [] : [i],
  );
  const first = failing[0] ?? 0;
  return `${failing.length} of ${list.length} items are otherwise, the first is item ${first}: ${whatCame(test, text, withItem(environment, tree, list[first]!), list[first])}`;
}
