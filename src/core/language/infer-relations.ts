import { comparisonAdvice, conversionAdvice, listAdvice } from './advice.ts';
import type { Inferring, InferContext } from './inferring.ts';
import { ANY, BIT, type Kind, kindWords, mayBe } from './kinds.ts';
import { type BinaryTree, comparesStatus, givesNodes, type Tree } from './tree.ts';

/** The kind of an operand that must be one value. */
export function singleKind(self: Inferring, tree: Tree, context: InferContext): Kind {
  const kind = self.kind(tree, context);
  if (givesNodes(tree)) {
    self.problem(
      tree,
      'list-in-comparison',
      `${self.source(tree)} may find several values, and one is wanted here`,
      listAdvice(self.source(tree)),
    );
    return ANY;
  }
  return kind;
}

export function inferRelation(self: Inferring, tree: BinaryTree, context: InferContext): void {
  const { operator, left, right, span } = tree;
  if (comparesStatus(tree)) {
    inferStatus(self, tree, context);
    return;
  }
  if (operator === 'in') {
    const item = singleKind(self, left, context);
    const list = self.valueKind(right, context);
    if (!mayBe(list, BIT.list | BIT.nothing)) {
      const source = self.source(right);
      const hint = mayBe(list, BIT.object)
        ? `${self.source(left)} in keys(${source}) or values(${source})`
        : `contains(${source}, ${self.source(left)}) for a part of a text`;
      self.problem(
        right,
        'wrong-kind',
        `in looks through lists, and ${source} is ${kindWords(list.bits)}`,
        hint,
      );
    } else if (list.item && !context.filter) {
      checkComparable(self, item, list.item, { ...tree, operator: '==' });
    }
    return;
  }
  const isNothing = (tree: Tree): boolean => tree.type === 'literal' && tree.value === undefined;
  const presence = isNothing(left) || isNothing(right);
  if (presence && operator !== '==' && operator !== '!=') {
    self.problem({ span }, 'wrong-kind', 'nothing has no order', 'x == nothing, or exists(x)');
    return;
  }
  const inner = presence ? { ...context, tolerant: true } : context;
  const oneOf = (tree: Tree, other: Tree): Kind =>
    other.type === 'list' ? self.valueKind(tree, inner) : comparedKind(self, tree, inner);
  const a = oneOf(left, right);
  const b = oneOf(right, left);
  if (context.filter) {
    refuseLogical(self, left);
    refuseLogical(self, right);
  } else if (!presence) {
    checkComparable(self, a, b, tree);
  }
}

/** `status == 2xx`, `status in [2xx, 404]` */
function inferStatus(self: Inferring, { operator, left, right }: BinaryTree, context: InferContext): void {
  const status = singleKind(self, left, context);
  if (!mayBe(status, BIT.number | BIT.nothing))
    self.problem(
      left,
      'kinds-differ',
      `a class of statuses is compared with a number, but ${self.source(left)} is ${kindWords(status.bits)}`,
      conversionAdvice(self.source(left), BIT.number, status.bits),
    );
  if (operator !== '==' && operator !== '!=' && operator !== 'in')
    self.problem(
      right,
      'wrong-kind',
      `${self.source(right)} is a class of statuses, which has no order`,
      `${self.source(left)} == ${self.source(right)}, or ${self.source(left)} in [4xx, 5xx]`,
    );
  if (right.type === 'list')
    for (const item of right.items) if (item.type !== 'status class') self.valueKind(item, context);
}

function comparedKind(self: Inferring, tree: Tree, context: InferContext): Kind {
  const kind = self.kind(tree, context);
  if (!givesNodes(tree)) return kind;
  const source = self.source(tree);
  self.problem(
    tree,
    'list-in-comparison',
    `${source} may find several values, and a comparison takes one`,
    listAdvice(source),
  );
  return ANY;
}

/** Inside a filter match(…) and search(…) are of the standard's LogicalType, which is not compared. */
function refuseLogical(self: Inferring, tree: Tree): void {
  if (tree.type === 'call' && (tree.name === 'match' || tree.name === 'search')) {
    self.problem(
      tree,
      'filter-not-standard',
      `${tree.name}(…) is already true or false`,
      `${tree.name}(…) alone, or !${tree.name}(…)`,
    );
  }
}

function checkComparable(
  self: Inferring,
  a: Kind,
  b: Kind,
  { operator, span, left, right }: BinaryTree,
): void {
  const [leftBits, rightBits] = [a.bits & ~BIT.nothing, b.bits & ~BIT.nothing];
  if (leftBits === 0 || rightBits === 0) return;
  const ordered = operator !== '==' && operator !== '!=';
  const common = leftBits & rightBits & (ordered ? BIT.number | BIT.text | BIT.time | BIT.duration : ~0);
  if (common !== 0) return;
  const what = `${kindWords(leftBits)} and ${kindWords(rightBits)}`;
  const advice = comparisonAdvice(self.source(left), self.source(right), leftBits, rightBits);
  if (ordered) self.problem({ span }, 'kinds-differ', `${what} have no order`, advice);
  else self.problem({ span }, 'kinds-differ', `${what} are never equal`, advice);
}
