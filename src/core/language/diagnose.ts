import { countOf } from '../count-of.ts';
import { ProblemError } from '../problems.ts';
import { compileFilter, compileTest, compileValue } from './compile.ts';
import { type Environment, WithNames } from './environment.ts';
import { functions } from './functions/index.ts';
import { nameList, nearest } from './nearest.ts';
import { segmentText } from './path-text.ts';
import { compileSingular, locate, type LocatedNode } from './paths.ts';
import { absenceIn, type Absence } from './strict-paths.ts';
import { brief, kindAndValue } from './show.ts';
import {
  type CallTree,
  childrenOf,
  givesNodes,
  isRelation,
  type OwnFunction,
  type QueryTree,
  type Tree,
} from './tree.ts';
import { isObject, type Maybe, type Value } from './values.ts';

/** What was found out about an expression after it failed. */
export interface Diagnosis {
  readonly message: string;
  readonly hint?: string;
}

/** Evaluates a part again; its own failure is none of this. */
export function evaluateAgain(tree: Tree, environment: Environment, item: Maybe): Maybe {
  try {
    return compileValue(tree)(environment, item);
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}

/**
 * Why an expression came out as nothing: which path found nothing, how far it got and what was there. Nothing where the
 * expression gives a value.
 */
export function whyNothing(
  tree: Tree,
  text: string,
  environment: Environment,
  item?: Maybe,
): Diagnosis | undefined {
  if (evaluateAgain(tree, environment, item) !== undefined) return undefined;
  const source = text.slice(...tree.span);
  switch (tree.type) {
    case 'response':
      return { message: '$ is nothing: the response has no body, or none that could be read' };
    case 'literal':
      return { message: 'the word nothing stands here' };
    case 'name':
      return {
        message: `${source} is nothing: nothing was kept under this name in this run`,
        hint: `${source} ?? other`,
      };
    case 'query':
      return givesNodes(tree)
        ? whyNoNodes(tree, text, environment, item)
        : whyNoNode(tree, text, environment, item);
    case 'call':
      return whyNoResult(tree, text, environment, item) ?? { message: `${source} gave nothing` };
    case 'unary':
      return whyNothing(tree.operand, text, environment, item);
    case 'binary':
    case 'default':
      return (
        whyNothing(tree.left, text, environment, item) ?? whyNothing(tree.right, text, environment, item)
      );
    case 'list':
      return firstReason(tree.items, text, environment, item);
    case 'object':
      return firstReason(childrenOf(tree), text, environment, item);
    default:
      return { message: `${source} is nothing` };
  }
}

function firstReason(
  trees: readonly Tree[],
  text: string,
  environment: Environment,
  item: Maybe,
): Diagnosis | undefined {
  for (const tree of trees) {
    const reason = whyNothing(tree, text, environment, item);
    if (reason) return reason;
  }
  return undefined;
}

function whyNoNode(tree: QueryTree, text: string, environment: Environment, item: Maybe): Diagnosis {
  const base = evaluateAgain(tree.base, environment, item);
  if (base === undefined)
    return (
      whyNothing(tree.base, text, environment, item) ?? {
        message: `${text.slice(...tree.base.span)} is nothing`,
      }
    );
  let value: Value = base;
  let path = text.slice(...tree.base.span);
  for (const segment of tree.segments) {
    const next = compileSingular([segment])(value);
    if (next === undefined) {
      return {
        message: `${text.slice(...tree.span)} found nothing: ${whatIsThere(path, value)}`,
        ...wayOut(path, value, segmentText(segment)),
      };
    }
    value = next;
    path += segmentText(segment);
  }
  return { message: `${text.slice(...tree.span)} found nothing` };
}

/** Why a path that may find several values found none: where it ended, and what was there. */
export function whyNoNodes(tree: QueryTree, text: string, environment: Environment, item?: Maybe): Diagnosis {
  const source = text.slice(...tree.span);
  const base = evaluateAgain(tree.base, environment, item);
  if (base === undefined)
    return whyNothing(tree.base, text, environment, item) ?? { message: `${source} found nothing` };
  const absence = absenceIn(tree.segments, compileFilter, environment, base);
  const start = text.slice(...tree.base.span);
  const before = tree.segments.slice(0, absence?.index ?? tree.segments.length);
  if (absence) {
    const shown = start + before.map(segmentText).join('');
    const [only] = absence.among as [Value];
    // Before the first segment that may find several there is one value, as in a path of names and indexes.
    if (!givesNodes({ ...tree, segments: before }))
      return {
        message: `${source} found nothing: ${whatIsThere(shown, only)}`,
        ...wayOut(shown, only, absence.what),
      };
    return {
      message: `${source} found nothing: ${whatNoneHas(absence, shown)}`,
      ...nearestIn(absence, shown),
    };
  }
  return whyEmpty(tree, source, start, { environment, base });
}

/** "none of the 12 items of $.pieces[*] has .price; they have prize, id" */
function whatNoneHas({ among, what }: Absence, shown: string): string {
  const names = membersOf(among);
  const items =
    among.length === 1 ? `the one item of ${shown}` : `none of the ${among.length} items of ${shown}`;
  const verb = among.length === 1 ? 'does not have' : 'has';
  const it = among.length === 1 ? 'it has' : 'they have';
  const there =
    names.length > 0
      ? `${it} ${nameList(names)}`
      : `${among.length === 1 ? 'it' : 'the first'} is ${kindAndValue(among[0])}`;
  return `${items} ${verb} ${what.replace(/^\.(?!\.)/, '')}; ${there}`;
}

function nearestIn({ among, what }: Absence, shown: string): { hint?: string } {
  const near = nearest(what.replace(/^[.['\]]+|['\]]+$/g, ''), membersOf(among));
  return near === undefined ? {} : { hint: `${shown}${segmentOf(near)}` };
}

/** The names of members of all values, of a long list those of its beginning. */
function membersOf(values: readonly Value[]): string[] {
  return [...new Set(values.slice(0, 1000).flatMap((value) => (isObject(value) ? Object.keys(value) : [])))];
}

/** Why a path is an empty list. */
function whyEmpty(
  tree: QueryTree,
  source: string,
  start: string,
  { environment, base }: { readonly environment: Environment; readonly base: Value },
): Diagnosis {
  let before = locate(environment, base, [], compileFilter);
  for (const [i, segment] of tree.segments.entries()) {
    const nodes = locate(environment, base, tree.segments.slice(0, i + 1), compileFilter);
    if (nodes.length > 0) {
      before = nodes;
      continue;
    }
    const [{ path, value }] = before as [LocatedNode, ...LocatedNode[]];
    const shown = start + path.map((key) => segmentOf(key)).join('');
    const filter = segment.selectors.find((selector) => selector.type === 'filter');
    if (filter && (Array.isArray(value) || isObject(value)))
      return {
        message: `${source} found nothing: ${whyNoneKept(filter.condition, shown, value, environment)}`,
      };
    return { message: `${source} found nothing: ${whatIsThere(shown, value)}` };
  }
  return { message: `${source} found nothing` };
}

/** How many items a filter looked at, and what it compared for the first. */
function whyNoneKept(condition: Tree, shown: string, value: Value, environment: Environment): string {
  const items = Array.isArray(value) ? value : Object.values(value as Record<string, Value>);
  const [first] = items;
  if (first === undefined) return whatIsThere(shown, value);
  const compared = sidesOf(condition, environment, first);
  const looked = items.length === 1 ? 'one item was looked at' : `${items.length} items were looked at`;
  return `no item of ${shown} matches the filter; ${looked}${compared === undefined ? '' : `; for the first: ${compared}`}`;
}

/** Both sides of the comparison that decided that an item was not kept: `'2026-11-17' == '2026-11-28'`. */
function sidesOf(tree: Tree, environment: Environment, item: Value): string | undefined {
  if (tree.type === 'binary' && (tree.operator === '&&' || tree.operator === '||')) {
    const keeps = (side: Tree): boolean => {
      try {
        return compileTest(side, true)(environment, item) === true;
      } catch {
        return false;
      }
    };
    const side = [tree.left, tree.right].find((one) => !keeps(one));
    return side && sidesOf(side, environment, item);
  }
  if (tree.type !== 'binary' || !isRelation(tree.operator)) return undefined;
  const side = (part: Tree): string => brief(insideFilter(part, environment, item), 60);
  return `${side(tree.left)} ${tree.operator} ${side(tree.right)}`;
}

function insideFilter(tree: Tree, environment: Environment, item: Value): Maybe {
  try {
    return compileValue(tree, true)(environment, item);
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}

function segmentOf(key: string | number): string {
  if (typeof key === 'number') return `[${key}]`;
  return /^[A-Za-z_]\w*$/.test(key) ? `.${key}` : `['${key}']`;
}

/** "`$.pieces[0]` has the members id, glaze, cone" */
function whatIsThere(path: string, value: Value): string {
  if (Array.isArray(value))
    return value.length === 0
      ? `${path} is an empty list`
      : `${path} is a list of ${countOf(value.length, 'item')}`;
  if (isObject(value)) {
    const names = Object.keys(value);
    return names.length === 0
      ? `${path} is an object without members`
      : `${path} has the members ${nameList(names)}`;
  }
  return `${path} is ${kindAndValue(value)}`;
}

function wayOut(path: string, value: Value, segment: string): { hint?: string } {
  if (/^\.(?:length|size|count)$/.test(segment) && (Array.isArray(value) || typeof value === 'string'))
    return { hint: `length(${path})` };
  if (Array.isArray(value) && segment.startsWith('.') && value.length > 0) {
    return { hint: `${path}[0]${segment} for the first, ${path}[*]${segment} for all` };
  }
  const near = isObject(value)
    ? nearest(segment.replace(/^[.['\]]+|['\]]+$/g, ''), Object.keys(value))
    : undefined;
  if (near !== undefined)
    return { hint: `${path}${/^[A-Za-z_]\w*$/.test(near) ? `.${near}` : `['${near}']`}` };
  if (typeof value === 'string' && /^\s*[{[]/.test(value))
    return { hint: `this text looks like JSON: parse(${path})${segment}` };
  const deeper = deeperPath(value, segment.replace(/^[.['\]]+|['\]]+$/g, ''));
  return deeper === undefined ? {} : { hint: path + deeper };
}

/** How many values are looked at for a member that lies deeper. */
const LOOKED_AT = 2000;

/** The way from a value to the nearest member of a name below it; of lists through their first items. */
function deeperPath(value: Value, name: string): string | undefined {
  const open: [Value, string][] = [[value, '']];
  for (let looked = 0; looked < LOOKED_AT && open.length > 0; looked++) {
    const [inner, path] = open.shift()!;
    if (Array.isArray(inner)) {
      if (inner.length > 0) open.push([inner[0]!, `${path}[0]`]);
    } else if (isObject(inner)) {
      if (Object.hasOwn(inner, name)) return path + segmentOf(name);
      for (const [key, member] of Object.entries(inner))
        if (typeof member === 'object') open.push([member, path + segmentOf(key)]);
    }
  }
  return undefined;
}

function whyNoResult(
  tree: Tree & { type: 'call' },
  text: string,
  environment: Environment,
  item: Maybe,
): Diagnosis | undefined {
  if (tree.own) return whyOwnIsNothing(tree, tree.own, environment, { text, item });
  const parameters = functions.get(tree.name)?.parameters ?? [];
  for (const [i, argument] of tree.arguments.entries()) {
    const passing = parameters[Math.min(i, parameters.length - 1)]?.passing;
    if (passing === 'each' || passing === 'test') {
      const list = evaluateAgain(tree.arguments[0]!, environment, item);
      for (const [k, element] of (Array.isArray(list) ? list : []).entries()) {
        const reason = whyNothing(argument, text, withItem(environment, tree, element), element);
        if (reason) return { ...reason, message: `item ${k}: ${reason.message}` };
      }
    } else if (passing !== 'nodes' && passing !== 'maybe') {
      const reason = whyNothing(argument, text, environment, item);
      if (reason) return reason;
    }
  }
  const first = tree.arguments[0] && evaluateAgain(tree.arguments[0], environment, item);
  if (!Array.isArray(first) || first.length > 0) return undefined;
  const [path] = tree.arguments as [Tree];
  return path.type === 'query' && givesNodes(path)
    ? whyNoNodes(path, text, environment, item)
    : { message: `${text.slice(...tree.span)} gave nothing: the list is empty` };
}

/** Where the item has a name, that is known where it is looked at. */
export function withItem(environment: Environment, { itemName }: CallTree, item: Value): Environment {
  return itemName === undefined ? environment : new WithNames(environment, new Map([[itemName, item]]));
}

/** Why a definition of the chain gave nothing: an argument, or what it makes of them. */
function whyOwnIsNothing(
  tree: CallTree,
  own: OwnFunction,
  environment: Environment,
  { text, item }: { readonly text: string; readonly item: Maybe },
): Diagnosis | undefined {
  const reason = firstReason(tree.arguments, text, environment, item);
  if (reason) return reason;
  const names = new Map(
    own.parameters.map((name, i) => [name, evaluateAgain(tree.arguments[i]!, environment, item)]),
  );
  const inside = whyNothing(own.tree, own.text, new WithNames(environment, names), undefined);
  return inside && { ...inside, message: `in ${own.name} (${own.place}): ${inside.message}` };
}
