import { checkTree } from '../../language/expression.ts';
import { parseExpression } from '../../language/parser.ts';
import type { StaticScope } from '../../language/scope.ts';
import { namesIn, type Tree } from '../../language/tree.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/** A name, members of it, or one call. */
const VALUE = String.raw`[A-Za-z_$][\w$]*(?:\.\w+|\[\w*\])*(?:\([\w.$]*(?:\(\))?\))?`;

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
  ].join('|'),
  'g',
);

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
  if (node.text.length > LONGEST || !/[<[%({:@*~]/.test(node.text)) return;
  for (const pattern of node.quoted ? [MARKED] : [MARKED, MAYBE_MARKED])
    for (const match of node.text.matchAll(pattern)) {
      const value = match.slice(1).find((one) => one !== undefined)!;
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
  const names = [...namesIn(tree)];
  const isOfResponse = tree.type === 'query' && tree.base.type === 'response';
  const isKnown =
    names.length > 0
      ? names.every((name) => scope.lookup(name) && !scope.lookup(name)!.given)
      : isOfResponse || tree.type === 'call';
  return isKnown && checkTree(tree, text, scope).problems.length === 0 ? tree : undefined;
}

/** Warns about the name of a value that stands in quotes within an insertion, and so is a text: `${"rack"}`. */
export function nameInQuotes(
  findings: Findings,
  node: ScalarNode,
  {
    tree,
    scope,
    use,
  }: { readonly tree: Tree; readonly scope: StaticScope; readonly use: (tree: Tree) => void },
): void {
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
