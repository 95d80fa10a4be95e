import { fail, ProblemError, type Span } from '../problems.ts';
import { checkStandardFilter } from './filter-rules.ts';
import { functions } from './functions/index.ts';
import { readDuration, readToken, type Token } from './lexer.ts';
import { numberOf } from './numbers.ts';
import { isReservedWord } from './reserved-words.ts';
import { type BinaryTree, isRelation, type Segment, type Selector, type Tree } from './tree.ts';
import { Duration } from './values.ts';

/** How long an expression may be, in characters. */
export const MAXIMUM_LENGTH = 10_000;
/** How many levels of brackets an expression may have. */
export const MAXIMUM_LEVELS = 100;

/** How many operators an expression has at most: `a + b + c` nests as deep as it is long. */
const MAXIMUM_OPERATORS = 500;

/** Reads a whole text as one expression. Throws `bad-syntax` and its kin with a span. */
export function parseExpression(text: string): Tree {
  const parser = new Parser(text, 0);
  const tree = parser.expression();
  parser.expectEnd();
  return tree;
}

/** Reads an expression that begins at `from` and is closed by `}`; returns the tree and the offset behind the `}`. */
export function parseInsertion(text: string, from: number): { tree: Tree; end: number } {
  const parser = new Parser(text, from);
  const tree = parser.expression();
  return { tree, end: parser.closeInsertion() };
}

/**
 * Where the expression that begins at `from` ends, whatever follows it; undefined if none begins there. It tells what a
 * person wrote from what YAML made of it.
 */
export function expressionEnd(text: string, from: number): number | undefined {
  try {
    return new Parser(text, from).expression().span[1];
  } catch (error) {
    if (error instanceof ProblemError) return undefined;
    throw error;
  }
}

/** Reads a query of RFC 9535, which has no blanks before or after it. */
export function parseQuery(text: string): Tree {
  if (text.trim() !== text)
    fail('bad-syntax', 'a query has no blanks before or after it', { span: [0, text.length] });
  const tree = parseExpression(text);
  if (tree.type !== 'response' && !(tree.type === 'query' && tree.base.type === 'response')) {
    fail('bad-syntax', 'a query begins with $', { span: [0, text.length] });
  }
  return tree;
}

/** Functions whose further arguments are evaluated for each item of the first. */
const FOR_EACH_ITEM: ReadonlySet<string> = new Set(
  [...functions.values()].flatMap(({ name, parameters }) =>
    parameters.some(({ passing }) => passing === 'each' || passing === 'test') ? [name] : [],
  ),
);

/** `map(order in orders, …)`: the item has a name, by which it is known also where an inner `@` is another. */
function named(
  name: string,
  values: readonly Tree[],
): { readonly arguments: readonly Tree[]; readonly itemName?: string } {
  const [first, ...others] = values;
  if (
    !FOR_EACH_ITEM.has(name) ||
    first?.type !== 'binary' ||
    first.operator !== 'in' ||
    first.parenthesised ||
    first.left.type !== 'name'
  )
    return { arguments: values };
  return { itemName: first.left.name, arguments: [first.right, ...others] };
}

class Parser {
  readonly #text: string;
  readonly #limit: number;
  #token: Token;
  #next: Token | undefined;
  #previousEnd: number;
  #levels = 0;
  #operators = 0;
  #unreadable: ProblemError | undefined;

  constructor(text: string, from: number) {
    this.#text = text;
    this.#limit = from + MAXIMUM_LENGTH;
    this.#previousEnd = from;
    this.#token = this.#read(from);
  }

  // ---- tokens

