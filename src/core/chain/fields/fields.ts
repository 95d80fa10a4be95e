import { checkExpression, checkTree, weightOf, withHabit } from '../../language/expression.ts';
import type { Use } from '../../language/infer.ts';
import { BIT, kindWords, mayBe } from '../../language/kinds.ts';
import { readDuration } from '../../language/lexer.ts';
import { parseInsertion } from '../../language/parser.ts';
import type { StaticScope } from '../../language/scope.ts';
import { childrenOf, readsMarkup, stepOf, type Tree } from '../../language/tree.ts';
import { Duration } from '../../language/values.ts';
import { type Problem, problemOf } from '../../problems.ts';
import type { Findings } from '../source/findings.ts';
import { readPause } from '../source/key-definition.ts';
import type { Expressions, Insertion, Pause, PlacedExpression, Setting, Template, Typed } from '../model.ts';
import { checkName } from './check-name.ts';
import { oddlyInserted } from './inserted-elsewhere.ts';
import { literalValue } from './literal-values.ts';
import {
  bracesAsValue,
  bracesInText,
  closingBrace,
  insertionInExpression,
  unclosedInsertion,
} from './braces.ts';
import { indexBehindFilter, pathWarnings } from './path-warnings.ts';
import { SchemaNames } from './schema-names.ts';
import type { ScalarNode, SourceNode } from '../source/source-file.ts';
import { formOf } from '../source/node-data.ts';
import { textWarnings } from './text-warnings.ts';

/** Without a look at habits. */
const QUIETLY: Use = { asWritten: true };

/** Reads the fields of one file, each by its sort, and collects the names that they use. */
export class FieldReader {
  readonly findings: Findings;
  /** Names that the fields read since it was last emptied have used. */
  readonly used = new Set<string>();
  /** Names of secrets that the fields read so far insert; `*` where one inserts them all. */
  readonly secrets = new Set<string>();
  readsMarkup = false;
  readonly schemas = new SchemaNames();
  /** Names of which an expression asks for .iterations. */
  readonly iterationsOf = new Set<string>();

  constructor(findings: Findings) {
    this.findings = findings;
  }

  #use(tree: Tree): void {
    let inside = childrenOf(tree);
    if (tree.type === 'name') {
      if (tree.name === 'secret') this.secrets.add('*');
      this.used.add(tree.name);
      this.iterationsOf.add(stepOf(tree.name));
    } else if (tree.type === 'query' && tree.base.type === 'name') {
      const [member] = tree.segments[0]?.selectors ?? [];
      this.used.add(tree.base.name);
      if (tree.base.name === 'secret') this.secrets.add(member?.type === 'name' ? member.name : '*');
      if (member?.type !== 'name' || member.name === 'iterations')
        this.iterationsOf.add(stepOf(tree.base.name));
      inside = inside.slice(1);
    }
    if (tree.type === 'response') this.used.add('$');
    if (readsMarkup(tree)) this.readsMarkup = true;
    inside.forEach((child) => this.#use(child));
  }

  /** What a part reads, and the names of the secrets that it inserts. */
  withSecrets<T>(read: () => T): { readonly value: T; readonly secrets: ReadonlySet<string> } {
    const before = new Set(this.secrets);
    this.secrets.clear();
    const value = read();
    const secrets = new Set(this.secrets);
    before.forEach((name) => this.secrets.add(name));
    return { value, secrets };
  }

  // ---- conditions and value expressions

