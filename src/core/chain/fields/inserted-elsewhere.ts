import { checkTree } from '../../language/expression.ts';
import { parseExpression } from '../../language/parser.ts';
import type { StaticScope } from '../../language/scope.ts';
import { namesIn, type Tree } from '../../language/tree.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/** A name, members of it, or one call, also with a number added. */
const VALUE = String.raw`[A-Za-z_$][\w$]*(?:\.\w+|\[\w*\])*(?:\([\w.$]*(?:\(\))?\))?(?: ?[-+*] ?\d+)?`;

/** Pairs of signs that nobody puts around a word but to insert a value. */
const MARKED = new RegExp(
  [
    String.raw`<%[=-]?\s*(${VALUE})\s*-?%>`,
    String.raw`\[\[\s*(${VALUE})\s*\]\]`,
    // `LIKE '%word%'` of SQL is none.
    String.raw`(?<!['"])%(${VALUE})%`,
    String.raw`\$\((${VALUE})\)`,
    String.raw`\$\[(${VALUE})\]`,
    String.raw`[#@%]\{\s*(${VALUE})\s*\}`,
  ].join('|'),
  'g',
);

/** Signs that a text may have, too; quotes say that it does. */
const MAYBE_MARKED = new RegExp(
  [
    String.raw`(?<![$#@%{\\])\{\s*(${VALUE})\s*\}(?!\})`,
    String.raw`(?<=^|[/=])[:@*~](${VALUE})(?=$|[/?&])`,
    String.raw`^<(${VALUE})>$`,
    String.raw`(?<![\w\${.(])([a-z]\w*\([A-Za-z_][\w.]*\))(?![\w(])`,
  ].join('|'),
  'g',
);

