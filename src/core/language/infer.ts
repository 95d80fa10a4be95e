import type { Problem } from '../problems.ts';
import { arithmeticAdvice, conditionAdvice } from './advice.ts';
import { arithmeticBits } from './arithmetic.ts';
import {
  ANY,
  BIT,
  type Kind,
  kindOfValue,
  kindWords,
  LIST,
  listOf,
  maybe,
  mayBe,
  NOTHING,
  objectKind,
  present,
  union,
  YES_NO,
} from './kinds.ts';
import { inferCall } from './infer-calls.ts';
import { inferQuery } from './infer-paths.ts';
import { inferRelation, singleKind } from './infer-relations.ts';
import type { InferContext, Inferring, Remedy } from './inferring.ts';
import { wayOfUnknown } from './unknown-name.ts';
import { compareNumbers } from './numbers.ts';
import { isNumeric, type Maybe } from './values.ts';
import type { StaticScope } from './scope.ts';
import {
  type BinaryTree,
  givesNodes,
  isDropping,
  isRelation,
  isStandardPath,
  type NameTree,
  type QueryTree,
  type ObjectTree,
  stepOf,
  type Tree,
} from './tree.ts';

/** What is known of an expression before it runs. */
export interface Inference {
  readonly kind: Kind;
  readonly problems: readonly Problem[];
  /** It uses a secret. */
  readonly secret: boolean;
}

/** Where an expression stands, as far as that changes what it may be. */
export interface Use {
  /** It decides something: true or false is wanted. */
  readonly condition?: boolean;
  /** The function that may stand outermost here only. */
  readonly outermost?: 'raw' | 'hidden';
  /** What `@` is, where the expression is tried on items. */
  readonly item?: Kind;
  /** What is wrong is only said, not put right: there is too much of it already. */
  readonly asWritten?: boolean;
  /** Nothing is a result like any other here. */
  readonly mayBeNothing?: boolean;
}

/**
 * Finds the kind of an expression and all that is wrong with it. Selectors of HTTP fields are brought to lower case in
 * the tree itself, since their case does not count (RFC 9110, section 5.1).
 */
export function infer(tree: Tree, text: string, scope: StaticScope, use: Use = {}): Inference {
  const inferrer = new Inferrer(text, scope);
  const kind = inferrer.outermost(tree, use);
  return { kind, problems: inferrer.problems, secret: inferrer.secret };
}

class Inferrer implements Inferring {
  readonly problems: Problem[] = [];
  secret = false;
  readonly text: string;
  readonly scope: StaticScope;

  constructor(text: string, scope: StaticScope) {
    this.text = text;
    this.scope = scope;
  }

  outermost(tree: Tree, use: Use): Kind {
    const context: InferContext = { filter: false, item: use.item, tolerant: use.mayBeNothing ?? false };
    if (use.condition) {
      this.condition(tree, context);
      return YES_NO;
    }
    if (
      tree.type === 'call' &&
      (tree.name === 'raw' || tree.name === 'hidden') &&
      tree.name === use.outermost
    ) {
      return inferCall(this, tree, context, true);
    }
    return this.kind(tree, context);
  }

  problem({ span }: { span: Tree['span'] }, code: Problem['code'], message: string, way?: Remedy): void {
    const { hint, name, replace } =
      typeof way === 'object' ? way : { hint: way, name: undefined, replace: undefined };
    const replacement = typeof replace === 'string' ? { span, text: replace } : replace;
    this.problems.push({
      code,
      message,
      span,
      ...(hint === undefined ? {} : { hint }),
      ...(replacement ? { replace: replacement } : {}),
      ...(name === undefined ? {} : { name }),
    });
  }

  source(tree: Tree): string {
    return this.text.slice(...tree.span);
  }

  // ---- conditions

