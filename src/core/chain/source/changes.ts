import { parseDocument, isScalar, isSeq } from 'yaml';
import type { Change } from './source-problem.ts';
import type { ScalarNode, SourceFile, SourceNode } from './source-file.ts';

/** Whether YAML reads a text without quotes as just that text. */
function isPlainSafe(text: string, isFlow: boolean): boolean {
  const document = parseDocument(isFlow ? `[${text}]` : `- ${text}`, {
    version: '1.2',
    schema: 'failsafe',
    logLevel: 'silent',
  });
  const { contents } = document;
  if (document.errors.length > 0 || document.warnings.length > 0 || !isSeq(contents)) return false;
  const [only, ...more] = contents.items;
  return (
    more.length === 0 &&
    isScalar(only) &&
    only.type === 'PLAIN' &&
    only.tag === undefined &&
    only.value === text
  );
}

/** A text as a YAML scalar on one line: plain where it can be, otherwise in the quotes that it needs least escapes in. */
export function asScalar(text: string, isFlow: boolean): string {
  if (isPlainSafe(text, isFlow)) return text;
  return /["\\\n]/.test(text) && !text.includes('\n')
    ? `'${text.replaceAll("'", "''")}'`
    : JSON.stringify(text);
}

/** The change by which a scalar has another text. */
export function rewritten(file: SourceFile, node: ScalarNode, text: string): Change | undefined {
  const [start, end] = node.range;
  const source = file.text.slice(start, end);
  // A block of text is put right where it stands; quotes have no meaning in it.
  if (/^[|>]/.test(source) || source.includes('\n')) return undefined;
  const quote = source[0];
  if (node.quoted && quote === "'") return { range: [start, end], text: `'${text.replaceAll("'", "''")}'` };
  if (node.quoted && quote === '"') return { range: [start, end], text: JSON.stringify(text) };
  return { range: [start, end], text: asScalar(text, node.flow) };
}

/** The same with a part of the text replaced. */
export function partRewritten(
  file: SourceFile,
  node: ScalarNode,
  [from, to]: readonly [number, number],
  text: string,
): Change | undefined {
  const source = file.text.slice(...node.range);
  if (/^[|>]/.test(source)) return { range: [node.offset(from), node.offset(to)], text };
  return rewritten(file, node, node.text.slice(0, from) + text + node.text.slice(to));
}

/** The change by which YAML stands in the place of a value. */
export function replacedBy(node: SourceNode, text: string): Change {
  return { range: [node.range[0], node.range[1]], text };
}

/** The line of a place as it is after a change; undefined where the change is on another line. */
export function lineAfter(
  file: SourceFile,
  { range: [start, end], text }: Change,
  line: number,
): string | undefined {
  if (file.place(start).line !== line) return undefined;
  const lineStart = file.text.lastIndexOf('\n', start - 1) + 1;
  const found = file.text.indexOf('\n', end);
  const lineEnd = found < 0 ? file.text.length : found;
  return (file.text.slice(lineStart, start) + text + file.text.slice(end, lineEnd)).trim();
}
