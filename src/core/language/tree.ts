import { MARKUP_FUNCTIONS } from './markup.ts';
import type { Span } from '../problems.ts';
import type { Kind } from './kinds.ts';
import type { Maybe } from './values.ts';

interface Base {
  readonly span: Span;
  /** It stands in parentheses of its own, which RFC 9535 does not allow everywhere. */
  readonly parenthesised?: boolean;
}

/** A literal; the word `nothing` has the value undefined. */
export interface LiteralTree extends Base {
  readonly type: 'literal';
  readonly value: Maybe;
}

/** `$` */
export interface ResponseTree extends Base {
  readonly type: 'response';
}

/** `@` */
export interface ItemTree extends Base {
  readonly type: 'item';
}

export interface NameTree extends Base {
  readonly type: 'name';
  /** `steps.load` is one name too. */
  readonly name: string;
  /** It means what the chain calls so, not what the language gives by this name; set when its kind is inferred. */
  own?: boolean;
}

export interface QueryTree extends Base {
  readonly type: 'query';
  readonly base: Tree;
  readonly segments: readonly Segment[];
}

export interface CallTree extends Base {
  readonly type: 'call';
  readonly name: string;
  readonly arguments: readonly Tree[];
  /** What the item of the list is called in the other arguments: `map(order in orders, order.id)`. */
  readonly itemName?: string;
  /** The definition of the chain or project that it calls; set when its kind is inferred. */
  own?: OwnFunction;
}

/** A function that a chain or project defines: an expression with names for its arguments. */
export interface OwnFunction {
  readonly name: string;
  readonly parameters: readonly string[];
  readonly tree: Tree;
  /** The expression as written; spans of the tree are places in it. */
  readonly text: string;
  readonly kind: Kind;
  /** It uses a secret besides its arguments. */
  readonly secret: boolean;
  /** Where it is defined, for messages. */
  readonly place: string;
}

/** A class of statuses, such as 2xx; it stands only where a status is compared. */
export interface StatusClassTree extends Base {
  readonly type: 'status class';
  readonly digit: number;
}

export interface ListTree extends Base {
  readonly type: 'list';
  readonly items: readonly Tree[];
}

export interface ObjectTree extends Base {
  readonly type: 'object';
  /** Names are texts, or computed: `{ [name]: value }`. */
  readonly members: readonly (readonly [string | Tree, Tree])[];
}

export interface UnaryTree extends Base {
  readonly type: 'unary';
  readonly operator: '!' | '-';
  readonly operand: Tree;
}

export type Relation = '==' | '!=' | '<' | '<=' | '>' | '>=' | 'in';
export type Arithmetic = '+' | '-' | '*' | '/' | '%';

export interface BinaryTree extends Base {
  readonly type: 'binary';
  readonly operator: '||' | '&&' | Relation | Arithmetic;
  readonly left: Tree;
  readonly right: Tree;
}

/** `left ?? right` */
export interface DefaultTree extends Base {
  readonly type: 'default';
  readonly left: Tree;
  readonly right: Tree;
}

export type Tree =
  | LiteralTree
  | ResponseTree
  | ItemTree
  | NameTree
  | QueryTree
  | CallTree
  | ListTree
  | ObjectTree
  | UnaryTree
  | BinaryTree
  | DefaultTree
  | StatusClassTree;

/** A segment of a path (RFC 9535, section 2.5). */
export interface Segment {
  readonly descendant: boolean;
  readonly selectors: readonly Selector[];
  readonly span: Span;
}

/** A selector (RFC 9535, section 2.3). */
export type Selector =
  | { readonly type: 'name'; readonly name: string }
  | { readonly type: 'index'; readonly index: number }
  | { readonly type: 'wildcard' }
  | { readonly type: 'slice'; readonly start?: number; readonly end?: number; readonly step?: number }
  | { readonly type: 'filter'; readonly condition: Tree };

const RELATIONS: ReadonlySet<string> = new Set(['==', '!=', '<', '<=', '>', '>=', 'in']);