  condition(tree: Tree, context: InferContext): void {
    if (tree.type === 'binary' && (tree.operator === '&&' || tree.operator === '||')) {
      this.condition(tree.left, context);
      this.condition(tree.right, context);
      return;
    }
    if (tree.type === 'unary' && tree.operator === '!') return this.condition(tree.operand, context);
    if (context.filter && isStandardPath(tree)) {
      this.kind(tree, { ...context, tolerant: true });
      return;
    }
    if (context.filter && tree.type === 'literal') {
      this.problem(tree, 'filter-not-standard', 'a literal is no condition', 'compare something: @.a == 1');
      return;
    }
    const kind = this.kind(tree, context);
    if (givesNodes(tree)) {
      const source = this.source(tree);
      this.problem(tree, 'not-yes-or-no', `${source} is a list, but a condition must be true or false`, {
        hint: `exists(${source}), length(${source}) > 0, or any(list, condition)`,
        replace: `exists(${source})`,
      });
    } else if (!mayBe(kind, BIT['yes or no'] | BIT.nothing)) {
      const source = this.source(tree);
      this.problem(
        tree,
        'not-yes-or-no',
        `${source} is ${kindWords(kind.bits)}, but a condition must be true or false`,
        conditionAdvice(source, kind, tree),
      );
    }
  }

  // ---- kinds

  kind(tree: Tree, context: InferContext): Kind {
    switch (tree.type) {
      case 'literal':
        return tree.value === undefined ? NOTHING : kindOfValue(tree.value);
      case 'response':
        return this.response(tree);
      case 'item':
        if (!context.item) {
          this.problem(
            tree,
            'no-item',
            '@ has no meaning here: it is the item inside [?…] or in the second argument of any, every, map, sort and similar functions',
            { hint: '$ is the response of this step', replace: '$' },
          );
          return ANY;
        }
        return context.item;
      case 'name':
        return this.#name(tree, context);
      case 'query':
        if (this.scope.secretPaths?.has(this.text.slice(...tree.span))) this.secret = true;
        if (tree.base.type === 'response' && this.#isNameOfOurs(tree)) return ANY;
        return inferQuery(this, tree, context);
      case 'call':
        return inferCall(this, tree, context, false);
      case 'list': {
        const kinds = tree.items.map((item) =>
          this.valueKind(item, { ...context, tolerant: isDropping(item), isItem: item.type === 'name' }),
        );
        return kinds.length === 0 ? LIST : listOf(kinds.map(present).reduce(union));
      }
      case 'object':
        return this.#object(tree, context);
      case 'status class':
        this.problem(
          tree,
          'wrong-kind',
          `${tree.digit}xx is a class of statuses, and stands only where a status is compared`,
          {
            hint: `status == ${tree.digit}xx, or status in [${tree.digit}xx, 404]`,
            replace: `status == ${tree.digit}xx`,
          },
        );
        return ANY;
      case 'unary':
        return this.#unary(tree.operator, tree.operand, context);
      case 'default': {
        const left = this.valueKind(tree.left, { ...context, tolerant: true });
        const right = this.valueKind(tree.right, context);
        const kept = { ...left, bits: left.bits & ~(BIT.nothing | BIT.null) };
        return kept.bits === 0 ? right : union(kept, right);
      }
      case 'binary':
        return this.#binary(tree, context);
    }
  }

  /** Says of `$.orders` where there is no response, and the name orders is known, that it is that name. */
  #isNameOfOurs({ base, segments }: QueryTree): boolean {
    const { response } = this.scope;
    const [first] = segments;
    const [member] = first?.selectors ?? [];
    if (!('missing' in response) || member?.type !== 'name') return false;
    const known = this.scope.lookup(member.name);
    if (!known || known.given) return false;
    this.problem({ ...base, span: [base.span[0], first!.span[1]] }, 'no-response-here', response.missing, {
      hint: `${member.name} is a name of its own`,
      replace: member.name,
    });
    return true;
  }