  /** A condition, or one expression of any kind. */
  expression(node: SourceNode, scope: StaticScope, use: Use = {}): PlacedExpression | undefined {
    if (this.#inBraces(node, (inner) => inner)) return undefined;
    if (node.type !== 'scalar') {
      const hint = node.type === 'empty' ? undefined : 'put an expression that begins with { or [ in quotes';
      this.findings.problem(
        node,
        'wrong-form',
        `an expression is needed here, but this is ${formOf(node)}`,
        hint,
      );
      return undefined;
    }
    if (this.#insertionInExpression(node) || this.#quotedWord(node)) return undefined;
    const { expression, problems } = checkExpression(
      node.text,
      scope,
      this.#hasEnough() ? { ...use, asWritten: true } : use,
    );
    this.findings.expression(node, problems);
    if (!expression) {
      this.#useNames(node.text);
      return undefined;
    }
    this.#use(expression.tree);
    this.schemas.use(this.findings, node, expression.tree);
    pathWarnings(this.findings, node, scope, expression.tree);
    return this.findings.placed(expression, node);
  }

  /** Also of a wrong expression the names count as used, so that one mistake is not two. */
  #useNames(text: string): void {
    for (const [name] of text.matchAll(/[A-Za-z_][A-Za-z0-9_]*/g)) this.used.add(name);
  }

  condition(node: SourceNode, scope: StaticScope): PlacedExpression | undefined {
    return this.expression(node, scope, { condition: true });
  }

  /** A value field: an expression, or a list or map of them. */
  expressions(node: SourceNode, scope: StaticScope, use: Use = {}): Expressions | undefined {
    if (node.type === 'list') {
      const items = node.items.map((item) => this.expressions(item, scope));
      return items.includes(undefined) ? undefined : { type: 'list', items: items as Expressions[] };
    }
    if (node.type === 'map') {
      const members = node.entries.map(
        ({ key, value }) => [key.text, this.expressions(value, scope)] as const,
      );
      return members.some(([, value]) => !value)
        ? undefined
        : { type: 'object', members: members as [string, Expressions][] };
    }
    const value = this.expression(node, scope, use);
    return value && { type: 'expression', value };
  }

  #insertionInExpression(node: ScalarNode): boolean {
    if (!insertionInExpression(this.findings, node)) return false;
    this.#useNames(node.text);
    return true;
  }