export function isRelation(operator: BinaryTree['operator']): operator is Relation {
  return RELATIONS.has(operator);
}

/** Whether the right side of a comparison is a class of statuses, or a list that has one: `status in [2xx, 404]`. */
export function comparesStatus({ operator, right }: BinaryTree): boolean {
  return (
    right.type === 'status class' ||
    (operator === 'in' && right.type === 'list' && right.items.some(({ type }) => type === 'status class'))
  );
}

/** A path that begins with `$` or `@`, as the standard has them. */
export function isStandardPath(tree: Tree): boolean {
  const base = tree.type === 'query' ? tree.base : tree;
  return base.type === 'response' || base.type === 'item';
}

/** Whether a tree is a path that may give several nodes: anything but names and indexes in its segments. */
export function givesNodes(tree: Tree): boolean {
  return (
    tree.type === 'query' &&
    (tree.segments.some(
      ({ descendant, selectors }) =>
        descendant ||
        selectors.length > 1 ||
        (selectors[0]!.type !== 'name' && selectors[0]!.type !== 'index'),
    ) ||
      givesNodes(tree.base))
  );
}

/** A path that begins with `@`. */
export function isItemPath(tree: Tree): tree is QueryTree {
  return tree.type === 'query' && tree.base.type === 'item';
}

/** The trees directly below a tree, filters of paths included. */
export function childrenOf(tree: Tree): readonly Tree[] {
  switch (tree.type) {
    case 'query':
      return [
        tree.base,
        ...tree.segments.flatMap(({ selectors }) =>
          selectors.flatMap((selector) => (selector.type === 'filter' ? [selector.condition] : [])),
        ),
      ];
    case 'call':
      return tree.arguments;
    case 'list':
      return tree.items;
    case 'object':
      return tree.members.flatMap(([name, value]) => (typeof name === 'string' ? [value] : [name, value]));
    case 'unary':
      return [tree.operand];
    case 'binary':
    case 'default':
      return [tree.left, tree.right];
    default:
      return [];
  }
}

/** Names that speak of a body; `response` may. */
const BODY_NAMES: ReadonlySet<string> = new Set(['body', 'text', 'response']);

/** Whether an expression speaks of the status of its response. */
export function speaksOfStatus(tree: Tree): boolean {
  if (tree.type === 'name') return tree.name === 'status';
  const first = tree.type === 'query' && tree.base.type === 'name' && tree.base.name === 'response';
  const [selector] = first ? tree.segments[0]!.selectors : [];
  return (selector?.type === 'name' && selector.name === 'status') || childrenOf(tree).some(speaksOfStatus);
}

/** Whether an expression speaks of the body of a response: `$`, body or text. */
export function speaksOfBody(tree: Tree): boolean {
  return (
    tree.type === 'response' ||
    (tree.type === 'name' && BODY_NAMES.has(tree.name)) ||
    childrenOf(tree).some(speaksOfBody)
  );
}

/** Whether a part calls a function that reads XML or HTML. */
export function readsMarkup(tree: Tree): boolean {
  return tree.type === 'call' && MARKUP_FUNCTIONS.has(tree.name);
}

/** All names that an expression uses, but those that it gives to items itself. */
export function namesIn(tree: Tree): Set<string> {
  const names = new Set<string>();
  const visit = (part: Tree, own: readonly string[]): void => {
    if (part.type === 'name' && !own.includes(part.name)) names.add(part.name);
    const [first, ...others] = childrenOf(part);
    if (!first) return;
    visit(first, own);
    const inner = part.type === 'call' && part.itemName !== undefined ? [...own, part.itemName] : own;
    for (const other of others) visit(other, inner);
  };
  visit(tree, []);
  return names;
}

/** `x ?? nothing`: the word says that the part may be left out. */
export function isDropping(tree: Tree): boolean {
  return tree.type === 'default' && tree.right.type === 'literal' && tree.right.value === undefined;
}

/** The step that a name means: `steps.load` and load are one. */
export function stepOf(name: string): string {
  return name.replace(/^steps\./, '');
}
