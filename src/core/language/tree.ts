import type { Span } from '../problems.ts';
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
  readonly name: string;
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
}

export interface ListTree extends Base {
  readonly type: 'list';
  readonly items: readonly Tree[];
}

export interface ObjectTree extends Base {
  readonly type: 'object';
  readonly members: readonly (readonly [string, Tree])[];
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
  | DefaultTree;

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
      return tree.members.map(([, value]) => value);
    case 'unary':
      return [tree.operand];
    case 'binary':
    case 'default':
      return [tree.left, tree.right];
    default:
      return [];
  }
}

/** Whether an expression speaks of the body of a response: `$`, body or text. */
export function speaksOfBody(tree: Tree): boolean {
  return (
    tree.type === 'response' ||
    (tree.type === 'name' && (tree.name === 'body' || tree.name === 'text')) ||
    childrenOf(tree).some(speaksOfBody)
  );
}

/** All names that an expression uses. */
export function namesIn(tree: Tree): Set<string> {
  const names = new Set<string>();
  const visit = (part: Tree): void => {
    if (part.type === 'name') names.add(part.name);
    childrenOf(part).forEach(visit);
  };
  visit(tree);
  return names;
}

/** `x ?? nothing`: the word says that the part may be left out. */
export function isDropping(tree: Tree): boolean {
  return tree.type === 'default' && tree.right.type === 'literal' && tree.right.value === undefined;
}
