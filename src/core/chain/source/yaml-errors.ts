import { countOf } from '../../count-of.ts';
import { BY_LINE } from './broken-lines.ts';
import { type Explained, openInFlow, openItem, openQuote } from './broken-values.ts';
import { parseYaml } from './parse-yaml.ts';

/** So many changes are tried on a broken file, each of which reads it again. */
const MOST_TRIES = 8;

/** Longer lines are left as they are: nobody writes one by hand, and some patterns take the square of its length. */
const LONGEST_LINE = 2000;

/**
 * Why YAML can't read a file, in terms of what was written: the parser's own words speak of what it looked for. `line` is where
 * it gave up, counted from 1. Undefined where nothing is recognised.
 */
export function explainYaml(text: string, line: number): Explained | undefined {
  const lines = text.split('\n').map((one) => one.replace(/\r$/, ''));
  const before = lines.slice(0, line - 1).findLastIndex((one) => one.trim() !== '' && !/^\s*#/.test(one)) + 1;
  // What is refused on an empty line is the next one that says something.
  const next =
    lines[line - 1]?.trim() === '' ? lines.findIndex((one, i) => i >= line && one.trim() !== '') + 1 : 0;
  const near = [...new Set([line, before, next])].filter((one) => one >= 1 && one <= lines.length);
  let tries = 0;
  const isBetter = (number: number, instead: string | undefined): boolean =>
    ++tries <= MOST_TRIES && helps(lines, number, instead);
  for (const explain of BY_LINE)
    for (const number of near) {
      if (lines[number - 1]!.length > LONGEST_LINE) continue;
      const found = explain(lines[number - 1]!, lines, number);
      if (found && isBetter(number, found.instead)) return { ...found, line: number };
    }
  // A quote that is left open is missed at the end of the file.
  for (let number = line; number >= 1; number--) {
    const one = lines[number - 1]!;
    if (one.length > LONGEST_LINE) continue;
    const found = openQuote(one) ?? openItem(one) ?? openInFlow(one);
    if (found && isBetter(number, found.instead)) return { ...found, line: number };
  }
  return indentation(lines, Math.min(line + 1, lines.length));
}

/**
 * A key that stands in its map twice because an item of the list has lost its dash: it is the first key of the item above.
 * Undefined where it is no such key.
 */
export function itemWithoutDash(lines: readonly string[], line: number): Explained | undefined {
  const [, blanks, key] = /^( +)([\w-]+):(?:\s|$)/.exec(lines[line - 1] ?? '') ?? [];
  if (blanks === undefined) return undefined;
  const column = (one: string): number => /^ */.exec(one)![0].length;
  const says = (one: string): boolean => one.trim() !== '' && !/^\s*#/.test(one);
  const above = lines.slice(0, line - 1).findLast((one) => says(one) && column(one) < blanks.length) ?? '';
  const [dashes, first] = /^ *(?:- +)+(?=([\w-]+):)/.exec(above) ?? [];
  if (dashes?.length !== blanks.length || first !== key) return undefined;
  return {
    code: 'yaml',
    message: `${key!} stands here twice; another item of the list begins with a dash`,
    line,
    column: blanks.length + 1,
    instead: dashes + lines[line - 1]!.trim(),
  };
}

/** Whether a line put right leaves YAML with less to complain of. */
function helps(lines: readonly string[], line: number, instead: string | undefined): boolean {
  if (instead === undefined) return true;
  const indent = /^\s*/.exec(instead)![0] === '' ? /^[ ]*/.exec(lines[line - 1]!)![0] : '';
  const mended = lines.with(line - 1, indent + instead).join('\n');
  const at = (text: string): number =>
    parseYaml(text, { logLevel: 'silent' }).errors.reduce(
      (least, { pos }) => Math.min(least, pos[0]),
      Infinity,
    );
  return at(mended) > at(lines.join('\n')) + (mended.length - lines.join('\n').length);
}

/** A line that begins at a column at which nothing of what it stands in begins. */
function indentation(lines: readonly string[], last: number): Explained | undefined {
  const open: { readonly column: number; readonly line: number; readonly key: string }[] = [];
  let opens = true;
  let block: number | undefined;
  let within: RegExp | undefined;
  for (let i = 0; i < last; i++) {
    const line = lines[i]!;
    if (line.trim() === '' || /^\s*#/.test(line)) continue;
    // A text in quotes, or a list or map in brackets, that goes over several lines has columns of its own.
    if (within) {
      if (within.test(line)) within = undefined;
      continue;
    }
    within = endOfOpen(line);
    const start = /^ */.exec(line)![0].length;
    if (block !== undefined && start > block) continue;
    block = undefined;
    const [, dashes = ''] = /^ *((?:- +)*)/.exec(line) ?? [];
    const key = /^([^:]*?):(?:\s|$)/.exec(line.slice(start + dashes.length))?.[1];
    let popped: (typeof open)[number] | undefined;
    while (open.length > 0 && open.at(-1)!.column > start) popped = open.pop();
    const top = open.at(-1);
    // Of a line and one that it stands a column beside, the one between the usual columns has moved.
    const beside = [top, popped].find((one) => one?.column === start - 1);
    if (beside && !opens && start % 2 === 0)
      return misplaced(lines[beside.line - 1]!, beside.line, beside.column, {
        column: start,
        line: i + 1,
        key: key ?? '',
      });
    if (top && top.column < start && !opens) return misplaced(line, i + 1, start, popped ?? top);
    if (top && top.column !== start && popped && !opens) return misplaced(line, i + 1, start, popped);
    if (!top || top.column < start)
      open.push({ column: start, line: i + 1, key: key ?? line.trim().slice(0, 20) });
    if (dashes !== '')
      open.push({ column: start + dashes.length, line: i + 1, key: key ?? line.trim().slice(0, 20) });
    opens = /:\s*(?:#.*)?$|^\s*-\s*$/.test(line);
    if (/:\s*[|>][+-]?\d*\s*(?:#.*)?$/.test(line)) block = start + dashes.length;
  }
  return undefined;
}

/** What ends a value that a line opens and does not close; undefined where it opens none. */
function endOfOpen(line: string): RegExp | undefined {
  const [, sign, rest = ''] = /(?::|^\s*-)\s+(["'{[])(.*)$/.exec(line) ?? [];
  if (sign === undefined) return undefined;
  const end = sign === '{' ? /\}/ : sign === '[' ? /\]/ : sign === '"' ? /(?<!\\)"/ : /'/;
  return end.test(rest) ? undefined : end;
}

function misplaced(
  line: string,
  number: number,
  start: number,
  like: { readonly column: number; readonly line: number; readonly key: string },
): Explained {
  const what = /^\s*(?:- +)*([^:]+)/.exec(line)?.[1]?.slice(0, 40) ?? 'this line';
  const by = countOf(Math.abs(start - like.column), 'column');
  return {
    code: 'yaml',
    message: `${what} begins ${by} ${start > like.column ? 'further in' : 'further out'} than ${like.key} on line ${like.line}; what belongs together begins at one column`,
    line: number,
    column: start + 1,
    instead: ' '.repeat(like.column) + line.trim(),
  };
}
