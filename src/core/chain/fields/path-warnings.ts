import { BIT, isOnly } from '../../language/kinds.ts';
import type { StaticScope } from '../../language/scope.ts';
import { childrenOf, type QueryTree, type Segment, type Tree } from '../../language/tree.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/**
 * Says of an index directly behind a filter or a slice that it looks into each item that was found: whoever writes
 * `items[?@.open][0]` mostly means the first of them. `text` is that of the expression, `shift` where it begins in the node.
 */
export function indexBehindFilter(findings: Findings, node: ScalarNode, text: string, tree: Tree): void {
  childrenOf(tree).forEach((child) => indexBehindFilter(findings, node, text, child));
  if (tree.type !== 'query') return;
  const at = tree.segments.findIndex(
    (one, i) => isIndex(one) && i > 0 && givesSeveral(tree.segments[i - 1]!),
  );
  const segment = tree.segments[at];
  if (!segment) return;
  findings.warn(
    node.offset(segment.span[0]),
    'index-in-each-item',
    `${text.slice(...segment.span)} follows ${text.slice(...tree.segments[at - 1]!.span)}, so it applies to each selected item`,
    better(text, tree, at),
  );
}

/**
 * Says of `.length` behind a path that it is a member like others: whoever compares it mostly means how long
 * something is. `['length']` says that the member is meant.
 */
function lengthAsMember(findings: Findings, node: ScalarNode, scope: StaticScope, tree: Tree): void {
  for (const child of childrenOf(tree)) lengthAsMember(findings, node, scope, child);
  if (tree.type !== 'binary' || tree.operator === 'in') return;
  for (const side of [tree.left, tree.right]) {
    const source = node.text.slice(...side.span);
    const path = /^((?:\$|[A-Za-z_]\w*).*)\.length$/s.exec(source)?.[1];
    if (side.type !== 'query' || path === undefined || isOfObject(side, scope)) continue;
    findings.warn(
      node.offset(side.span[0]),
      'length-as-member',
      `${source} is a member called length; length(${path}) says how long it is`,
      findings.partBecomes(
        node,
        [...side.span],
        `length(${path})`,
        `${path}['length'] if the member is meant`,
      ),
    );
  }
}

/** Whether `.length` follows the name of an object, or of an item, which mostly is one: a film has a length. */
function isOfObject({ base, segments }: QueryTree, scope: StaticScope): boolean {
  const known = base.type === 'name' ? scope.lookup(base.name) : undefined;
  return (
    known !== undefined && segments.length === 1 && (known.item === true || isOnly(known.kind, BIT.object))
  );
}

/** Says of a quoted path, such as `upper('$.title')`, that it is only a text. A pattern or a text that is searched for may be one. */
function pathInQuotes(findings: Findings, node: ScalarNode, text: string, tree: Tree): void {
  for (const child of childrenOf(tree)) pathInQuotes(findings, node, text, child);
  if (tree.type !== 'literal' || typeof tree.value !== 'string') return;
  if (!/^\$(?:\.[A-Za-z_]\w*|\[\d+\])+$/.test(tree.value)) return;
  findings.warn(
    node.offset(tree.span[0]),
    'path-in-quotes',
    `in quotes this is the text ${tree.value}, not what the path finds`,
    findings.partBecomes(node, [...tree.span], tree.value),
  );
}

/** Says of a condition on the items of a list that it speaks of none of them. */
function itemNotUsed(findings: Findings, node: ScalarNode, text: string, tree: Tree): void {
  for (const child of childrenOf(tree)) itemNotUsed(findings, node, text, child);
  if (tree.type !== 'call' || (tree.name !== 'any' && tree.name !== 'every')) return;
  const [list, condition] = tree.arguments;
  if (!list || !condition || speaksOf(condition, tree.itemName)) return;
  const source = text.slice(...condition.span);
  const item = tree.itemName ?? '@';
  const meant = source.replace(/\$(?=[.[])/g, item);
  findings.warn(
    node.offset(condition.span[0]),
    'item-not-used',
    `${source} says nothing of an item of ${text.slice(...list.span)}, which is ${item}`,
    meant === source ? undefined : findings.partBecomes(node, [...condition.span], meant),
  );
}

function speaksOf(tree: Tree, itemName: string | undefined): boolean {
  if (tree.type === 'item') return true;
  if (itemName !== undefined && tree.type === 'name' && tree.name === itemName) return true;
  return childrenOf(tree).some((child) => speaksOf(child, itemName));
}

function better(text: string, { span, segments }: QueryTree, at: number): string {
  const found = text.slice(span[0], segments[at]!.span[0]);
  const rest = text.slice(segments[at]!.span[1], span[1]);
  const [selector] = segments[at]!.selectors;
  const index = selector?.type === 'index' ? selector.index : 0;
  if (index === 0) return `first(${found})${rest}`;
  if (index === -1) return `last(${found})${rest}`;
  return `slice(${found}, ${index}, ${index + 1})`;
}

function isIndex({ descendant, selectors }: Segment): boolean {
  return !descendant && selectors.length === 1 && selectors[0]!.type === 'index';
}

function givesSeveral({ selectors }: Segment): boolean {
  return selectors.some(({ type }) => type === 'filter' || type === 'slice');
}

/** What is probably not meant, in a whole expression. */
export function pathWarnings(findings: Findings, node: ScalarNode, scope: StaticScope, tree: Tree): void {
  indexBehindFilter(findings, node, node.text, tree);
  lengthAsMember(findings, node, scope, tree);
  pathInQuotes(findings, node, node.text, tree);
  itemNotUsed(findings, node, node.text, tree);
}
