import { asScalar, lineOf } from './scalar-text.ts';
import type { Change } from './source-problem.ts';
import type { ScalarNode, SourceFile, SourceNode } from './source-file.ts';

/** The change by which a scalar has another text. */
export function rewritten(file: SourceFile, node: ScalarNode, text: string): Change | undefined {
  if (node.endOf) {
    const { whole, from } = node.endOf;
    return rewritten(file, whole, whole.text.slice(0, from) + text);
  }
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
  const [start, end] = [node.offset(from), node.offset(to)];
  if (/^[|>]/.test(source)) return { range: [start, end], text };
  // Of several lines only this one is put right.
  if (source.includes('\n') && !node.endOf)
    return file.text.slice(start, end).includes('\n') || text.includes('\n')
      ? undefined
      : { range: [start, end], text: inSameQuotes(source, text) };
  return rewritten(file, node, node.text.slice(0, from) + text + node.text.slice(to));
}

/** A part of a text as it is written in the quotes of the whole. */
function inSameQuotes(source: string, text: string): string {
  if (source.startsWith('"')) return JSON.stringify(text).slice(1, -1);
  return source.startsWith("'") ? text.replaceAll("'", "''") : text;
}

/** The change by which YAML stands in the place of a value. */
export function replacedBy(node: SourceNode, text: string): Change {
  return { range: [node.range[0], node.range[1]], text };
}

/** The line of a place as it is after a change; undefined where the change is on another line. */
export function lineAfter(file: SourceFile, change: Change, line: number): string | undefined {
  return file.place(change.range[0]).line === line ? lineOf(file.text, change) : undefined;
}
