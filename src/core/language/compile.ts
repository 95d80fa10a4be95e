import { brief } from './show.ts';
import { fail, ProblemError } from '../problems.ts';
import type { Environment } from './environment.ts';
import { reviewFilter } from './filter-warnings.ts';
import type { FunctionParameter } from './functions/define.ts';
import { functions } from './functions/index.ts';
import {
  isDropping,
  type BinaryTree,
  type CallTree,
  comparesStatus,
  givesNodes,
  isItemPath,
  isRelation,
  isStandardPath,
  type ObjectTree,
  type QueryTree,
  type Relation,
  type Tree,
} from './tree.ts';
import { BIT, kindWords, withArticle } from './kinds.ts';
import { boundList, visit } from './limits.ts';
import { negate } from './numbers.ts';
import { pathText } from './path-text.ts';
import { compileNodes, compileSingular, type Filter, locate, type MakeFilter } from './paths.ts';
import { compileStrictNodes } from './strict-paths.ts';
import { Duration, isNumeric, kindOf, type Maybe, objectOf, type Value } from './values.ts';
import { located, type Evaluate, type Test } from './compiled.ts';
import {
  compileIn,
  compileStandardRelation,
  compileStatus,
  compileStrictRelation,
} from './compile-relations.ts';
import { resultOf } from './calculate.ts';
import { compileOwn } from './own-functions.ts';
import { forEachItem } from './for-each-item.ts';
import { memberName } from './member-name.ts';

/** Compiles an expression for one value; the nodes of a path become a list. */
export function compileValue(tree: Tree, filter = false): Evaluate {
  switch (tree.type) {
    case 'literal': {
      const { value } = tree;
      return () => value;
    }
    case 'response':
      return (environment) => environment.response;
    case 'item':
      return (_, item) => item;
    case 'name': {
      const { name, own } = tree;
      return own ? (environment) => environment.own?.(name) : (environment) => environment.name(name);
    }
    case 'query':
      return givesNodes(tree)
        ? filter
          ? compileNodeList(tree, filter)
          : compileStrictList(tree)
        : compileOneValue(tree, filter);
    case 'call':
      return compileCall(tree, filter);
    case 'list':
      return compileList(tree.items, filter);
    case 'object':
      return compileObject(tree.members, filter);
    case 'unary':
      return tree.operator === '!' ? compileTest(tree, filter) : compileMinus(tree.operand, tree, filter);
    case 'default': {
      const left = compileValue(tree.left, filter);
      const right = compileValue(tree.right, filter);
      return (environment, item) => {
        const value = left(environment, item);
        return value === undefined || value === null ? right(environment, item) : value;
      };
    }
    case 'binary':
      return tree.operator === '&&' || tree.operator === '||' || isRelation(tree.operator)
        ? compileTest(tree, filter)
        : compileArithmetic(tree, filter);
    case 'status class':
      return () => undefined; // a comparison looks at it itself
  }
}

function compileOneValue(tree: QueryTree, filter: boolean): Evaluate {
  const path = compileSingular(tree.segments);
  if (tree.base.type === 'item') return (_, item) => path(item);
  if (tree.base.type === 'response') return (environment) => path(environment.response);
  const base = compileValue(tree.base, filter);
  return (environment, item) => path(base(environment, item));
}

/** What a path outside filters finds, as a list; undefined if part of it is not there. */
function compileStrictList(tree: QueryTree): Evaluate {
  const base = compileValue(tree.base);
  const find = compileStrictNodes(tree.segments, compileFilter, pathText(tree));
  return (environment, item) => find(environment, base(environment, item));
}

/** The nodes of a path as RFC 9535 has them, or one value, as a list. */
export function compileNodeList(
  tree: Tree,
  filter: boolean,
): (environment: Environment, item: Maybe) => Value[] {
  if (tree.type !== 'query' || !givesNodes(tree)) {
    const one = compileValue(tree, filter);
    return (environment, item) => {
      const value = one(environment, item);
      return value === undefined ? [] : [value];
    };
  }
  const base = compileValue(tree.base, filter);
  const walk = compileNodes(tree.segments, filter ? compileInnerFilter : compileFilter);
  return (environment, item) => {
    const found: Value[] = [];
    const value = base(environment, item);
    if (value !== undefined) walk(environment, value, found);
    return found;
  };
}

