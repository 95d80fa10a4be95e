import type { StatusClassTree, Tree } from '../core/language/tree.ts';
import { numberText } from '../core/language/numbers.ts';
import { isNumeric } from '../core/language/values.ts';
import { pointerPart } from '../core/contract/document.ts';

/** How the names of a chain are said in an Arazzo document: `$inputs.rack`, `$steps.load.outputs.firing`. */
export type NamesOfChain = ReadonlyMap<string, string>;

/** An expression as a runtime expression of Arazzo; undefined if it has nothing that corresponds. */
export function runtimeExpressionOf(tree: Tree, names: NamesOfChain): string | undefined {
  if (tree.type === 'response') return '$response.body';
  if (tree.type === 'name')
    return tree.name === 'status'
      ? '$statusCode'
      : tree.name === 'body'
        ? '$response.body'
        : tree.name === 'url'
          ? '$url'
          : names.get(tree.name);
  if (tree.type === 'call' && tree.name === 'hidden' && tree.arguments[0])
    return runtimeExpressionOf(tree.arguments[0], names);
  if (tree.type !== 'query') return undefined;
  const parts = tree.segments.map(({ descendant, selectors: [selector, ...more] }) =>
    descendant || more.length > 0 || !selector
      ? undefined
      : selector.type === 'name'
        ? selector.name
        : selector.type === 'index' && selector.index >= 0
          ? String(selector.index)
          : undefined,
  );
  if (parts.includes(undefined)) return undefined;
  const whole = parts as string[];
  if (tree.base.type === 'name' && tree.base.name === 'headers')
    return whole.length === 1 ? `$response.header.${whole[0]!}` : undefined;
  const base = runtimeExpressionOf(tree.base, names);
  // A pointer stands behind what is no number.
  return base === undefined || base === '$statusCode' || base === '$url'
    ? undefined
    : `${base}#/${whole.map(pointerPart).join('/')}`;
}

/** A condition as a simple one of Arazzo; undefined if it has nothing that corresponds. */
export function simpleCondition(tree: Tree, names: NamesOfChain): string | undefined {
  switch (tree.type) {
    case 'literal':
      return tree.value === undefined
        ? undefined
        : typeof tree.value === 'string'
          ? `'${tree.value.replaceAll("'", "''")}'`
          : isNumeric(tree.value)
            ? numberText(tree.value)
            : typeof tree.value === 'boolean' || tree.value === null
              ? String(tree.value)
              : undefined;
    case 'unary': {
      const inner = tree.operator === '!' ? simpleCondition(tree.operand, names) : undefined;
      return inner === undefined ? undefined : `!(${inner})`;
    }
    case 'binary': {
      if (!['&&', '||', '==', '!=', '<', '<=', '>', '>='].includes(tree.operator)) return inList(tree, names);
      if (tree.right.type === 'status class') {
        const { first, last } = rangeOf(tree.right);
        return tree.operator === '==' && tree.left.type === 'name'
          ? `$statusCode >= ${first} && $statusCode <= ${last}`
          : undefined;
      }
      const [left, right] = [simpleCondition(tree.left, names), simpleCondition(tree.right, names)];
      if (left === undefined || right === undefined) return undefined;
      const isLogical = tree.operator === '&&' || tree.operator === '||';
      const inner = (text: string, side: Tree): string =>
        isLogical &&
        side.type === 'binary' &&
        side.operator !== tree.operator &&
        (side.operator === '||' || side.operator === '&&')
          ? `(${text})`
          : text;
      return `${inner(left, tree.left)} ${tree.operator} ${inner(right, tree.right)}`;
    }
    default:
      return runtimeExpressionOf(tree, names);
  }
}

/** `status in [200, 202]` */
function inList(tree: Tree & { type: 'binary' }, names: NamesOfChain): string | undefined {
  if (tree.operator !== 'in' || tree.right.type !== 'list') return undefined;
  const left = simpleCondition(tree.left, names);
  const items = tree.right.items.map((item) => simpleCondition(item, names));
  return left === undefined || items.length === 0 || items.includes(undefined)
    ? undefined
    : items.map((item) => `${left} == ${item!}`).join(' || ');
}

function rangeOf({ digit }: StatusClassTree): { readonly first: number; readonly last: number } {
  return { first: digit * 100, last: digit * 100 + 99 };
}
