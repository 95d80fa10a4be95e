import type { Finding } from './finding.ts';
import { SourceFile, type SourceNode } from './source-file.ts';

/** A file with the lines that YAML misread written as they should stand. */
export interface Mended {
  readonly text: string;
  /** The lines that were changed, counted from 1. */
  readonly lines: readonly number[];
}

/** Findings that say that a line still is not what was meant. */
const NOT_MENDED: ReadonlySet<Finding['code']> = new Set([
  'yaml',
  'yaml-trap',
  'bad-syntax',
  'unreachable',
  'expression-in-text',
  'text-in-expression',
]);

/** A line has no more mistakes than this, or is left as it is. */
const MOST_ON_A_LINE = 20;

/**
 * Mends what YAML misreads. A line is changed only where it then reads as YAML, where what stood there as an expression is
 * what YAML then reads there, and where nothing is found on it that says otherwise; any other stays as it was. `check` gives
 * what is found in a text.
 */
export function mend(path: string, text: string, check: (text: string) => readonly Finding[]): Mended {
  const left = new Set<number>();
  for (;;) {
    const { text: mended, meant } = mendAllBut(path, text, left);
    if (meant.size === 0) return { text, lines: [] };
    const file = new SourceFile(path, mended);
    const against = new Set(
      [...file.problems, ...check(mended).filter(({ code }) => NOT_MENDED.has(code))].map(
        ({ place }) => place?.line,
      ),
    );
    const wrong = [...meant].filter(
      ([line, texts]) => against.has(line) || !texts.every((one) => reads(file, file.root, line, one)),
    );
    if (wrong.length === 0) return { text: mended, lines: [...meant.keys()] };
    for (const [line] of wrong) left.add(line);
  }
}

/** The text with each fix on lines that are not to be left, and what was meant on each of them. */
function mendAllBut(
  path: string,
  text: string,
  left: ReadonlySet<number>,
): { readonly text: string; readonly meant: ReadonlyMap<number, readonly string[]> } {
  const meant = new Map<number, string[]>();
  let mended = text;
  // One mistake hides the next on its line, so it takes as many rounds as a line has mistakes.
  for (let round = 0; round < MOST_ON_A_LINE; round++) {
    const fixes = new SourceFile(path, mended).problems.flatMap(({ fix, place }) =>
      fix && place && !left.has(place.line) ? [{ ...fix, line: place.line }] : [],
    );
    if (fixes.length === 0) break;
    for (const { range, text: written, means, line } of fixes.toSorted((a, b) => b.range[0] - a.range[0])) {
      mended = mended.slice(0, range[0]) + written + mended.slice(range[1]);
      meant.set(line, [...(meant.get(line) ?? []), means]);
    }
  }
  return { text: mended, meant };
}

/** Whether YAML reads a text somewhere on a line. */
function reads(file: SourceFile, node: SourceNode, line: number, text: string): boolean {
  if (node.type === 'scalar') return node.text === text && file.place(node.range[0]).line === line;
  if (node.type === 'map')
    return node.entries.some(
      ({ key, value }) => reads(file, key, line, text) || reads(file, value, line, text),
    );
  return node.type === 'list' && node.items.some((item) => reads(file, item, line, text));
}