/** Compiles a filter selector of a path that stands outside any other filter. */
export const compileFilter: MakeFilter = (selector) => {
  const keeps = compileKeeping(selector.condition);
  return { keeps, review: (environment, items) => reviewFilter(environment, selector, items, keeps) };
};

/** One of a path inside a filter. Its lists are parts of items, so it is not told of a list where it found nothing. */
const compileInnerFilter: MakeFilter = (selector) => ({ keeps: compileKeeping(selector.condition) });

function compileKeeping(condition: Tree): Filter['keeps'] {
  const test = compileTest(condition, true);
  return (environment, item) => test(environment, item) === true;
}

function compileList(trees: readonly Tree[], filter: boolean): Evaluate {
  const items = trees.map((tree) => ({ value: compileValue(tree, filter), dropping: isDropping(tree) }));
  return (environment, current) => {
    const list: Value[] = [];
    for (const { value, dropping } of items) {
      const item = value(environment, current);
      if (item !== undefined) list.push(item);
      else if (!dropping) return undefined;
    }
    return list;
  };
}

function compileObject(trees: ObjectTree['members'], filter: boolean): Evaluate {
  const members = trees.map(([name, tree]) => ({
    name: typeof name === 'string' ? () => name : memberName(name, compileValue(name, filter)),
    value: compileValue(tree, filter),
    dropping: isDropping(tree),
  }));
  return (environment, current) => {
    const found: [string, Value][] = [];
    for (const { name, value, dropping } of members) {
      const member = value(environment, current);
      const called = name(environment, current);
      if (member !== undefined && called !== undefined) found.push([called, member]);
      else if (!dropping || called === undefined) return undefined;
    }
    return objectOf(found);
  };
}

// ---- arithmetic

function compileMinus(operand: Tree, tree: Tree, filter: boolean): Evaluate {
  const value = compileValue(operand, filter);
  return (environment, item) => {
    const number = value(environment, item);
    if (number === undefined) return undefined;
    if (number instanceof Duration) return new Duration(-number.milliseconds);
    if (isNumeric(number)) return negate(number);
    if (filter) return undefined;
    return fail(
      'wrong-kind',
      `a minus stands before numbers and durations, but this is ${withArticle(kindOf(number))}`,
      { span: tree.span },
    );
  };
}

function compileArithmetic(tree: BinaryTree, filter: boolean): Evaluate {
  const left = compileValue(tree.left, filter);
  const right = compileValue(tree.right, filter);
  return (environment, item) => {
    const a = left(environment, item);
    const b = right(environment, item);
    if (a === undefined || b === undefined) return undefined;
    return located(tree, () => resultOf(environment, tree.operator, { a, b, filter }));
  };
}

// ---- conditions

/** Compiles an expression that decides something. */
export function compileTest(tree: Tree, filter = false): Test {
  if (tree.type === 'binary') {
    if (tree.operator === '&&' || tree.operator === '||')
      return compileJunction(tree.operator, tree.left, tree.right, filter);
    if (isRelation(tree.operator)) return compileRelation(tree.operator, tree, filter);
  }
  if (tree.type === 'unary' && tree.operator === '!') {
    const inner = compileTest(tree.operand, filter);
    return (environment, item) => {
      const value = inner(environment, item);
      return value === undefined ? (filter ? true : undefined) : !value;
    };
  }
  if (filter && isStandardPath(tree)) return compileExistence(tree);
  const value = compileValue(tree, filter);
  return (environment, item) => {
    const result = value(environment, item);
    if (typeof result === 'boolean' || result === undefined) return result;
    return fail('not-yes-or-no', `a condition is true or false, but this is ${withArticle(kindOf(result))}`, {
      span: tree.span,
      hint:
        typeof result === 'string'
          ? `compare it: x == ${brief(result, 40)}`
          : 'compare it: x == true, x != null, exists(x)',
    });
  };
}

function compileExistence(tree: Tree): Test {
  if (givesNodes(tree)) {
    const nodes = compileNodeList(tree, true);
    return (environment, item) => nodes(environment, item).length > 0;
  }
  const value = compileValue(tree, true);
  return (environment, item) => value(environment, item) !== undefined;
}

/** One side may decide although the other is nothing. */
function compileJunction(operator: '&&' | '||', leftTree: Tree, rightTree: Tree, filter: boolean): Test {
  const left = compileTest(leftTree, filter);
  const right = compileTest(rightTree, filter);
  const decides = operator === '||';
  return (environment, item) => {
    const a = left(environment, item);
    if (a === decides) return decides;
    const b = right(environment, item);
    if (b === decides) return decides;
    return a === undefined || b === undefined ? undefined : !decides;
  };
}

