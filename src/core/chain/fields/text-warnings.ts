import { BIT, isOnly, mayBe } from '../../language/kinds.ts';
import { checkTree } from '../../language/expression.ts';
import { functions } from '../../language/functions/index.ts';
import { isNumberText } from '../../language/numbers.ts';
import { expressionEnd, parseExpression } from '../../language/parser.ts';
import type { StaticScope } from '../../language/scope.ts';
import { namesIn, type Tree } from '../../language/tree.ts';
import { braceTooMany } from './braces.ts';
import { endsAsFile, halfInserted, insertedElsewhere } from './inserted-elsewhere.ts';
import { replacedBy } from '../source/changes.ts';
import { asScalar } from '../source/scalar-text.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/**
 * Warns about what stands in a text and was probably meant otherwise. `hint`: it is no request line; `parts`: the texts in it
 * and what is inserted between them, if all of it can be read. `use` is told what was meant.
 */
export function textWarnings(
  findings: Findings,
  node: ScalarNode,
  scope: StaticScope,
  about: {
    readonly hint: boolean;
    /** Whether what stands alone there is mostly a value; of a header field only a bare name is. */
    readonly isValue: boolean | 'a name';
    readonly parts: readonly unknown[];
    readonly use: (tree: Tree) => void;
  },
): void {
  const { text } = node;
  const { parts } = about;
  if (about.hint) {
    if (parts.length === 1 && typeof parts[0] === 'string') expressionInText(findings, node, scope, about);
    commentInText(findings, node);
    signInText(findings, node);
  }
  if (text.includes('$')) dollarInText(findings, node, scope);
  insertedElsewhere(findings, node, scope, about.use);
  if (parts.length > 1) halfInserted(findings, node, scope, about.isValue);
  if (text.includes('}}') && !node.quoted) braceTooMany(findings, node);
  if (/["'] *[+.]/.test(text)) joinInText(findings, node, scope);
}

/**
 * Finds what stands in a field for text and reads as an expression. `$.id` is almost never meant as text, so that is a problem;
 * a call of a function, an operation on names, and in a field of values (`isValue`) a known member of a name may be, so these
 * are warned about unless they stand in quotes. `use` is told what is used.
 */
function expressionInText(
  findings: Findings,
  node: ScalarNode,
  scope: StaticScope,
  { isValue, use }: { readonly isValue: boolean | 'a name'; readonly use: (tree: Tree) => void },
): void {
  const { text } = node;
  const known =
    isValue !== false && !node.quoted && /^[A-Za-z_]\w*$/.test(text) ? scope.lookup(text) : undefined;
  // A state or a kind is often called like a step.
  if (known && (!known.given || text === 'callback') && !isOnly(known.kind, BIT.object)) {
    use(parseExpression(text));
    findings.warn(
      node,
      'expression-in-text',
      `this field is text, so ${text} would be sent as these characters, not the value of that name`,
      findings.becomes(node, `\${${text}}`, `\${${text}}, or quotes if the characters are meant`),
    );
    return;
  }
  const bracketed = isValue !== false && !node.quoted ? /^<([A-Za-z_]\w*)>$/.exec(text)?.[1] : undefined;
  if (bracketed !== undefined && scope.lookup(bracketed)) {
    findings.warn(
      node,
      'expression-in-text',
      `${text} would be sent as these characters`,
      findings.becomes(node, `\${${bracketed}}`),
    );
    return;
  }
  if (!/^[$@][.[]|^[A-Za-z_][A-Za-z0-9_]*\s*[-+*/%?.[(]/.test(text)) return;
  let tree: Tree;
  try {
    tree = parseExpression(text);
  } catch {
    return;
  }
  const message = `this field is text, so ${text} would be sent as these characters`;
  const base = tree.type === 'query' ? tree.base.type : undefined;
  if (base === 'response' || base === 'item') {
    use(tree);
    findings.problem(node, 'expression-in-text', message, findings.becomes(node, `\${${text}}`));
  } else if (!node.quoted && isMeant(tree, text, scope, isValue === true)) {
    use(tree);
    findings.warn(
      node,
      'expression-in-text',
      message,
      findings.becomes(node, `\${${text}}`, `\${${text}}, or quotes if the characters are meant`),
    );
  }
}

/** Whether a text that reads as an expression is one that somebody probably meant, by what is known of its names. */
function isMeant(tree: Tree, text: string, scope: StaticScope, isValue: boolean): boolean {
  const isSound = (): boolean =>
    [...namesIn(tree)].every((name) => scope.lookup(name)) &&
    checkTree(tree, text, scope).problems.length === 0;
  if (tree.type === 'query') {
    // `shop.example.com` and `fired.csv` are names of hosts and files unless the member is known.
    const [first] = tree.segments[0]!.selectors;
    const known = tree.base.type === 'name' ? scope.lookup(tree.base.name) : undefined;
    const isOfProject =
      tree.base.type === 'name' && (tree.base.name === 'secret' || tree.base.name === 'services');
    if (isOfProject && known !== undefined && tree.segments.length < 3) return isSound();
    if (!isValue || first?.type !== 'name' || !known || known.given) return false;
    // Of an item of a loop and the like any member may be there.
    const isAnyMember =
      known.kind.members === undefined &&
      mayBe(known.kind, BIT.object) &&
      tree.segments.length < 3 &&
      !endsAsFile(text);
    return (known.kind.members?.has(first.name) === true || isAnyMember) && isSound();
  }
  const isCall =
    tree.type === 'call' && (functions.has(tree.name) || scope.functions?.has(tree.name) === true);
  const isOperation = (tree.type === 'binary' || tree.type === 'default') && namesIn(tree).size > 0;
  return (isCall || isOperation) && isSound();
}

/** `"/racks/" + rack + "/pieces"`: texts joined as elsewhere, of a name that is known. */
function joinInText(findings: Findings, node: ScalarNode, scope: StaticScope): void {
  for (const match of node.text.matchAll(/(["'])\s*[+.]\s*([A-Za-z_]\w*)(?:\s*[+.]\s*(["'])|$)/g)) {
    const [whole, , name = ''] = match;
    if (!scope.lookup(name)) continue;
    const written = `\${${name}}`;
    // A text in quotes at the beginning has its own with it.
    const isWhole =
      match[3] === undefined &&
      node.text.startsWith(match[1]!) &&
      node.text.lastIndexOf(match[1]!, match.index - 1) === 0;
    const from = isWhole ? 0 : match.index;
    const before = isWhole ? node.text.slice(1, match.index) : '';
    findings.warn(
      node.offset(match.index),
      'expression-in-text',
      `${whole} would be sent as these characters`,
      findings.partBecomes(node, [from, match.index + whole.length], before + written),
    );
  }
}

/** `$name` and `$${name}` of a name that is known: elsewhere an insertion, here these characters. */
function dollarInText(findings: Findings, node: ScalarNode, scope: StaticScope): void {
  if (node.quoted) return; // quotes say that the characters are meant
  for (const { 0: sign, 1: name, index } of node.text.matchAll(/(?<!\$)\$([a-z]\w*)\(/g)) {
    const end = functions.has(name!) ? expressionEnd(node.text, index + 1) : undefined;
    if (end === undefined || sign === '') continue;
    const called = node.text.slice(index + 1, end);
    findings.warn(
      node.offset(index),
      'expression-in-text',
      `$${called} would be sent as these characters`,
      findings.partBecomes(node, [index, end], `\${${called}}`),
    );
    return;
  }
  for (const match of node.text.matchAll(
    /\$(?:\$\{([A-Za-z_]\w*)\}|([A-Za-z_]\w*)((?:\.[A-Za-z_]\w*|\[\d+\])*))/g,
  )) {
    const name = match[1] ?? match[2]!;
    if (!scope.lookup(name) || node.text[match.index - 1] === '$') continue;
    const members =
      match[3] !== undefined && mayBe(scope.lookup(name)!.kind, BIT.object | BIT.list) ? match[3] : '';
    const written = `\${${name}${members}}`;
    const length = match[0].length - (match[3]?.length ?? 0) + members.length;
    findings.warn(
      node.offset(match.index),
      'expression-in-text',
      `${match[0].slice(0, length)} would be sent as these characters`,
      findings.partBecomes(
        node,
        [match.index, match.index + length],
        written,
        match[1] === undefined ? written : `${written}, where ${name} is to be inserted`,
      ),
    );
    return;
  }
}

/** Warnings on ` #`, which begins a comment in YAML, where a text was meant to go on: `Order #1`. */
function commentInText(findings: Findings, node: ScalarNode): void {
  const { text } = findings.file;
  const behind = text.slice(node.range[1], node.range[1] + 99);
  if (node.quoted || !/^[ \t]+#(?=[\p{L}\p{N}]|\$\{)/u.test(behind)) return;
  const rest = text.slice(node.range[0]).split(/\r?\n/, 1)[0]!.trimEnd();
  findings.warn(
    node,
    'comment-in-text',
    `in YAML " #" starts a comment, so this text ends after ${node.text.slice(-40)}`,
    {
      hint: asScalar(rest, node.flow),
      change: replacedBy(
        { ...node, range: [node.range[0], node.range[0] + rest.length] },
        asScalar(rest, node.flow),
      ),
    },
  );
}

/** Warns about signs that YAML takes for a part of a text and that were hardly meant as one: `[new; paid]`, `(new, paid)`, `paid"`. */
function signInText(findings: Findings, node: ScalarNode): void {
  const { text } = node;
  if (node.quoted || text.length > 200 || !/[;)"'=]/.test(text)) return;
  const warn = (message: string, meant: string): void =>
    findings.warn(node, 'sign-in-text', message, {
      hint: 'quotes around the whole text, if it is meant so',
      change: replacedBy(node, meant),
    });
  const items = (inner: string, between: RegExp): string => inner.split(between).join(', ');
  if (node.flow && /^[\w.-]+(?:\s*;\s*[\w.-]+)+$/.test(text))
    warn(
      `inside { } and [ ] a comma separates one from the next, so ${text} is one text`,
      items(text, /\s*;\s*/),
    );
  else if (!node.flow && /^\([\w.-]+(?:,\s*[\w.-]+)+\)$/.test(text))
    warn(`${text} is one text; a list goes in [ ]`, `[${items(text.slice(1, -1), /,\s*/)}]`);
  else if (/^(?:={1,3}|:=)\s+\S/.test(text))
    warn('the sign at the beginning is a part of this text', text.replace(/^[:=]+\s+/, ''));
  else if (/^\w[\w.-]*(["'])$/.test(text))
    warn(`the ${text.at(-1)!} at the end is a part of this text`, text.slice(0, -1));
}

/** What was probably meant by a scalar that looks like a number or a word of JSON but is none. */
export function almostLiteral(text: string): string | undefined {
  if (/^(?:true|false|null)$/i.test(text)) return text.toLowerCase();
  if (text === '~') return 'null';
  if (/^[+-]?\.(?:inf|nan)$/i.test(text)) return 'JSON has no such number';
  if (/^0x[0-9a-f]+$/i.test(text)) return String(Number(text));
  if (/^0o[0-7]+$/i.test(text)) return String(Number(text));
  if (/^[+-]?[0-9]*\.?[0-9]+(?:e[+-]?[0-9]+)?\.?$/i.test(text) && !isNumberText(text)) {
    const mended = text
      .replace(/^\+/, '')
      .replace(/^(-?)0+(?=[0-9])/, '$1')
      .replace(/^(-?)\./, '$10.')
      .replace(/\.$/, '');
    return isNumberText(mended) ? mended : undefined;
  }
  if (/^[+-]?[0-9]+\.$/.test(text)) return text.replace(/\.$/, '').replace(/^\+/, '');
  return undefined;
}
