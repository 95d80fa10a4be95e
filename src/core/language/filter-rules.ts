import { fail } from '../problems.ts';
import { type CallTree, givesNodes, isRelation, isStandardPath, type Tree } from './tree.ts';
import { Duration } from './values.ts';

const STANDARD_FUNCTIONS: ReadonlySet<string> = new Set(['length', 'count', 'match', 'search', 'value']);

/**
 * Holds a filter that uses only what RFC 9535 has to the types of its section 2.4.3, so that it is accepted exactly where
 * the standard accepts it. A filter with anything of ours in it (a name, arithmetic, another function) is left to the
 * inference of kinds. Throws `filter-not-standard` or `list-in-comparison` with a span.
 */
export function checkStandardFilter(condition: Tree): void {
  if (isStandard(condition)) logical(condition);
}

function isStandard(tree: Tree): boolean {
  switch (tree.type) {
    case 'literal':
      return tree.value !== undefined && !(tree.value instanceof Duration);
    case 'response':
    case 'item':
      return true;
    case 'query':
      return isStandardPath(tree); // filters inside it have been looked at when they were read
    case 'call':
      // A mode is ours: search(@.name, 'ash', 'i').
      return (
        STANDARD_FUNCTIONS.has(tree.name) &&
        tree.arguments.every(isStandard) &&
        !(tree.arguments.length > 2 && tree.arguments[2]!.type === 'literal')
      );
    case 'unary':
      return isStandard(tree.operand);
    case 'binary':
      return (
        (tree.operator === '&&' ||
          tree.operator === '||' ||
          (isRelation(tree.operator) && tree.operator !== 'in')) &&
        isStandard(tree.left) &&
        isStandard(tree.right)
      );
    default:
      return false;
  }
}

function refuse(tree: Tree, message: string, hint: string): never {
  fail('filter-not-standard', message, { span: tree.span, hint });
}

/** LogicalType: what may stand where true or false decides. */
function logical(tree: Tree): void {
  switch (tree.type) {
    case 'literal':
      return refuse(tree, 'a literal is no condition', 'compare something: @.a == 1');
    case 'call':
      callArguments(tree);
      if (tree.name !== 'match' && tree.name !== 'search') {
        refuse(
          tree,
          `${tree.name}(…) gives a value, and a filter wants true or false`,
          `compare it: ${tree.name}(…) == 1`,
        );
      }
      return;
    case 'unary':
      if (tree.operator === '-') refuse(tree, 'a number is no condition', 'compare something: @.a == -1');
      if (tree.operand.type === 'unary' && !tree.operand.parenthesised) {
        refuse(tree, '"!" stands before a path, a function or brackets', 'leave out both, or write !(!@.a)');
      }
      return logical(tree.operand);
    case 'binary':
      if (tree.operator === '&&' || tree.operator === '||') {
        logical(tree.left);
        logical(tree.right);
      } else {
        comparable(tree.left);
        comparable(tree.right);
      }
      return;
    default:
      return; // a path tests whether something is there
  }
}

/** ValueType: what may be compared, or given to a function that measures a value. */
function comparable(tree: Tree): void {
  if (tree.parenthesised && tree.type !== 'binary') {
    refuse(tree, 'brackets around one side of a comparison', 'leave them out');
  }
  if (givesNodes(tree)) {
    fail('list-in-comparison', 'this path may select several values, but a comparison takes one', {
      span: tree.span,
      hint: 'count(…) compares how many; a path of names and indexes selects one value',
    });
  }
  switch (tree.type) {
    case 'call':
      callArguments(tree);
      if (tree.name === 'match' || tree.name === 'search') {
        refuse(
          tree,
          `${tree.name}(…) is already true or false`,
          `${tree.name}(…) alone, or !${tree.name}(…)`,
        );
      }
      return;
    case 'unary':
      return refuse(
        tree,
        tree.operator === '-' ? 'a minus that is not part of a number' : 'a condition inside a comparison',
        tree.operator === '-' ? 'write -1 without a blank' : 'write !(a == b)',
      );
    case 'binary':
      return refuse(tree, 'a condition inside a comparison', 'join conditions with && and ||');
    default:
  }
}

function callArguments(tree: CallTree): void {
  if ((tree.name === 'match' || tree.name === 'search') && tree.arguments.length > 2)
    refuse(
      tree.arguments[2]!,
      `${tree.name}(…) takes a text and a pattern`,
      "'i' as a third: case does not count",
    );
  for (const argument of tree.arguments) {
    if (tree.name === 'count' || tree.name === 'value') {
      if (!isStandardPath(argument)) {
        refuse(argument, `${tree.name}(…) takes a path`, `${tree.name}(@.*), or length(…) for one value`);
      }
    } else {
      comparable(argument);
    }
  }
}
