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
    const list = self.valueKind(right, { ...context, isCompared: true });
    if (!mayBe(list, BIT.list | BIT.nothing)) {
      const source = self.source(right);
      const [hint, text] = mayBe(list, BIT.object)
        ? [
            `${self.source(left)} in keys(${source}) or values(${source})`,
            `${self.source(left)} in keys(${source})`,
          ]
        : !mayBe(list, BIT.text)
          ? [`${self.source(left)} == ${source}`, `${self.source(left)} == ${source}`]
          : [
              `contains(${source}, ${self.source(left)}) for a part of a text`,
              `contains(${source}, ${self.source(left)})`,
            ];
      self.problem(right, 'wrong-kind', `in looks through lists, and ${source} is ${kindWords(list.bits)}`, {
        hint,
        replace: { span, text },
      });
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
  const a = right.type === 'list' ? self.valueKind(left, inner) : comparedKind(self, left, tree, inner);
  const compared = operator === '==' || operator === '!=' ? { ...inner, isCompared: true } : inner;
  const b =
    left.type === 'list' ? self.valueKind(right, compared) : comparedKind(self, right, tree, compared);
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

function comparedKind(self: Inferring, tree: Tree, relation: BinaryTree, context: InferContext): Kind {
  const kind = self.kind(tree, context);
  if (!givesNodes(tree)) return kind;
  const source = self.source(tree);
  self.problem(tree, 'list-in-comparison', `${source} may find several values, and a comparison takes one`, {
    hint: listAdvice(source),
    replace: { span: relation.span, text: forSome(self, tree, relation) },
  });
  return ANY;
}

/** A comparison that holds for some of several values; of one that a slice takes, for that. */
function forSome(self: Inferring, tree: Tree, { left, operator, right, span }: BinaryTree): string {
  const source = self.source(tree);
  const index = /\[(\d+):(\d+)\]$/.exec(source);
  if (index && Number(index[2]) === Number(index[1]) + 1) {
    const at = tree.span[0] - span[0];
    const whole = self.text.slice(...span);
    const one = `${source.slice(0, index.index)}[${index[1]}]`;
    return whole.slice(0, at) + one + whole.slice(at + source.length);
  }
  return tree === left
    ? `any(${source}, @ ${operator} ${self.source(right)})`
    : `any(${source}, ${self.source(left)} ${operator} @)`;
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
  const advice = comparisonAdvice(
    { tree: left, source: self.source(left), bits: leftBits },
    { tree: right, source: self.source(right), bits: rightBits },
  );
  if (ordered) self.problem({ span }, 'kinds-differ', `${what} have no order`, advice);
  else self.problem({ span }, 'kinds-differ', `${what} are never equal`, advice);
}
