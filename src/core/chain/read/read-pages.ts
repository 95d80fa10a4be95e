import { saysYes } from '../source/key-definition.ts';
import { Expression } from '../../language/expression.ts';
import { ANY, BIT, type Kind, LIST, NUMBER } from '../../language/kinds.ts';
import { childrenOf, speaksOfBody, type Tree, speaksOfStatus } from '../../language/tree.ts';
import type { ChainScope, ReadResponse } from '../fields/chain-scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import { pagesKeys, pollKeys } from '../keys/traffic-keys.ts';
import { insertionsOf, type Pages, type PlacedExpression, type Poll, type Typed } from '../model.ts';
import type { StaticScope } from '../../language/scope.ts';
import { optional } from '../optional.ts';
import { type MapNode, type SourceNode, valueOf } from '../source/source-file.ts';
import { rewritten } from '../source/changes.ts';
import { checkStructure } from '../source/structure.ts';

/** The names that a step with `pages` has besides those of its response. */
export const PAGES_NAMES: Readonly<Record<string, Kind>> = { gathered: LIST };

/** Reads `pages` of a call. */
export function readPages(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: ChainScope,
  response: ReadResponse,
): Pages | undefined {
  if (node?.type !== 'map') return undefined; // the form has been looked at
  const map = node;
  checkStructure(fields.findings, map, pagesKeys, 'pages');
  const ways = ['next', 'next-query', 'next-json'].filter((name) => valueOf(map, name));
  if (ways.length !== 1) {
    fields.findings.problem(
      node,
      ways.length === 0 ? 'missing-key' : 'wrong-form',
      ways.length === 0
        ? 'pages does not say how it comes to the next page'
        : `pages comes to the next page in one way, and here are ${ways.join(' and ')}`,
      "next: link('next'), next-query: { page: ${page + 1} }, or next-json",
    );
    return undefined;
  }
  const known = scope.lookup('page');
  if (known)
    fields.findings.problem(
      node,
      'name-twice',
      `page is the count of pages here, and the name page is already defined on line ${known.line}`,
      'another name there; nothing hides anything',
    );
  const inside = scope.after(response, { ...PAGES_NAMES, page: NUMBER });
  const one = (name: string): PlacedExpression | undefined => {
    const value = valueOf(map, name);
    // Of a map its form has been said.
    return value && value.type !== 'map' ? fields.expression(value, inside) : undefined;
  };
  const many = (name: string): Typed | undefined => {
    const value = valueOf(map, name);
    const typed = value && readWay(fields, value, inside);
    return typed && typed.type === 'object' ? typed : undefined;
  };
  const [next, nextQuery, nextJson] = [one('next'), many('next-query'), many('next-json')];
  if (next) cursorAsAddress(fields, valueOf(map, 'next')!, next);
  const items = one('items');
  if (items && (items.expression.kind.bits & BIT.list) === 0)
    fields.findings.problem(
      valueOf(map, 'items')!,
      'wrong-kind',
      'items is a list, and this can never be one',
      'the path of the list in the response: $.pieces',
    );
  const untilNode = valueOf(map, 'until');
  const trees = [
    next?.expression.tree,
    ...[nextQuery, nextJson].flatMap((one) =>
      one ? insertionsOf(one).map(({ expression }) => expression.tree) : [],
    ),
  ];
  return {
    ...optional('next', next),
    ...optional('nextQuery', nextQuery),
    ...optional('nextJson', nextJson),
    ...optional('items', items),
    ...optional('until', untilNode && fields.condition(untilNode, inside)),
    upTo: fields.amount(valueOf(map, 'up-to'), scope.outside(), 100),
    enough: saysYes(fields.literal(valueOf(map, 'enough'))),
    fromResponse: trees.some((tree) => tree && speaksOfResponse(tree)),
  };
}