function compileRelation(operator: Relation, tree: BinaryTree, filter: boolean): Test {
  const left = compileValue(tree.left, filter);
  const right = compileValue(tree.right, filter);
  if (comparesStatus(tree)) return compileStatus(tree, left, filter, compileValue);
  if (operator === 'in') return compileIn(left, right, tree, filter);
  const isNothing = (side: Tree): boolean => side.type === 'literal' && side.value === undefined;
  if (isNothing(tree.left) || isNothing(tree.right)) {
    const other = isNothing(tree.right) ? left : right;
    const wanted = operator === '==';
    return (environment, item) => (other(environment, item) === undefined) === wanted;
  }
  return filter
    ? compileStandardRelation(operator, left, right, tree.right)
    : compileStrictRelation(operator, left, right, tree);
}

// ---- functions

type Pass = (environment: Environment, item: Maybe) => unknown;

/** The argument was nothing, so the function is not called. */
const MISSING = Symbol('missing');

function compileCall(tree: CallTree, filter: boolean): Evaluate {
  if (tree.own) return compileOwn(tree, tree.own, filter, compileValue);
  const definition = functions.get(tree.name);
  if (!definition) return fail('unknown-function', `there is no function ${tree.name}`, { span: tree.span });
  const passes = tree.arguments.map((argument, i) =>
    compileArgument(
      argument,
      definition.parameters[Math.min(i, definition.parameters.length - 1)]!,
      tree,
      filter,
    ),
  );
  const [first, second] = passes;
  const run = (environment: Environment, args: readonly unknown[]): Maybe => {
    try {
      const result = definition.evaluate(environment, args);
      if (result !== undefined) environment.derived?.(args, result);
      return result;
    } catch (error) {
      if (filter && error instanceof ProblemError && QUIET_IN_FILTER.has(error.problem.code))
        return undefined;
      return located(tree, () => {
        throw error;
      });
    }
  };
  if (passes.length === 1) {
    return (environment, item) => {
      const value = first!(environment, item);
      return value === MISSING ? undefined : run(environment, [value]);
    };
  }
  if (passes.length === 2) {
    return (environment, item) => {
      const a = first!(environment, item);
      const b = second!(environment, item);
      return a === MISSING || b === MISSING ? undefined : run(environment, [a, b]);
    };
  }
  return (environment, item) => {
    const args = passes.map((pass) => pass(environment, item));
    return args.includes(MISSING) ? undefined : run(environment, args);
  };
}

/** Inside a filter a value of another kind is a node like any other that does not match. */
const QUIET_IN_FILTER: ReadonlySet<string> = new Set([
  'wrong-kind',
  'not-a-number',
  'not-a-time',
  'kinds-differ',
  'pattern-invalid',
]);

function compileArgument(
  tree: Tree,
  parameter: FunctionParameter,
  { name, itemName }: CallTree,
  filter: boolean,
): Pass {
  if (parameter.passing === 'name or path' && isItemPath(tree))
    return (environment) => (value: Value) =>
      locate(environment, value, tree.segments, compileFilter).map(({ path }) => path);
  switch (parameter.passing) {
    case 'nodes':
      return compileNodeList(tree, filter);
    case 'condition':
      return compileTest(tree, filter);
    case 'later': {
      const value = compileValue(tree, filter);
      return (environment, item) => () => value(environment, item);
    }
    case 'each': {
      return forEachItem(compileValue(tree), itemName);
    }
    case 'test': {
      return forEachItem(compileTest(tree), itemName);
    }
    case 'maybe':
      return compileValue(tree, filter);
    case 'name or path':
    case 'value': {
      const value = compileValue(tree, filter);
      return (environment, item) => {
        const argument = value(environment, item);
        if (argument === undefined) return MISSING;
        const kind = kindOf(argument);
        if ((parameter.bits & BIT[kind]) === 0) {
          if (filter) return MISSING;
          fail(
            'wrong-kind',
            `${name} takes ${kindWords(parameter.bits)} as its ${parameter.name}, but this is ${withArticle(kind)}`,
            { span: tree.span },
          );
        }
        if (Array.isArray(argument)) {
          boundList(argument.length);
          visit(environment, argument.length);
        }
        return argument;
      };
    }
  }
}
