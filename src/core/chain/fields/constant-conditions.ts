import { compileTest } from '../../language/compile.ts';
import { isRelation, type Tree } from '../../language/tree.ts';
import { ProblemError } from '../../problems.ts';
import type { World } from '../../language/environment.ts';

export function isLiteral(tree: Tree): boolean {
  return (
    (tree.type === 'literal' && tree.value !== undefined) ||
    (tree.type === 'list' && tree.items.every(isLiteral)) ||
    (tree.type === 'unary' && tree.operator === '-' && isLiteral(tree.operand))
  );
}

/** Whether a comparison of literals holds; undefined if they can't be compared. */
export function literalsHold(tree: Tree): boolean | undefined {
  try {
    return compileTest(tree)(
      { response: undefined, name: () => undefined, world: NO_WORLD, visited: 0 },
      undefined,
    );
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}
export const NO_WORLD: World = {
  now: () => 0,
  chance: () => 0,
  digest: (_, data) => data,
  hmac: (_, key) => key,
  zone: 'UTC',
};

/** The value of a condition that speaks of nothing that can change. */
export function constant(tree: Tree): boolean | undefined {
  if (tree.type === 'literal') return typeof tree.value === 'boolean' ? tree.value : undefined;
  if (tree.type === 'unary' && tree.operator === '!') {
    const inner = constant(tree.operand);
    return inner === undefined ? undefined : !inner;
  }
  if (tree.type === 'binary' && isRelation(tree.operator) && isLiteral(tree.left) && isLiteral(tree.right))
    return literalsHold(tree);
  if (tree.type !== 'binary' || (tree.operator !== '&&' && tree.operator !== '||')) return undefined;
  const [left, right] = [constant(tree.left), constant(tree.right)];
  const decides = tree.operator === '||';
  if (left === decides || right === decides) return decides;
  return left === undefined || right === undefined ? undefined : !decides;
}