  /** `keep: { id: 'pieces' }`: the quotes are YAML's, and what is left is a name. */
  #quotedWord(node: ScalarNode): boolean {
    const source = this.findings.file.text[node.range[0]];
    if (!node.quoted || (source !== "'" && source !== '"') || !/^[A-Za-z_][A-Za-z0-9_-]*$/.test(node.text))
      return false;
    this.findings.problem(
      node,
      'yaml-trap',
      `the quotes around ${node.text} belong to YAML, so this is the name ${node.text}, not a text`,
      `"'${node.text}'" for the text; ${node.text} without quotes for the name`,
    );
    this.used.add(node.text);
    return true;
  }

  // ---- texts

  /** A text with insertions. */
  template(
    node: SourceNode,
    scope: StaticScope,
    {
      raw = false,
      hint = true,
      isValue = false,
    }: { raw?: boolean; hint?: boolean; isValue?: boolean | 'a name' } = {},
  ): Template | undefined {
    if (node.type !== 'scalar') {
      this.findings.problem(
        node,
        'wrong-form',
        `a text is needed here, but this is ${formOf(node)}`,
        node.type === 'map' ? 'put text that contains ": " in quotes' : undefined,
      );
      return undefined;
    }
    const parts: (string | Insertion)[] = [];
    const { text } = node;
    let literal = '';
    let whole = true;
    for (let i = 0; i < text.length;) {
      if (text.startsWith('$${', i)) {
        literal += '${';
        i += 3;
      } else if (text.startsWith('${', i)) {
        if (literal !== '') parts.push(literal);
        literal = '';
        const insertion = this.#insertion(node, i + 2, scope, raw);
        if (!insertion) return undefined;
        if (insertion.insertion) parts.push(insertion.insertion);
        else whole = false;
        i = insertion.end;
      } else {
        if (text.startsWith('{{', i)) bracesInText(this.findings, node, i);
        literal += text[i]!;
        i++;
      }
    }
    if (literal !== '') parts.push(literal);
    const use = (one: Tree): void => this.#use(one);
    textWarnings(this.findings, node, scope, { hint, isValue, parts: whole ? parts : [], use });
    return whole ? { parts, at: this.findings.place(node) } : undefined;
  }

  #insertion(
    node: ScalarNode,
    from: number,
    scope: StaticScope,
    raw: boolean,
  ): { insertion?: Insertion; end: number } | undefined {
    let tree: Tree;
    let end: number;
    try {
      ({ tree, end } = parseInsertion(node.text, from));
    } catch (error) {
      const close = closingBrace(node.text, from);
      if (close === undefined) {
        const isSound = (one: string): boolean =>
          checkExpression(one, scope, QUIETLY).expression !== undefined;
        unclosedInsertion(this.findings, node, from, isSound);
        this.#useNames(node.text.slice(from));
        return undefined;
      }
      this.#refuseInsertion(node, [from, close], [problemOf(error)], scope);
      this.#useNames(node.text.slice(from));
      return { end: close + 1 };
    }
    this.#use(tree);
    const { expression, problems } = checkTree(tree, node.text, scope, raw ? { outermost: 'raw' } : {});
    if (!expression) {
      this.#refuseInsertion(node, [from, end - 1], problems, scope);
      return { end };
    }
    indexBehindFilter(this.findings, node, node.text, tree);
    oddlyInserted(this.findings, node, { tree, scope, use: (one) => this.#use(one) });
    this.schemas.use(this.findings, node, tree);
    const isRaw = tree.type === 'call' && tree.name === 'raw';
    return { insertion: { ...this.findings.placed(expression, node), raw: isRaw }, end };
  }

  /** So much is wrong with a file that more ways out would only take time. */
  #hasEnough(): boolean {
    return this.findings.all.length > 200;
  }

  /** What is wrong between `${` and `}`. */
  #refuseInsertion(
    node: ScalarNode,
    [from, end]: readonly [number, number],
    problems: readonly Problem[],
    scope: StaticScope,
  ): void {
    const inner = node.text.slice(from, end);
    const said = this.#hasEnough()
      ? problems
      : withHabit(inner, problems, (text) => weightOf(checkExpression(text, scope, QUIETLY).problems));
    // Spans of what the parser said are those of the whole text, those of a habit begin with the expression.
    this.findings.expression(node, said, said === problems ? 0 : from);
  }

  /** Says of a value that it stands in double braces; the names in it count as used. */
  #inBraces(node: SourceNode, write: (inner: string) => string): boolean {
    const inner = bracesAsValue(this.findings, node, write);
    if (inner !== undefined) this.#useNames(inner);
    return inner !== undefined;
  }

  /** A text without insertions. */
  literal(node: SourceNode | undefined): string | undefined {
    return node?.type === 'scalar' ? node.text : undefined;
  }

  /** A whole `${…}` in the place of a map: an object that gives its members; `secrets`: also with secrets among them. */
  members(node: SourceNode, scope: StaticScope, secrets = false): Insertion | undefined {
    if (node.type !== 'scalar') return undefined;
    const [only] = this.template(node, scope)?.parts ?? [];
    if (typeof only !== 'object') return undefined;
    const { kind, secret, text, tree } = only.expression;
    const source = text.slice(...tree.span);
    if (secret && !secrets) {
      // Where a secret stands is told by the name beside it, which is not known here.
      this.findings.problem(
        node,
        'wrong-form',
        `${source} holds a secret, which stands under a name of its own`,
        `NAME: \${${source}.NAME}`,
      );
      return undefined;
    }
    if (mayBe(kind, BIT.object)) return only;
    this.findings.problem(
      node,
      'wrong-kind',
      `an object is wanted here, whose members are taken, and ${source} is ${kindWords(kind.bits)}`,
      `NAME: \${${source}}`,
    );
    return undefined;
  }

  // ---- typed texts

  /**
   * A typed field: lists and maps of texts, where a whole `${…}` keeps its kind and an unquoted number is one. `isWire` says
   * that it is sent as text in any case, so that `007` is what it looks like.
   */
  typed(node: SourceNode, scope: StaticScope, isWire = false): Typed | undefined {
    if (this.#inBraces(node, (inner) => `\${${inner}}`)) return undefined;
    switch (node.type) {
      case 'empty':
        this.findings.problem(
          node,
          'wrong-form',
          'a value is wanted here, and there is none',
          'null, or "" for an empty text',
        );
        return undefined;
      case 'list': {
        const items = node.items.map((item) => this.typed(item, scope, isWire));
        return items.includes(undefined) ? undefined : { type: 'list', items: items as Typed[] };
      }
      case 'map': {
        const members = node.entries.map(({ key, value }) => {
          if (key.text.includes('${'))
            this.findings.problem(
              key,
              'wrong-form',
              'a name of a member has no insertions',
              '${merge(object, …)} as the whole value',
            );
          return [key.text, this.typed(value, scope, isWire)] as const;
        });
        return members.some(([, value]) => !value)
          ? undefined
          : { type: 'object', members: members as [string, Typed][] };
      }
      case 'scalar':
        return this.#typedScalar(node, scope, isWire);
    }
  }

  #typedScalar(node: ScalarNode, scope: StaticScope, isWire: boolean): Typed | undefined {
    if (!node.quoted) {
      const value = literalValue(this.findings, node, isWire);
      if (value !== undefined) return { type: 'value', value };
    }
    const template = this.template(node, scope, { isValue: true });
    if (!template) return undefined;
    const [only] = template.parts;
    if (template.parts.length === 0) return { type: 'value', value: '' };
    if (template.parts.length === 1 && typeof only === 'string') return { type: 'value', value: only };
    if (template.parts.length === 1 && typeof only === 'object')
      return { type: 'insertion', insertion: only };
    return { type: 'template', template };
  }

  // ---- settings

  duration(node: SourceNode, scope: StaticScope): Setting<Duration> | undefined {
    if (node.type !== 'scalar') return undefined; // the form has been looked at
    const milliseconds = readDuration(node.text);
    if (milliseconds !== undefined) {
      if (milliseconds < 0) this.findings.problem(node, 'wrong-form', 'a duration here is not negative');
      return { value: new Duration(milliseconds) };
    }
    const only = this.template(node, scope)?.parts;
    return only?.length === 1 && typeof only[0] === 'object' ? { insertion: only[0] } : undefined;
  }

  /** A whole number. */
  amount(node: SourceNode | undefined, scope: StaticScope, byDefault: number): Setting<number> {
    if (node?.type !== 'scalar') return { value: byDefault };
    if (/^\d+$/.test(node.text)) return { value: Number(node.text) };
    const only = this.template(node, scope)?.parts;
    return only?.length === 1 && typeof only[0] === 'object' ? { insertion: only[0] } : { value: byDefault };
  }

  /** How long to wait between two requests: `2s`, or `1s..10s`. */
  pause(
    node: SourceNode | undefined,
    scope: StaticScope,
    byDefault: { least: number; most?: number },
  ): Pause {
    const { least, most } = (node?.type === 'scalar' && readPause(node.text)) || byDefault;
    const pause: Pause = { least: { value: new Duration(least) }, ...(most === undefined ? {} : { most }) };
    if (node?.type !== 'scalar' || readPause(node.text)) return pause;
    const setting = this.duration(node, scope);
    return setting ? { least: setting } : pause;
  }

  /** A duration that has a default value. */
  bound(node: SourceNode | undefined, scope: StaticScope, byDefault: number): Setting<Duration> {
    return (node && this.duration(node, scope)) ?? { value: new Duration(byDefault) };
  }

  /** A name that expressions can reach. */
  name(node: ScalarNode): boolean {
    return checkName(this.findings, node);
  }
}
