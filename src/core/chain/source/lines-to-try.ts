// The lines of a file on which what was found may be put right.

import { nearest } from '../../language/nearest.ts';
import type { Finding } from './finding.ts';

/** So many lines are looked at for what was found on one. */
const MOST_LINES = 12;

/** The line itself, and the last one above that ends with what it opens. */
export function plainLines(lines: readonly string[], line: number): readonly number[] {
  const from = Math.max(0, line - 1 - MOST_LINES);
  const above = lines.slice(from, line - 1).findLastIndex((one) => /:\s*[{[(]\s*$/.test(one));
  return above < 0 ? [line] : [line, from + above + 1];
}

/** The lines on which what was found may be put right: its own, the ones around it, and those that it speaks of. */
export function linesFor(found: Finding, lines: readonly string[], line: number): readonly number[] {
  const says = (one: string): boolean => one.trim() !== '' && !/^\s*#/.test(one);
  const column = (one: string): number => /^\s*/.exec(one)![0].length;
  const own = column(lines[line - 1]!);
  const above = lines.slice(0, line - 1);
  const below = lines.slice(line);
  const owner = (of: number): number =>
    lines.slice(0, of - 1).findLastIndex((one) => says(one) && column(one) < column(lines[of - 1] ?? '')) + 1;
  const isOfYaml = found.code === 'yaml' || found.code === 'yaml-trap';
  const around = [
    line,
    above.findLastIndex(says) + 1,
    below.findIndex(says) + line + 1,
    owner(line),
    owner(owner(line)),
    // What begins with a tab YAML joins to the line above.
    isOfYaml ? above.findLastIndex((one) => one.startsWith('\t')) + 1 : 0,
    // An item, or a key, of the list or map that this one is not a part of.
    isOfYaml ? above.findLastIndex((one) => says(one) && column(one) <= own) + 1 : 0,
    // All that stands at the first column is refused where the file begins further in.
    own === 0 ? lines.findIndex(says) + 1 : 0,
    ...Array.from(found.message.matchAll(/ on line (\d+)/g), ([, number]) => Number(number)),
  ];
  // Of a map or list that is refused an item may be what is wrong.
  const isInside = found.code === 'wrong-form' && /, but this is a (?:map|list)$/.test(found.message);
  const end = below.findIndex((one) => says(one) && column(one) < own + (isInside ? 0 : 1));
  const inside = below.slice(0, end < 0 ? MOST_LINES : end).map((_, i) => line + 1 + i);
  const name = missingName(found);
  const defining = name === undefined ? [] : definitionsLike(name, lines);
  // What is of another kind in several places is so where it comes from.
  const [, other] = /^([A-Za-z_]\w*) is .*\(also on line/.exec(found.message) ?? [];
  if (found.code === 'wrong-kind' && other !== undefined) return [...linesOf(other, lines), line];
  const missing = found.code === 'environment-needed' ? 'default-environment' : missingKey(found);
  const near =
    missing !== undefined
      ? [...linesWithKey(missing, lines), ...around, ...inside]
      : // A name that is missing in several places is more likely misspelt in the one where it comes from.
        found.message.includes('(also on line')
        ? [...defining, ...around]
        : [...around, ...defining, ...(isInside ? inside : [])];
  return [...new Set(near)].filter((one) => one >= 1 && one <= lines.length).slice(0, MOST_LINES);
}

/** The lines on which a sign may be lost, or be one too many: the line itself; of YAML also those above it that do not close what they open. */
export function linesOfSigns({ code, place }: Finding, lines: readonly string[]): readonly number[] {
  const line = place!.line;
  if (code !== 'yaml' && code !== 'yaml-trap') return [line];
  const open = lines.flatMap((one, i) => (i < line - 1 && isUneven(one) ? [i + 1] : []));
  const above = lines.slice(0, line - 1).findLastIndex((one) => one.trim() !== '') + 1;
  return [...new Set([line, ...open.reverse().slice(0, MOST_OPEN), above])].filter((one) => one > 0);
}

/** So many lines with something open are looked at. */
const MOST_OPEN = 4;

/** Whether a line closes something that it does not open, or the reverse. */
function isUneven(line: string): boolean {
  const count = (sign: RegExp): number => line.match(sign)?.length ?? 0;
  return (
    count(/(?<!\\)"/g) % 2 === 1 || count(/(?<!\w)'|'(?!\w)/g) % 2 === 1 || count(/[[{]/g) !== count(/[\]}]/g)
  );
}

/** The key that a finding says is not there. */
export function missingKey({ code, message }: Finding): string | undefined {
  return code === 'missing-key' ? (/ has no ([\w-]+)/.exec(message)?.[1] ?? '') : undefined;
}

function linesWithKey(key: string, lines: readonly string[]): number[] {
  return key === ''
    ? []
    : lines.flatMap((one, i) =>
        one
          .trimStart()
          .replace(/^(?:- +)+/, '')
          .startsWith(`${key}:`)
          ? [i + 1]
          : [],
      );
}

/** The name or member that a finding says is not there. */
export function missingName({ name, message }: Finding): string | undefined {
  return name ?? /^(?:secret|values|services) has no member (\w+)/.exec(message)?.[1];
}

/** The lines on which a name is a key, also in braces. */
function linesOf(name: string, lines: readonly string[]): number[] {
  const key = new RegExp(`(?:^\\s*(?:- +)*|[{,]\\s*)${name}:(?:\\s|$)`);
  return lines.flatMap((one, i) => (key.test(one) ? [i + 1] : [])).slice(0, MOST_LINES - 1);
}

/** The lines that define a name like one. */
function definitionsLike(name: string, lines: readonly string[]): number[] {
  return lines.flatMap((one, i) =>
    /^\s*(?:- +)*["']?[A-Za-z_][\w-]*["']?:/.test(one) &&
    one.match(/[A-Za-z_]\w*/g)?.some((word) => word !== name && nearest(name, [word]) !== undefined)
      ? [i + 1]
      : [],
  );
}