/** A cursor is a parameter of the next request, and no address. */
function cursorAsAddress(
  { findings }: FieldReader,
  node: SourceNode,
  { expression }: PlacedExpression,
): void {
  if (node.type === 'scalar' && /^headers(?:\.link|\[(['"])link\1\])$/i.test(expression.text.trim())) {
    findings.warn(
      node,
      'cursor-as-address',
      `next is the address of the next page, and ${expression.text} is a header with the addresses of several`,
      findings.becomes(node, "link('next')"),
    );
    return;
  }
  const [, name] =
    /(?:^|[.'])(\w*(?:cursor|token|offset|after))(?:'\])?$/i.exec(expression.text.trim()) ?? [];
  if (name === undefined || node.type !== 'scalar') return;
  findings.warn(
    node,
    'cursor-as-address',
    `next is the address of the next page, and ${expression.text} seems to be a cursor`,
    `next-query: { ${name.replace(/^next_?/i, '') || 'cursor'}: "\${${expression.text}}" }`,
  );
}

/** The values that lead to the next page. What is the same for each page leads to the same one. */
function readWay(fields: FieldReader, node: SourceNode, scope: StaticScope): Typed | undefined {
  const { all } = fields.findings;
  const before = all.length;
  const typed = fields.typed(node, scope, true);
  if (typed && insertionsOf(typed).length === 0 && all.length === before) {
    const [only, ...others] = node.type === 'map' ? node.entries : [];
    const value =
      others.length === 0 && only?.value.type === 'scalar' && !only.value.quoted ? only.value : undefined;
    const [, sign = '$.', name] =
      /^(\$\.)?(\w*(?:cursor|token|next|after)\w*)$/i.exec(value?.text ?? '') ?? [];
    fields.findings.problem(
      node,
      'wrong-form',
      'nothing here changes from page to page, so the same page would be read again',
      {
        hint: '{ page: ${page + 1} }, or a cursor of the response: { cursor: ${$.next_cursor} }',
        change:
          name === undefined ? undefined : rewritten(fields.findings.file, value!, `\${${sign}${name}}`),
      },
    );
  }
  return typed;
}

/** Whether an expression takes something from the response: of its body, its fields, or by link(…). */
function speaksOfResponse(tree: Tree): boolean {
  return (
    speaksOfBody(tree) ||
    (tree.type === 'name' && tree.name === 'headers') ||
    (tree.type === 'call' && tree.name === 'link') ||
    childrenOf(tree).some(speaksOfResponse)
  );
}

/** Reads `poll` of a call. */
export function readPoll(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: ChainScope,
  response: ReadResponse,
): Poll | undefined {
  if (node?.type !== 'map') return undefined; // the form has been looked at
  const map = node;
  checkStructure(fields.findings, map, pollKeys, 'poll');
  const inside = scope.after(response);
  const condition = (name: string): PlacedExpression | undefined => {
    const value = valueOf(map, name);
    return value && fields.condition(value, inside);
  };
  const until = condition('until');
  const [going, giveUpWhen] = [condition('while'), condition('give-up-when')];
  const at = valueOf(map, 'at');
  const every = fields.pause(valueOf(map, 'every'), scope.outside(), { least: 1000, most: 10_000 });
  neverPauses(fields, map, every);
  const within = fields.bound(valueOf(map, 'within'), scope.outside(), 300_000);
  if (!until) return undefined;
  const all = [until, going, giveUpWhen].filter((one) => one !== undefined);
  return {
    until,
    ...optional('while', going),
    ...optional('giveUpWhen', giveUpWhen),
    every,
    within,
    ...optional('at', at && fields.expression(at, inside)),
    speaksOfStatus: all.some(({ expression }) => speaksOfStatus(expression.tree)),
    ...optional('state', stateOf(all)),
  };
}

/** Without a pause the service would be asked as fast as it answers. */
function neverPauses({ findings }: FieldReader, map: MapNode, { least }: Poll['every']): void {
  if (!('value' in least) || least.value.milliseconds >= 10) return;
  findings.problem(
    valueOf(map, 'every') ?? map,
    'wrong-form',
    'a poll that does not wait asks as fast as the service answers',
    'every: 1s..10s',
  );
}

/** What the conditions compare with a literal: the state of the job, in most cases. */
function stateOf(conditions: readonly PlacedExpression[]): PlacedExpression | undefined {
  for (const { expression, at } of conditions) {
    const side = comparedIn(expression.tree);
    if (side) return { expression: new Expression(expression.text, side, ANY, expression.secret), at };
  }
  return undefined;
}

function comparedIn(tree: Tree): Tree | undefined {
  if (tree.type !== 'binary') return undefined;
  if (tree.operator === '&&' || tree.operator === '||')
    return comparedIn(tree.left) ?? comparedIn(tree.right);
  const isPath = (side: Tree): boolean =>
    side.type === 'query' || (side.type === 'name' && side.name === 'status');
  return [tree.left, tree.right].find(isPath);
}
