import type { Problem } from '../problems.ts';
import { problemOf } from '../problems.ts';
import {
  arithmeticAdvice,
  comparisonAdvice,
  conditionAdvice,
  conversionAdvice,
  listAdvice,
} from './advice.ts';
import { arithmeticBits } from './arithmetic.ts';
import { formatDate, isZone } from './dates.ts';
import { DIGEST_ALGORITHMS } from './environment.ts';
import { type FunctionDefinition, type Parameter, signature } from './functions/define.ts';
import { functions } from './functions/index.ts';
import {
  ANY,
  BIT,
  isOnly,
  JSON_VALUE,
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
import { nameList, nearest } from './nearest.ts';
import { patternOf } from './pattern/pattern.ts';
import type { StaticScope } from './scope.ts';
import {
  type BinaryTree,
  type CallTree,
  givesNodes,
  isRelation,
  isStandardPath,
  type QueryTree,
  type Segment,
  type Selector,
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

interface Context {
  /** Inside `[?…]`, where the rules of the standard hold and nothing is an error. */
  readonly filter: boolean;
  readonly item: Kind | undefined;
  /** Nothing is looked at here, as on the left of `??`. */
  readonly tolerant: boolean;
}

class Inferrer {
  readonly problems: Problem[] = [];
  secret = false;
  readonly #text: string;
  readonly #scope: StaticScope;

  constructor(text: string, scope: StaticScope) {
    this.#text = text;
    this.#scope = scope;
  }

  outermost(tree: Tree, use: Use): Kind {
    const context: Context = { filter: false, item: use.item, tolerant: use.mayBeNothing ?? false };
    if (use.condition) {
      this.#condition(tree, context);
      return YES_NO;
    }
    if (
      tree.type === 'call' &&
      (tree.name === 'raw' || tree.name === 'hidden') &&
      tree.name === use.outermost
    ) {
      return this.#call(tree, context, true);
    }
    return this.#kind(tree, context);
  }

  #problem(tree: { span: Tree['span'] }, code: Problem['code'], message: string, instead?: string): void {
    this.problems.push({ code, message, span: tree.span, ...(instead === undefined ? {} : { instead }) });
  }

  #source(tree: Tree): string {
    return this.#text.slice(...tree.span);
  }

  // ---- conditions

  #condition(tree: Tree, context: Context): void {
    if (tree.type === 'binary' && (tree.operator === '&&' || tree.operator === '||')) {
      this.#condition(tree.left, context);
      this.#condition(tree.right, context);
      return;
    }
    if (tree.type === 'unary' && tree.operator === '!') return this.#condition(tree.operand, context);
    if (context.filter && isStandardPath(tree)) {
      this.#kind(tree, { ...context, tolerant: true });
      return;
    }
    if (context.filter && tree.type === 'literal') {
      this.#problem(tree, 'filter-not-standard', 'a literal is no condition', 'compare something: @.a == 1');
      return;
    }
    const kind = this.#kind(tree, context);
    if (givesNodes(tree)) {
      const source = this.#source(tree);
      this.#problem(
        tree,
        'not-yes-or-no',
        `${source} is a list, and a condition is true or false`,
        `exists(${source}), length(${source}) > 0, or any(list, condition)`,
      );
    } else if (!mayBe(kind, BIT['yes or no'] | BIT.nothing)) {
      const source = this.#source(tree);
      this.#problem(
        tree,
        'not-yes-or-no',
        `${source} is ${kindWords(kind.bits)}, and a condition is true or false`,
        conditionAdvice(source, kind),
      );
    }
  }

  // ---- kinds

  #kind(tree: Tree, context: Context): Kind {
    switch (tree.type) {
      case 'literal':
        return tree.value === undefined ? NOTHING : kindOfValue(tree.value);
      case 'answer':
        return this.#answer(tree);
      case 'item':
        if (!context.item) {
          this.#problem(
            tree,
            'no-item',
            '@ has no meaning here: it is the item inside [?…] or in the second argument of any, every, map, sort and their like',
            '$ is the answer of this step',
          );
          return ANY;
        }
        return context.item;
      case 'name':
        return this.#name(tree.name, tree, context);
      case 'query':
        return this.#query(tree, context);
      case 'call':
        return this.#call(tree, context, false);
      case 'list': {
        const kinds = tree.items.map((item) =>
          this.#valueKind(item, { ...context, tolerant: isDropping(item) }),
        );
        return kinds.length === 0 ? LIST : listOf(kinds.map(present).reduce(union));
      }
      case 'object':
        return objectKind(
          Object.fromEntries(
            tree.members.map(([name, value]) => [
              name,
              present(this.#valueKind(value, { ...context, tolerant: isDropping(value) })),
            ]),
          ),
        );
      case 'unary':
        return this.#unary(tree.operator, tree.operand, context);
      case 'default': {
        const left = this.#valueKind(tree.left, { ...context, tolerant: true });
        const right = this.#valueKind(tree.right, context);
        const kept = { ...left, bits: left.bits & ~(BIT.nothing | BIT.null) };
        return kept.bits === 0 ? right : union(kept, right);
      }
      case 'binary':
        return this.#binary(tree, context);
    }
  }

  /** The kind of a value: the nodes of a path are a list. */
  #valueKind(tree: Tree, context: Context): Kind {
    const kind = this.#kind(tree, context);
    return givesNodes(tree) ? listOf(kind) : kind;
  }

  #answer(tree: Tree): Kind {
    const { answer } = this.#scope;
    if ('missing' in answer) {
      this.#problem(tree, 'no-answer-here', answer.missing, answer.instead);
      return ANY;
    }
    return answer;
  }

  #name(name: string, tree: Tree, context: Context): Kind {
    const known = this.#scope.lookup(name);
    if (known) {
      if (known.secret) this.secret = true;
      if (known.mayBeNothing !== undefined) {
        if (!context.tolerant && !context.filter) {
          this.#problem(
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
    const reason = this.#scope.whyNot?.(name);
    if (reason) {
      this.#problem(tree, 'unknown-name', reason.message, reason.instead);
      return ANY;
    }
    const names = this.#scope.names();
    const near = nearest(name, names);
    const literal = {
      True: 'true',
      False: 'false',
      None: 'null',
      Null: 'null',
      NULL: 'null',
      undefined: 'nothing',
      nil: 'null',
    }[name];
    const instead =
      literal !== undefined
        ? `${literal} is written in lower case here`
            .replace(/^nothing is .*/, 'the word is nothing')
            .replace(/^null is .*/, 'null')
        : functions.has(name)
          ? `${name} is a function: ${signature(functions.get(name)!)}`
          : near !== undefined
            ? `the nearest name is ${near}`
            : names.length > 0
              ? `names here: ${nameList(names)}; a text stands in quotes: '${name}'`
              : `a text stands in quotes: '${name}'`;
    this.#problem(tree, 'unknown-name', `nothing defines the name ${name}`, instead);
    return ANY;
  }

  #unary(operator: '!' | '-', operand: Tree, context: Context): Kind {
    if (operator === '!') {
      this.#condition(operand, context);
      return YES_NO;
    }
    const kind = this.#single(operand, context);
    if (!mayBe(kind, BIT.number | BIT.duration | BIT.nothing)) {
      this.#problem(
        operand,
        'wrong-kind',
        `a minus stands before numbers and durations, and this is ${kindWords(kind.bits)}`,
      );
    }
    return { bits: kind.bits & (BIT.number | BIT.duration | BIT.nothing) };
  }

  /** The kind of an operand that must be one value. */
  #single(tree: Tree, context: Context): Kind {
    const kind = this.#kind(tree, context);
    if (givesNodes(tree)) {
      this.#problem(
        tree,
        'list-in-comparison',
        `${this.#source(tree)} may find several values, and one is wanted here`,
        listAdvice(this.#source(tree)),
      );
      return ANY;
    }
    return kind;
  }

  #binary(tree: BinaryTree, context: Context): Kind {
    const { operator, left, right } = tree;
    if (operator === '&&' || operator === '||') {
      this.#condition(left, context);
      this.#condition(right, context);
      return YES_NO;
    }
    if (isRelation(operator)) {
      this.#relation(tree, context);
      return YES_NO;
    }
    const a = this.#single(left, context);
    const b = this.#single(right, context);
    const bits = arithmeticBits(operator, a.bits, b.bits);
    if (bits === 0 && !mayBe(a, BIT.nothing) && !mayBe(b, BIT.nothing)) {
      this.#problem(
        tree,
        'wrong-kind',
        `${operator} has no meaning between ${kindWords(a.bits)} and ${kindWords(b.bits)}`,
        arithmeticAdvice(operator, this.#source(left), this.#source(right), a, b),
      );
      return ANY;
    }
    return { bits: bits === 0 ? BIT.number : bits };
  }

  #relation({ operator, left, right, span }: BinaryTree, context: Context): void {
    if (operator === 'in') {
      const item = this.#single(left, context);
      const list = this.#valueKind(right, context);
      if (!mayBe(list, BIT.list | BIT.nothing)) {
        const source = this.#source(right);
        const instead = mayBe(list, BIT.object)
          ? `${this.#source(left)} in keys(${source}) or values(${source})`
          : `contains(${source}, ${this.#source(left)}) for a part of a text`;
        this.#problem(
          right,
          'wrong-kind',
          `in looks through lists, and ${source} is ${kindWords(list.bits)}`,
          instead,
        );
      } else if (list.item && !context.filter) {
        this.#comparable('==', item, list.item, span, left, right);
      }
      return;
    }
    const isNothing = (tree: Tree): boolean => tree.type === 'literal' && tree.value === undefined;
    const presence = isNothing(left) || isNothing(right);
    if (presence && operator !== '==' && operator !== '!=') {
      this.#problem({ span }, 'wrong-kind', 'nothing has no order', 'x == nothing, or exists(x)');
      return;
    }
    const inner = presence ? { ...context, tolerant: true } : context;
    const oneOf = (tree: Tree, other: Tree): Kind =>
      other.type === 'list' ? this.#valueKind(tree, inner) : this.#comparison(tree, inner);
    const a = oneOf(left, right);
    const b = oneOf(right, left);
    if (context.filter) {
      this.#refuseLogical(left);
      this.#refuseLogical(right);
    } else if (!presence) {
      this.#comparable(operator, a, b, span, left, right);
    }
  }

  #comparison(tree: Tree, context: Context): Kind {
    const kind = this.#kind(tree, context);
    if (!givesNodes(tree)) return kind;
    const source = this.#source(tree);
    this.#problem(
      tree,
      'list-in-comparison',
      `${source} may find several values, and a comparison takes one`,
      listAdvice(source),
    );
    return ANY;
  }

  /** Inside a filter match(…) and search(…) are of the standard's LogicalType, which is not compared. */
  #refuseLogical(tree: Tree): void {
    if (tree.type === 'call' && (tree.name === 'match' || tree.name === 'search')) {
      this.#problem(
        tree,
        'filter-not-standard',
        `${tree.name}(…) is already true or false`,
        `${tree.name}(…) alone, or !${tree.name}(…)`,
      );
    }
  }

  #comparable(operator: string, a: Kind, b: Kind, span: Tree['span'], left: Tree, right: Tree): void {
    const [leftBits, rightBits] = [a.bits & ~BIT.nothing, b.bits & ~BIT.nothing];
    if (leftBits === 0 || rightBits === 0) return;
    const ordered = operator !== '==' && operator !== '!=';
    const common = leftBits & rightBits & (ordered ? BIT.number | BIT.text | BIT.time | BIT.duration : ~0);
    if (common !== 0) return;
    const what = `${kindWords(leftBits)} and ${kindWords(rightBits)}`;
    const advice = comparisonAdvice(this.#source(left), this.#source(right), leftBits, rightBits);
    if (ordered) this.#problem({ span }, 'kinds-differ', `${what} have no order`, advice);
    else this.#problem({ span }, 'kinds-differ', `${what} are never equal`, advice);
  }

  // ---- paths

  #query(tree: QueryTree, context: Context): Kind {
    let kind = givesNodes(tree.base)
      ? listOf(this.#kind(tree.base, context))
      : this.#kind(tree.base, context);
    const nothingBefore = kind.bits & BIT.nothing;
    let end = tree.base.span[1];
    for (const segment of tree.segments) {
      const before = this.#text.slice(tree.span[0], end);
      kind = this.#segment(kind, segment, before, context);
      end = segment.span[1];
    }
    return nothingBefore ? maybe(kind) : kind;
  }

  #segment(kind: Kind, segment: Segment, before: string, context: Context): Kind {
    const found = segment.selectors.map((selector) =>
      this.#selected(segment.descendant ? JSON_VALUE : kind, selector, before, segment, context),
    );
    return found.reduce(union);
  }

  #selected(kind: Kind, selector: Selector, before: string, segment: Segment, context: Context): Kind {
    const quiet = context.filter || segment.descendant;
    switch (selector.type) {
      case 'name': {
        if (kind.caseless) (selector as { name: string }).name = selector.name.toLowerCase();
        const member = kind.members?.get(selector.name);
        if (member) return mayBe(kind, BIT.nothing) ? maybe(member) : member;
        const onlyObject = isOnly(kind, BIT.object | BIT.nothing);
        if (kind.closed && onlyObject && !quiet) {
          const names = [...kind.members!.keys()];
          const near = nearest(selector.name, names);
          if (!context.tolerant) {
            this.#problem(
              segment,
              'unknown-member',
              `${before} has no member ${selector.name}`,
              near === undefined ? `it has ${nameList(names)}` : `the nearest is ${before}.${near}`,
            );
          }
          return ANY;
        }
        if (!mayBe(kind, BIT.object | BIT.nothing) && !quiet)
          this.#noMember(kind, selector.name, before, segment);
        return kind.caseless ? { bits: BIT.text } : JSON_VALUE;
      }
      case 'index':
        if (!mayBe(kind, BIT.list | BIT.nothing) && !quiet) {
          this.#problem(
            segment,
            'wrong-kind',
            `${before} is ${kindWords(kind.bits)}, which has no items`,
            mayBe(kind, BIT.text) ? `slice(${before}, 0, 1) for a part of a text` : undefined,
          );
        }
        return kind.item ?? JSON_VALUE;
      case 'filter': {
        const item = kind.item ?? (mayBe(kind, BIT.object) && kind.members ? JSON_VALUE : JSON_VALUE);
        this.#filterable(kind, before, segment, quiet);
        this.#condition(selector.condition, {
          filter: true,
          item: kind.item ? item : JSON_VALUE,
          tolerant: false,
        });
        return item;
      }
      default:
        this.#filterable(kind, before, segment, quiet);
        return kind.item ?? JSON_VALUE;
    }
  }

  #filterable(kind: Kind, before: string, segment: Segment, quiet: boolean): void {
    if (!quiet && !mayBe(kind, BIT.list | BIT.object | BIT.nothing)) {
      this.#problem(
        segment,
        'wrong-kind',
        `${before} is ${kindWords(kind.bits)}, which has no items or members`,
      );
    }
  }

  #noMember(kind: Kind, name: string, before: string, segment: Segment): void {
    const instead = isOnly(kind, BIT.list)
      ? `${before}[0].${name} for the first, ${before}[*].${name} for all`
      : undefined;
    this.#problem(
      segment,
      'wrong-kind',
      `${before} is ${kindWords(kind.bits)}, which has no members`,
      instead,
    );
  }

  // ---- functions

  #call(tree: CallTree, context: Context, outermost: boolean): Kind {
    const definition = functions.get(tree.name);
    if (!definition) {
      const near = nearest(tree.name, functions.keys());
      this.#problem(
        tree,
        'unknown-function',
        `there is no function ${tree.name}`,
        near === undefined
          ? 'batharon explain functions lists them'
          : `the nearest is ${signature(functions.get(near)!)}`,
      );
      return ANY;
    }
    if ((tree.name === 'raw' || tree.name === 'hidden') && !outermost) {
      const where =
        tree.name === 'raw'
          ? 'as the whole of an insertion into a URL: ${raw(x)}'
          : 'as the whole expression of a name under keep';
      this.#problem(tree, 'function-not-here', `${tree.name}(…) can't stand here`, `it stands ${where}`);
    }
    if (tree.name === 'link') this.#answer(tree);
    if (!this.#arity(tree, definition)) return definition.gives([]);
    const kinds: Kind[] = [];
    tree.arguments.forEach((argument, i) => {
      const parameter = definition.parameters[Math.min(i, definition.parameters.length - 1)]!;
      kinds.push(this.#argument(argument, parameter, definition, kinds[0], context));
    });
    return definition.gives(kinds);
  }

  #arity(tree: CallTree, definition: FunctionDefinition): boolean {
    const least = definition.parameters.filter((parameter) => !parameter.optional).length;
    const most = definition.parameters.some((parameter) => parameter.repeats)
      ? Infinity
      : definition.parameters.length;
    const given = tree.arguments.length;
    if (given >= least && given <= most) return true;
    const wanted =
      least === most ? String(least) : most === Infinity ? `${least} or more` : `${least} to ${most}`;
    this.#problem(
      tree,
      'wrong-arguments',
      `${tree.name} takes ${wanted} argument${wanted === '1' ? '' : 's'}, and here ${given === 1 ? 'is 1' : `are ${given}`}`,
      signature(definition),
    );
    return false;
  }

  #argument(
    tree: Tree,
    parameter: Parameter,
    definition: FunctionDefinition,
    first: Kind | undefined,
    context: Context,
  ): Kind {
    switch (parameter.passing) {
      case 'nodes':
        return this.#nodesArgument(tree, definition, context);
      case 'condition':
        this.#condition(tree, { ...context, filter: false });
        return YES_NO;
      case 'test':
        this.#condition(tree, { filter: false, item: first?.item ?? JSON_VALUE, tolerant: false });
        return YES_NO;
      case 'each':
        return this.#valueKind(tree, { filter: false, item: first?.item ?? JSON_VALUE, tolerant: false });
      case 'later':
        return this.#valueKind(tree, context);
      default:
    }
    if (givesNodes(tree) && context.filter && definition.family === 'standard') {
      this.#problem(
        tree,
        'list-in-comparison',
        `${this.#source(tree)} may find several values, and ${definition.name} takes one`,
        `count(${this.#source(tree)}) says how many`,
      );
    }
    const kind = this.#valueKind(tree, {
      ...context,
      tolerant: context.tolerant || parameter.passing === 'maybe',
    });
    if (!mayBe(kind, parameter.bits | BIT.nothing) && !context.filter) {
      this.#problem(
        tree,
        'wrong-kind',
        `${definition.name} takes ${kindWords(parameter.bits)} as its ${parameter.name}, and ${this.#source(tree)} is ${kindWords(kind.bits)}`,
        conversionAdvice(this.#source(tree), parameter.bits, kind.bits),
      );
    }
    this.#literal(tree, parameter);
    return kind;
  }

  #nodesArgument(tree: Tree, definition: FunctionDefinition, context: Context): Kind {
    const isPath =
      tree.type === 'query' || tree.type === 'answer' || tree.type === 'item' || tree.type === 'name';
    if (!isPath) {
      this.#problem(
        tree,
        'wrong-kind',
        `${definition.name} takes a path`,
        definition.name === 'count' ? `length(${this.#source(tree)}) measures a value` : undefined,
      );
    } else if (definition.name === 'count' && !context.filter && !givesNodes(tree)) {
      this.#problem(
        tree,
        'wrong-kind',
        `${this.#source(tree)} is one value, and count counts the nodes of a path that may find several`,
        `length(${this.#source(tree)}), or count(${this.#source(tree)}[*])`,
      );
    }
    return this.#kind(tree, { ...context, tolerant: true });
  }

  /** Looks at a literal that has a notation of its own: a pattern, a zone… */
  #literal(tree: Tree, { literal, name }: Parameter): void {
    if (literal === undefined || tree.type !== 'literal' || typeof tree.value !== 'string') return;
    const value = tree.value;
    if (literal === 'pattern') {
      this.#tried(tree, () => patternOf(value));
    } else if (literal === 'date-pattern') {
      this.#tried(tree, () => formatDate(0, value, 'UTC'));
    } else if (literal === 'zone') {
      if (!isZone(value))
        this.#problem(
          tree,
          'unknown-zone',
          `there is no time zone '${value}'`,
          "a name of the IANA list, such as 'Europe/Lisbon', or 'UTC'",
        );
    } else {
      const allowed: readonly string[] = literal === 'digest' ? DIGEST_ALGORITHMS : literal.oneOf;
      if (!allowed.includes(value)) {
        const near = nearest(value, allowed) ?? allowed.map((known) => `'${known}'`).join(', ');
        this.#problem(
          tree,
          literal === 'digest' ? 'unknown-algorithm' : 'wrong-kind',
          `there is no ${name} '${value}'`,
          near,
        );
      }
    }
  }

  #tried(tree: Tree, attempt: () => unknown): void {
    try {
      attempt();
    } catch (error) {
      const { code, message, instead } = problemOf(error);
      this.#problem(tree, code, message, instead);
    }
  }
}

/** `x ?? nothing`: the word says that the part may be left out. */
export function isDropping(tree: Tree): boolean {
  return tree.type === 'default' && tree.right.type === 'literal' && tree.right.value === undefined;
}