/** What each of them has, without looking further: most texts have none of it. */
const MAY_INSERT = /\w\([A-Za-z_]|<|\[\[|%|\$[([]|(?:^|[^$])\{|[@*~]|(?:^|[/=]):/;

/** A longer text is a document, not something with a value in it. */
const LONGEST = 2_000;

/**
 * Warns about what inserts a value elsewhere and here is sent as these characters, where the value is known: `[[rack]]`,
 * `%rack%`, `<%= rack.id %>`, `$(rack)`, `#{rack}`, and without quotes also `{rack}` and `@rack`. `use` is told what was meant.
 */
export function insertedElsewhere(
  findings: Findings,
  node: ScalarNode,
  scope: StaticScope,
  use: (tree: Tree) => void,
): void {
  if (node.text.length > LONGEST || !MAY_INSERT.test(node.text)) return;
  // A text that begins with a brace has quotes because YAML asks for them.
  const isMeant = node.quoted && !/^\{[A-Za-z_][\w.]*\}[^\n]*$/.test(node.text);
  for (const pattern of isMeant ? [MARKED] : [MARKED, MAYBE_MARKED])
    for (const match of node.text.matchAll(pattern)) {
      const groups: readonly (string | undefined)[] = match.slice(1);
      const value = groups.find((one) => one !== undefined)!;
      const tree = knownValue(value, scope);
      if (!tree) continue;
      use(tree);
      findings.warn(
        node.offset(match.index),
        'expression-in-text',
        `${match[0]} would be sent as these characters`,
        findings.partBecomes(node, [match.index, match.index + match[0].length], `\${${value}}`),
      );
      return;
    }
}

/** What a text in such signs stands for, if all of it is known here. */
function knownValue(text: string, scope: StaticScope): Tree | undefined {
  let tree: Tree;
  try {
    tree = parseExpression(text);
  } catch {
    return undefined;
  }
  const isOfResponse = tree.type === 'query' && tree.base.type === 'response';
  // A word such as true is none.
  const isKnown = namesIn(tree).size > 0 || isOfResponse || tree.type === 'call';
  return isKnown && checkTree(tree, text, scope).problems.length === 0 ? tree : undefined;
}

/** What an insertion is read as, where that stands, and what is told of what it uses. */
interface Inserted {
  readonly tree: Tree;
  readonly scope: StaticScope;
  readonly use: (tree: Tree) => void;
}

/** Finds what is inserted and was hardly meant: a name in quotes, a service in the place of its URL. */
export function oddlyInserted(findings: Findings, node: ScalarNode, inserted: Inserted): void {
  nameInQuotes(findings, node, inserted);
  serviceItself(findings, node, inserted.tree);
}

/** Warns about the name of a value that stands in quotes within an insertion, and so is a text: `${"rack"}`. */
function nameInQuotes(findings: Findings, node: ScalarNode, { tree, scope, use }: Inserted): void {
  if (tree.type !== 'literal' || typeof tree.value !== 'string') return;
  const meant = knownValue(tree.value, scope);
  if (!meant) return;
  use(meant);
  findings.warn(
    node.offset(tree.span[0]),
    'path-in-quotes',
    `'${tree.value}' in quotes is this text, not the value of that name`,
    findings.partBecomes(node, [...tree.span], tree.value),
  );
}

/** What a text ends in that is the name of a file or a host. */
const OF_FILES =
  /^(?:csv|tsv|jsonl?|ndjson|txt|bin|dat|tar|tgz|bz2|docx?|xlsx?|pptx?|webp|mp[34]|css|m?[jt]s|py|sh|sql|pem|key|crt|conf|ini|toml|db|parquet|xml|ya?ml|html?|pdf|png|jpe?g|gif|svg|zip|gz|log|md|com|org|net|io|dev|example)$/i;

/** Whether a text ends as the name of a file or a host does. */
export function endsAsFile(text: string): boolean {
  return OF_FILES.test(text.slice(text.lastIndexOf('.') + 1));
}

/**
 * Warns about an expression of which only a part stands in an insertion, so that the rest is sent as it stands:
 * `number(${price})`, `${order}.id`, and in a field of values `${page} + 1`.
 */
export function halfInserted(
  findings: Findings,
  node: ScalarNode,
  scope: StaticScope,
  isValue: boolean | 'a name',
): void {
  const sum = isValue === true ? /^\$\{([^{}]+)\}(\s*[-+*]\s*\d+(?:\.\d+)?)$/.exec(node.text) : null;
  const part =
    isValue !== false && !sum
      ? /\$\{([^{}]+)\}(\s+[+*]\s+\d+(?:\.\d+)?)(?!\.?\d|\s*\w)/.exec(node.text)
      : null;
  if (part && knownValue(`${part[1]!}${part[2]!}`, scope)) {
    const span = [part.index, part.index + part[0].length] as const;
    findings.warn(
      node.offset(part.index),
      'expression-in-text',
      `what stands outside of \${ } in ${part[0]} would be sent as these characters`,
      findings.partBecomes(node, span, `\${${part[1]!}${part[2]!}}`),
    );
    return;
  }
  const call = /^([a-z]\w*)\(\$\{([^{}]+)\}((?:,[^(){}]*)?)\)$/i.exec(node.text);
  const member = /^\$\{([A-Za-z_][\w.]*)\}((?:\.[A-Za-z_]\w*)+)$/.exec(node.text);
  if (member && endsAsFile(member[2]!)) return;
  const meant = sum
    ? `${sum[1]!}${sum[2]!}`
    : call
      ? `${call[1]!}(${call[2]!}${call[3]!})`
      : member
        ? `${member[1]!}${member[2]!}`
        : undefined;
  if (meant === undefined || !knownValue(meant, scope)) return;
  findings.warn(
    node,
    'expression-in-text',
    `what stands outside of \${ } in ${node.text} would be sent as these characters`,
    findings.becomes(node, `\${${meant}}`),
  );
}

/** Says of `${services.kiln}` that it is the service, of which the URL is meant. */
function serviceItself(findings: Findings, node: ScalarNode, tree: Tree): void {
  if (tree.type !== 'query' || tree.base.type !== 'name') return;
  if (tree.base.name !== 'services' || tree.segments.length !== 1) return;
  const source = node.text.slice(...tree.span);
  findings.problem(
    node.offset(tree.span[0]),
    'wrong-kind',
    `${source} is the service, and its URL is a member of it`,
    findings.partBecomes(node, [...tree.span], `${source}.url`),
  );
}
