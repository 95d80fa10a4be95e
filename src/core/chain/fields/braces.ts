import { expressionEnd } from '../../language/parser.ts';
import { asScalar } from '../source/scalar-text.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode, SourceNode } from '../source/source-file.ts';

/** `{{x}}` in the place of a whole value, which YAML reads as a map in a map. Returns what stands in it; undefined if it is none. */
export function bracesAsValue(
  findings: Findings,
  node: SourceNode,
  write: (inner: string) => string,
): string | undefined {
  const source = node.type === 'map' ? findings.file.text.slice(...node.range) : '';
  const inner = /^\{\{\s*([^{}]+?)\s*\}\}\s*$/.exec(source)?.[1];
  if (inner === undefined) return undefined;
  const text = asScalar(write(inner), false);
  findings.problem(node, 'expression-in-text', 'double braces have no meaning here', {
    hint: text,
    change: { range: [node.range[0], node.range[0] + source.trimEnd().length], text },
  });
  return inner;
}

/** `{{x}}` inside of a text. */
export function bracesInText(findings: Findings, node: ScalarNode, at: number): void {
  const inner = /^\{\{\s*([A-Za-z_$@][^{}]*?)\s*\}\}/.exec(node.text.slice(at))?.[1];
  if (inner === undefined) return;
  findings.problem(
    node.offset(at),
    'expression-in-text',
    'double braces mean nothing here and are sent as they stand',
    findings.partBecomes(node, [at, node.text.indexOf('}}', at) + 2], `\${${inner}}`),
  );
}

/** Where the `}` is that closes an insertion, by its quotes and brackets alone; undefined where there is none. */
export function closingBrace(text: string, from: number): number | undefined {
  let depth = 0;
  for (let i = from; i < text.length; i++) {
    const char = text[i]!;
    if (char === "'" || char === '"') {
      const end = text.indexOf(char, i + 1);
      if (end > 0) i = end;
    } else if (char === '{') depth++;
    else if (char === '}' && depth-- === 0) return i;
  }
  return undefined;
}

/** An insertion without its end: it ends where what it inserts does. */
export function unclosedInsertion(
  findings: Findings,
  node: ScalarNode,
  from: number,
  isSound: (expression: string) => boolean,
): void {
  const most = expressionEnd(node.text, from) ?? node.text.length;
  // What stands behind the expression may read as a part of it: ${rack/pieces.
  const ends = [
    most,
    ...[...node.text.slice(from, most).matchAll(/[/?&=#, -]/g)].map(({ index }) => from + index).toReversed(),
  ];
  const end = ends.find((one) => isSound(node.text.slice(from, one).trim())) ?? most;
  findings.problem(
    node.offset(from - 2),
    'bad-syntax',
    'this ${ has no } that closes it',
    findings.partBecomes(node, [end, end], '}', node.text.slice(from - 2, end) + '}'),
  );
}

/** A `}` too many after an insertion. */
export function braceTooMany(findings: Findings, node: ScalarNode): void {
  const found = /\$\{[^{}]*\}(\}+)(?=$|[/?&.,;: ])/.exec(node.text);
  if (!found || node.text.slice(0, found.index).includes('{')) return;
  const end = found.index + found[0].length;
  const start = end - found[1]!.length;
  findings.warn(
    node.offset(start),
    'expression-in-text',
    `this ${found[1]!} would be sent as it stands`,
    findings.partBecomes(node, [start, end], '', 'quotes say that it is meant'),
  );
}

/** A text with insertions as an expression: `piece ${id}` is `'piece ' + id`. */
function withoutInsertions(text: string): string {
  const parts = text.split(/\$\{\s*([^}]*?)\s*\}/);
  // Beside an operator or a bracket it was an expression already.
  if (/[-+*/%=!<>&|?()[\],]/.test(parts.filter((_, i) => i % 2 === 0).join(''))) return parts.join('');
  return parts
    .map((part, i) => (i % 2 === 0 ? `'${part}'` : part))
    .filter((part) => part !== "''")
    .join(' + ');
}

/** `${…}` where an expression stands already: says so. */
export function insertionInExpression(findings: Findings, node: ScalarNode): boolean {
  const at = node.text.indexOf('${');
  if (at < 0 || /['"][^'"]*\$\{/.test(node.text)) return false;
  const whole = /^\$\{\s*([\s\S]*?)\s*\}$/.exec(node.text)?.[1];
  findings.problem(
    node.offset(at),
    'text-in-expression',
    'this field is already an expression, so ${ } has no meaning in it',
    findings.becomes(node, whole ?? withoutInsertions(node.text)),
  );
  return true;
}