  #object({ members }: ObjectTree, context: InferContext): Kind {
    const kinds = members.map(([name, value]) => {
      if (typeof name !== 'string') this.#computedName(name, context);
      return [name, present(this.valueKind(value, { ...context, tolerant: isDropping(value) }))] as const;
    });
    const known = kinds.filter((one): one is readonly [string, Kind] => typeof one[0] === 'string');
    return objectKind(Object.fromEntries(known), known.length === kinds.length ? { closed: true } : {});
  }

  #computedName(tree: Tree, context: InferContext): void {
    const kind = singleKind(this, tree, context);
    if (mayBe(kind, BIT.text | BIT.number | BIT.nothing)) return;
    this.problem(
      tree,
      'wrong-kind',
      `the name of a member is a text or a number, but ${this.source(tree)} is ${kindWords(kind.bits)}`,
    );
  }

  /** The kind of a value: the nodes of a path are a list. */
  valueKind(tree: Tree, context: InferContext): Kind {
    const kind = this.kind(tree, context);
    return givesNodes(tree) ? listOf(kind) : kind;
  }

  response(tree: Tree): Kind {
    const { response } = this.scope;
    if ('missing' in response) {
      this.problem(tree, 'no-response-here', response.missing, wayOf(response));
      return ANY;
    }
    return response;
  }

  #name(tree: NameTree, context: InferContext): Kind {
    const { name } = tree;
    const item = context.names?.get(name);
    if (item) return item;
    const known = this.scope.lookup(name);
    if (known) {
      if (known.secret) this.secret = true;
      if (known.own) tree.own = true;
      if (known.mayBeNothing !== undefined) {
        if (!context.tolerant && !context.filter) {
          this.problem(
            tree,
            'may-be-nothing',
            `${name} may be nothing here: ${known.mayBeNothing}`,
            `${name} ?? other, or when: exists(${name}) on the step`,
          );
        }
        return maybe(known.kind);
      }
      return known.kind;
    }
    const reason = this.scope.whyNot?.(name);
    if (reason) {
      this.problem(tree, 'unknown-name', reason.message, { ...wayOf(reason), name: stepOf(name) });
      return ANY;
    }
    const way = wayOfUnknown(name, this.scope, context);
    this.problem(tree, 'unknown-name', `nothing defines the name ${name}`, {
      ...(typeof way === 'object' ? way : { hint: way }),
      name: stepOf(name),
    });
    return ANY;
  }

  #unary(operator: '!' | '-', operand: Tree, context: InferContext): Kind {
    if (operator === '!') {
      this.condition(operand, context);
      return YES_NO;
    }
    const kind = singleKind(this, operand, context);
    if (!mayBe(kind, BIT.number | BIT.duration | BIT.nothing)) {
      this.problem(
        operand,
        'wrong-kind',
        `a minus stands before numbers and durations, but this is ${kindWords(kind.bits)}`,
      );
    }
    return { bits: kind.bits & (BIT.number | BIT.duration | BIT.nothing) };
  }

  #binary(tree: BinaryTree, context: InferContext): Kind {
    const { operator, left, right } = tree;
    if (operator === '&&' || operator === '||') {
      this.condition(left, context);
      this.condition(right, context);
      return YES_NO;
    }
    if (isRelation(operator)) {
      inferRelation(this, tree, context);
      return YES_NO;
    }
    const a = singleKind(this, left, context);
    const b = singleKind(this, right, context);
    if ((operator === '/' || operator === '%') && right.type === 'literal' && isZero(right.value))
      this.problem(tree, 'division-by-zero', 'division by zero');
    const bits = arithmeticBits(operator, a.bits, b.bits);
    if (bits === 0 && !mayBe(a, BIT.nothing) && !mayBe(b, BIT.nothing)) {
      this.problem(
        tree,
        'wrong-kind',
        `${operator} has no meaning between ${kindWords(a.bits)} and ${kindWords(b.bits)}`,
        arithmeticAdvice(tree, this.source(left), this.source(right), { a, b }),
      );
      return ANY;
    }
    return { bits: bits === 0 ? BIT.number : bits };
  }
}

/** What a scope says of what is not there, and what stands in its place. */
function wayOf({ hint, replace }: { readonly hint?: string; readonly replace?: string }): {
  readonly hint?: string | undefined;
  readonly replace?: string | undefined;
} {
  return { hint, replace };
}

function isZero(value: Maybe): boolean {
  return isNumeric(value) && compareNumbers(value, 0) === 0;
}