  #advance(): Token {
    const token = this.#token;
    if (token.end > this.#limit) {
      fail('too-long', `the expression has more than ${MAXIMUM_LENGTH.toLocaleString('en')} characters`, {
        span: [token.start, token.end],
      });
    }
    this.#previousEnd = token.end;
    this.#token = this.#next ?? this.#read(token.end);
    this.#next = undefined;
    return token;
  }

  /** What can't be read may stand behind the expression, so it is an error only when it is looked at. */
  #read(from: number): Token {
    try {
      return readToken(this.#text, from);
    } catch (error) {
      if (!(error instanceof ProblemError) || !error.problem.span) throw error;
      this.#unreadable = error;
      const [start, end] = error.problem.span;
      return { type: 'end', text: '', start, end, blank: start > from };
    }
  }

  #peek(): Token {
    this.#next ??= this.#read(this.#token.end);
    return this.#next;
  }

  #is(text: string): boolean {
    return this.#token.type === 'punctuation' && this.#token.text === text;
  }

  #isWord(word: string): boolean {
    return this.#token.type === 'name' && this.#token.text === word;
  }

  #take(text: string): boolean {
    if (!this.#is(text)) return false;
    this.#advance();
    return true;
  }

  #expect(text: string, why: string): Token {
    if (!this.#is(text)) this.#unexpected(`"${text}" was expected ${why}`);
    return this.#advance();
  }

  #span(start: number): Span {
    return [start, this.#previousEnd];
  }

  #unexpected(expected: string, hint?: string): never {
    if (this.#unreadable && this.#token.type === 'end') throw this.#unreadable;
    const { type, text, start, end } = this.#token;
    const found = type === 'end' ? 'the end' : type === 'string' ? 'a text in quotes' : `"${text}"`;
    fail('bad-syntax', `${expected}, but here is ${found}`, {
      span: type === 'end' ? [Math.max(0, start - 1), start] : [start, end],
      ...(hint === undefined ? {} : { hint }),
    });
  }

  #inner<T>(read: () => T): T {
    if (++this.#levels > MAXIMUM_LEVELS) {
      fail('too-deep', `the expression is nested more than ${MAXIMUM_LEVELS} levels deep`, {
        span: [this.#token.start, this.#token.end],
      });
    }
    const result = read();
    this.#levels--;
    return result;
  }

  expectEnd(): void {
    if (this.#token.type !== 'end' || this.#unreadable) this.#strayAfterOperand();
  }

  closeInsertion(): number {
    if (this.#token.type === 'end') this.#unexpected('"}" was expected to close ${');
    if (!this.#is('}')) this.#strayAfterOperand();
    return this.#token.end;
  }

  #strayAfterOperand(): never {
    const { type, text, start, end } = this.#token;
    if (type === 'name') {
      const operator = {
        and: '&&',
        or: '||',
        is: '==',
        eq: '==',
        equals: '==',
        ne: '!=',
        mod: '%',
        div: '/',
      }[text];
      if (operator !== undefined) {
        fail('bad-syntax', `"${text}" is no operator`, { span: [start, end], hint: `write ${operator}` });
      }
      if (text === 'not')
        fail('bad-syntax', '"not" is no operator', { span: [start, end], hint: 'write !(a in b), or !=' });
      if (text === 'contains') {
        fail('bad-syntax', '"contains" is a function', {
          span: [start, end],
          hint: 'write contains(text, part)',
        });
      }
    }
    this.#unexpected('an operator or the end was expected');
  }

  // ---- operators, loosest first

  expression(): Tree {
    return this.#inner(() => this.#or());
  }

  #count(): void {
    if (++this.#operators <= MAXIMUM_OPERATORS) return;
    fail('too-deep', `the expression has more than ${MAXIMUM_OPERATORS} operators`, {
      span: [this.#token.start, this.#token.end],
      hint: 'names under keep for parts of it; sum(list), any(list, …) and every(list, …) for long ones',
    });
  }

  #binary(operator: BinaryTree['operator'], left: Tree, right: Tree): Tree {
    this.#count();
    return { type: 'binary', operator, left, right, span: [left.span[0], right.span[1]] };
  }

  #or(): Tree {
    let left = this.#and();
    while (this.#take('||')) left = this.#binary('||', left, this.#and());
    return left;
  }

  #and(): Tree {
    let left = this.#compare();
    while (this.#take('&&')) left = this.#binary('&&', left, this.#compare());
    return left;
  }

  #relation(): boolean {
    return (
      this.#isWord('in') ||
      (this.#token.type === 'punctuation' && isRelation(this.#token.text as BinaryTree['operator']))
    );
  }

  #compare(): Tree {
    const left = this.#sum();
    if (!this.#relation()) return left;
    const operator = this.#token;
    if (left.type === 'unary' && left.operator === '!' && !left.parenthesised) {
      fail('bad-syntax', `"!" applies to what directly follows it, not to the comparison`, {
        span: [left.span[0], operator.end],
        hint: '!(a == b), or a != b',
      });
    }
    this.#advance();
    const right = this.#sum();
    if (right.type === 'unary' && right.operator === '!' && !right.parenthesised) {
      fail('bad-syntax', `"!" can't stand inside a comparison`, {
        span: right.span,
        hint: 'a != b, or a == (!b)',
      });
    }
    if (this.#relation()) {
      fail('bad-syntax', 'comparisons do not chain', {
        span: [this.#token.start, this.#token.end],
        hint: 'a < b && b < c',
      });
    }
    return this.#binary(operator.text as BinaryTree['operator'], left, right);
  }

  #sum(): Tree {
    let left = this.#product();
    for (;;) {
      if (this.#take('+')) {
        left = this.#binary('+', left, this.#product());
      } else if (this.#is('-')) {
        const minus = this.#token;
        if (!minus.blank || !this.#peek().blank) this.#gluedMinus(left, minus);
        this.#advance();
        left = this.#binary('-', left, this.#product());
      } else {
        return left;
      }
    }
  }

  /** `$.content-type` and `2024-12-10` are rarely meant as differences. */
  #gluedMinus(left: Tree, minus: Token): never {
    const behind = /^[A-Za-z0-9_-]*/.exec(this.#text.slice(minus.end))![0];
    let hint = 'a - b, with blanks on both sides, subtracts';
    const last = left.type === 'query' ? left.segments.at(-1) : undefined;
    const selector = last?.selectors[0];
    if (selector?.type === 'name' && last?.selectors.length === 1) {
      hint = `for a member whose name has a hyphen write ['${selector.name}-${behind}']; ${hint}`;
    } else if (left.type === 'literal') {
      const whole = this.#text.slice(left.span[0], minus.end + behind.length);
      hint = `for a text write '${whole}'${/^\d{4}-\d\d-\d\d$/.test(whole) ? `, for a date time('${whole}')` : ''}; ${hint}`;
    }
    fail('bad-syntax', 'a "-" without blanks around it', {
      span: [left.span[0], minus.end + behind.length],
      hint,
    });
  }

  #product(): Tree {
    let left = this.#unary();
    while (this.#is('*') || this.#is('/') || this.#is('%')) {
      const operator = this.#advance().text as BinaryTree['operator'];
      left = this.#binary(operator, left, this.#unary());
    }
    return left;
  }

  #unary(): Tree {
    const { start } = this.#token;
    if (this.#is('!') || this.#is('-')) {
      const operator = this.#advance().text as '!' | '-';
      const glued = !this.#token.blank;
      const literal = this.#token.type === 'number' || this.#token.type === 'duration';
      const operand = this.#inner(() => this.#unary());
      const span = this.#span(start);
      // "-1" is a literal (RFC 9535, section 2.3.5.1); "- 1" is a minus before one.
      if (operator === '-' && glued && literal && operand.type === 'literal') {
        const value =
          operand.value instanceof Duration
            ? new Duration(-operand.value.milliseconds)
            : numberOf(this.#text.slice(start, operand.span[1]));
        return { type: 'literal', value, span };
      }
      return { type: 'unary', operator, operand, span };
    }
    return this.#default();
  }

  #default(): Tree {
    let left = this.#operand();
    while (this.#take('??')) {
      this.#count();
      const right = this.#is('-') ? this.#unary() : this.#operand();
      left = { type: 'default', left, right, span: [left.span[0], right.span[1]] };
    }
    return left;
  }

  // ---- operands

  #operand(): Tree {
    const literal = this.#literal();
    if (literal) return literal;
    const base = this.#primary();
    const segments: Segment[] = [];
    for (let segment = this.#segment(); segment; segment = this.#segment()) segments.push(segment);
    if (segments.length === 0) return base;
    return { type: 'query', base, segments, span: this.#span(base.span[0]) };
  }

  #literal(): Tree | undefined {
    const { type, text, start, end } = this.#token;
    const give = (value: Tree & { type: 'literal' }): Tree => {
      this.#advance();
      return value;
    };
    const span: Span = [start, end];
    if (type === 'duration') return give({ type: 'literal', value: new Duration(readDuration(text)!), span });
    if (type === 'number') return give({ type: 'literal', value: numberOf(text), span });
    if (type === 'string') return give({ type: 'literal', value: text, span });
    if (type === 'status class') {
      this.#advance();
      return { type: 'status class', digit: Number(text[0]), span };
    }
    if (type !== 'name') return undefined;
    switch (text) {
      case 'true':
      case 'false':
        return give({ type: 'literal', value: text === 'true', span });
      case 'null':
        return give({ type: 'literal', value: null, span });
      case 'nothing':
        return give({ type: 'literal', value: undefined, span });
      default:
        return undefined;
    }
  }

  #primary(): Tree {
    const { type, text, start } = this.#token;
    if (type === 'name') return this.#nameOrCall();
    if (type === 'punctuation') {
      switch (text) {
        case '$':
          if (this.#peek().text === '{' && !this.#peek().blank) {
            this.#unexpected(
              'a value was expected',
              'this field is an expression already: leave out ${ and }',
            );
          }
          this.#advance();
          return { type: 'response', span: this.#span(start) };
        case '@':
          this.#advance();
          return { type: 'item', span: this.#span(start) };
        case '(': {
          this.#advance();
          const tree = this.expression();
          this.#expect(')', 'to close "("');
          return { ...tree, parenthesised: true, span: this.#span(start) };
        }
        case '[':
          return this.#list();
        case '{':
          if (this.#peek().text === '{' && !this.#peek().blank) {
            this.#unexpected(
              'a value was expected',
              'double braces mean nothing here; a name stands bare, and ${name} inserts it into a text',
            );
          }
          return this.#object();
        case '.':
          this.#unexpected(
            'a value was expected',
            'a number has a digit before its point (0.5), a path something to begin with ($.a)',
          );
          break;
        case '+':
          this.#unexpected('a value was expected', 'a number has no leading plus');
      }
    }
    return this.#unexpected('a value was expected');
  }

  #nameOrCall(): Tree {
    const { text, start } = this.#token;
    const next = this.#peek();
    if (isReservedWord(text)) {
      const hint = { and: 'and is written a && b', or: 'or is written a || b', not: 'not is written !a' }[
        text
      ];
      this.#unexpected('a value was expected', hint);
    }
    this.#advance();
    if (!(next.type === 'punctuation' && next.text === '(')) return this.#name(text, start);
    if (next.blank) {
      fail('bad-syntax', 'no blank may stand between the name of a function and its "("', {
        span: [start, next.end],
        hint: `${text}(…)`,
      });
    }
    this.#advance();
    const values = this.#items(')', () => this.expression());
    return { type: 'call', name: text, ...named(text, values), span: this.#span(start) };
  }

  /** A name; what follows `steps.` is part of it, since it names a step whatever else is called so. */
  #name(text: string, start: number): Tree {
    if (text === 'steps' && this.#is('.') && this.#peek().type === 'name' && !this.#peek().blank) {
      this.#advance();
      const step = this.#advance().text;
      return { type: 'name', name: `steps.${step}`, span: this.#span(start) };
    }
    return { type: 'name', name: text, span: this.#span(start) };
  }

  /** Items between commas up to a closing bracket, which is taken. */
  #items<T>(close: string, read: () => T): T[] {
    const items: T[] = [];
    if (this.#take(close)) return items;
    do items.push(read());
    while (this.#take(','));
    this.#expect(close, 'after the last item');
    return items;
  }

  #list(): Tree {
    const { start } = this.#advance();
    const items = this.#items(']', () => this.expression());
    return { type: 'list', items, span: this.#span(start) };
  }

  #object(): Tree {
    const { start } = this.#advance();
    const seen = new Set<string>();
    const members = this.#items('}', (): readonly [string | Tree, Tree] => {
      const { type, text, start: at, end } = this.#token;
      if (this.#take('[')) {
        const name = this.expression();
        this.#expect(']', "after the expression that gives the member's name");
        this.#expect(':', `after the member's name`);
        return [name, this.expression()];
      }
      if (type !== 'string' && type !== 'name') this.#unexpected('the name of a member was expected');
      if (seen.has(text)) fail('bad-syntax', `the member "${text}" stands here twice`, { span: [at, end] });
      seen.add(text);
      this.#advance();
      this.#expect(':', `after the member's name`);
      return [text, this.expression()];
    });
    return { type: 'object', members, span: this.#span(start) };
  }

  // ---- paths (RFC 9535, section 2.5)

  #segment(): Segment | undefined {
    const { start } = this.#token;
    if (this.#is('[')) return { descendant: false, selectors: this.#bracketed(), span: this.#span(start) };
    if (!this.#is('.') && !this.#is('..')) return undefined;
    const descendant = this.#advance().text === '..';
    const { type, text, blank } = this.#token;
    if (!blank) {
      if (type === 'name') {
        this.#advance();
        return { descendant, selectors: [{ type: 'name', name: text }], span: this.#span(start) };
      }
      if (this.#take('*')) return { descendant, selectors: [{ type: 'wildcard' }], span: this.#span(start) };
      if (descendant && this.#is('['))
        return { descendant, selectors: this.#bracketed(), span: this.#span(start) };
    }
    const hint =
      type === 'number'
        ? `write an index in brackets: [${text}]`
        : blank
          ? 'no blank may follow the dot'
          : `['name'] for a name with other characters`;
    return this.#unexpected('the name of a member was expected', hint);
  }

  #bracketed(): Selector[] {
    this.#advance();
    const selectors: Selector[] = [];
    do selectors.push(this.#selector());
    while (this.#take(','));
    this.#expect(']', 'to close "["');
    return selectors;
  }

  #selector(): Selector {
    const { type, text } = this.#token;
    if (type === 'string') {
      this.#advance();
      return { type: 'name', name: text };
    }
    if (this.#take('*')) return { type: 'wildcard' };
    if (this.#take('?')) {
      const condition = this.expression();
      checkStandardFilter(condition);
      return { type: 'filter', condition };
    }
    if (type === 'number' || this.#is('-') || this.#is(':')) return this.#indexOrSlice();
    if (type === 'name') {
      this.#unexpected(
        'a selector was expected',
        `['${text}'] for a member of that name, at(list, ${text}) for the item at a computed place`,
      );
    }
    return this.#unexpected('a selector was expected', `[0], ['name'], [*], [1:3] or [?condition]`);
  }

  #indexOrSlice(): Selector {
    const start = this.#is(':') ? undefined : this.#integer();
    if (!this.#is(':')) return { type: 'index', index: start! };
    this.#advance();
    const end = this.#is(':') || this.#is(']') || this.#is(',') ? undefined : this.#integer();
    const step = this.#take(':') && !this.#is(']') && !this.#is(',') ? this.#integer() : undefined;
    return {
      type: 'slice',
      ...(start === undefined ? {} : { start }),
      ...(end === undefined ? {} : { end }),
      ...(step === undefined ? {} : { step }),
    };
  }

  /** An integer in the range that I-JSON keeps exactly (RFC 9535, section 2.1). */
  #integer(): number {
    const { start } = this.#token;
    const negative = this.#take('-');
    const { type, text, blank, end } = this.#token;
    const value = Number(text);
    if (type !== 'number' || !/^(?:0|[1-9][0-9]*)$/.test(text) || (negative && (blank || value === 0))) {
      this.#unexpected('a whole number was expected');
    }
    if (!Number.isSafeInteger(value)) {
      fail('bad-syntax', 'an index lies between -9007199254740991 and 9007199254740991', {
        span: [start, end],
      });
    }
    this.#advance();
    return negative ? -value : value;
  }
}
