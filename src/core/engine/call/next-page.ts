import type { CallStep, Expressions } from '../../chain/model.ts';
import { childrenOf, type Tree } from '../../language/tree.ts';
import { isObject, memberOf } from '../../language/values.ts';
import type { RunContext } from '../scope/context.ts';
import type { CallResult } from '../wire/call-result.ts';

/** Members of a body by which many services lead to the next page. */
const MEMBERS = ['next', 'next_page', 'next_cursor', 'next_page_token', 'nextPageToken', 'nextCursor'];

/** Says where a response has a next page and the step takes this one for the whole list. */
export function warnNextPage(context: RunContext, step: CallStep, result: CallResult): void {
  const by = nextPageIn(result);
  if (by === undefined) return;
  const trees = [
    ...step.keep.flatMap(({ value }) => treesOf(value)),
    ...step.expect.map(({ condition }) => condition.expression.tree),
  ];
  if (trees.some(leadsOn) || !trees.some(takesList)) return;
  context.warn(
    step,
    'next-page',
    `the response to ${step.title} has a next page (${by}), but the step reads only this one; pages: reads them all`,
  );
}

function nextPageIn({ response, body: { value } }: CallResult): string | undefined {
  const link = response.headers.find(([name]) => name === 'link')?.[1];
  if (link !== undefined && /;\s*rel="?[^",;]*\bnext\b/i.test(link)) return 'header Link, rel="next"';
  if (!isObject(value)) return undefined;
  const member = MEMBERS.find((name) => {
    const next = memberOf(value, name);
    return typeof next === 'string' && next !== '';
  });
  return member && `the member ${member}`;
}

function treesOf(expressions: Expressions): Tree[] {
  if (expressions.type === 'expression') return [expressions.value.expression.tree];
  const parts =
    expressions.type === 'list' ? expressions.items : expressions.members.map(([, member]) => member);
  return parts.flatMap(treesOf);
}

/** The author knows of the next page: by link(…), or by one of the members. */
function leadsOn(tree: Tree): boolean {
  if (tree.type === 'call' && tree.name === 'link') return true;
  if (
    tree.type === 'query' &&
    tree.segments.some(({ selectors }) =>
      selectors.some((selector) => selector.type === 'name' && MEMBERS.includes(selector.name)),
    )
  )
    return true;
  return childrenOf(tree).some(leadsOn);
}

/** It looks at the response otherwise than at one place of a list: $.pieces[0] is the same on every way of paging. */
function takesList(tree: Tree): boolean {
  if (tree.type === 'response') return true;
  if (tree.type === 'query' && tree.base.type === 'response')
    return !tree.segments.some(({ selectors }) => selectors[0]?.type === 'index');
  return childrenOf(tree).some(takesList);
}
