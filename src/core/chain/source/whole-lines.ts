import type { Finding } from './finding.ts';

/** So much text is read again, in characters, to see what is still wrong with lines that were put right. */
const MOST_READ = 200_000;

/** A line has no more mistakes than this that are put right one after the other. */
const MOST_ROUNDS = 5;

/**
 * Findings whose line as it should stand has every other mistake on it put right too, as far as that is known: a line is
 * typed once, not once for each mistake on it. `read` says what is found in a text. Of several findings on one line the first
 * has the line.
 */
export function withWholeLines(
  findings: readonly Finding[],
  text: string,
  read: (text: string) => readonly Finding[],
): readonly Finding[] {
  let left = MOST_READ;
  const again = (other: string): readonly Finding[] | undefined =>
    (left -= other.length) < 0 ? undefined : read(other);
  const right = new Set<number>();
  return findings.map((finding) => {
    const { instead, place } = finding;
    if (instead === undefined || !place) return finding;
    if (right.has(place.line)) {
      const { instead: _, ...rest } = finding;
      return rest;
    }
    const whole = wholeLine(text, place.line, instead, again);
    if (whole.isRight) right.add(place.line);
    if (whole.line === instead) return finding;
    // What the hint writes out is the line with one mistake less, not the line as it should stand.
    const { hint, ...rest } = finding;
    const isPart = hint !== undefined && instead.includes(hint);
    return { ...rest, ...(hint === undefined || isPart ? {} : { hint }), instead: whole.line };
  });
}

/** What hides the rest of its line weighs more than what is found in a line that can be read. */
const HIDING: ReadonlySet<Finding['code']> = new Set(['bad-syntax', 'yaml', 'yaml-trap', 'unknown-key']);

/** A line that was put right, with what is then found on it put right as well; never one with which more is wrong. */
function wholeLine(
  text: string,
  line: number,
  instead: string,
  again: (text: string) => readonly Finding[] | undefined,
): { readonly line: string; readonly isRight: boolean } {
  let [best, least] = [instead, Infinity];
  let isRight = false;
  let current = instead;
  const seen = new Set<string>();
  for (let round = 0; round < MOST_ROUNDS && !seen.has(current); round++) {
    seen.add(current);
    const after = again(withLine(text, line, current));
    const weight = after?.reduce((sum, { code }) => sum + (HIDING.has(code) ? 10 : 1), 0) ?? Infinity;
    if (!after) break;
    if (weight < least) {
      [best, least] = [current, weight];
      isRight = !after.some(({ place }) => place?.line === line);
    }
    const next = after.find((one) => one.instead !== undefined && one.place?.line === line)?.instead;
    if (next === undefined) break;
    current = next;
  }
  return { line: best, isRight };
}

/** A text with another line in the place of one; one that says where it begins, too, has its own blanks. */
export function withLine(text: string, line: number, instead: string): string {
  const lines = text.split('\n');
  const before = lines[line - 1] ?? '';
  const blanks = instead.startsWith(' ') ? '' : /^\s*/.exec(before)![0];
  return lines.with(line - 1, blanks + instead + (before.endsWith('\r') ? '\r' : '')).join('\n');
}
