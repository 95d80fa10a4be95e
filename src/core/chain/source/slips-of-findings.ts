// How a line may have been meant, given what was found on it or what is missing elsewhere.

import { nearest } from '../../language/nearest.ts';
import type { Finding } from './finding.ts';
import { missingKey, missingName } from './lines-to-try.ts';
import type { Slip } from './slip.ts';
import { slipsOf } from './slips.ts';

/** `name: load firing`, where a step below uses `load`, and `each: racks` where one uses `rack`. */
export function* usedName({ code }: Finding, all: readonly Finding[], written: string): Generator<Slip> {
  const [, head, list] = /^(\s*(?:- +)*each:\s*)((?!.*\s(?:in|of|as)\s)\S.*)$/.exec(written) ?? [];
  for (const one of head === undefined ? [] : all) {
    const name = one.code === 'unknown-name' ? missingName(one) : undefined;
    if (name !== undefined)
      yield { why: 'each is NAME in LIST', line: `${head!}${name} in ${list!}`, isPlain: true };
  }
  const [, blanks, rest] = /^(\s*):(?=\s|$)(.*)$/.exec(written) ?? [];
  for (const one of blanks === undefined ? [] : all) {
    const name = one.code === 'unknown-name' ? missingName(one) : undefined;
    if (name !== undefined)
      yield {
        why: `a key is missing before this colon; ${name} is used`,
        line: `${blanks!}${name}:${rest!}`,
        isPlain: true,
      };
  }
  const [, lead, value = ''] = /^(\s*(?:- +)*name:\s*)(.*)$/.exec(written) ?? [];
  if (code !== 'name-invalid' || lead === undefined) return;
  for (const one of all) {
    const name = missingName(one);
    if (name !== undefined && value.includes(name))
      yield { why: `further on this is called ${name}`, line: lead + name, ofName: true };
  }
}

/** How a line may have been meant, given what was found. */
export function* slipsFor(
  found: Finding,
  lines: readonly string[],
  line: number,
  keys: ReadonlySet<string>,
): Generator<Slip> {
  const name = missingName(found);
  const written = lines[line - 1]!;
  const isUse = line === found.place?.line;
  if (name !== undefined)
    // A name that is used as it should be, and is misspelt where it comes from.
    for (const word of isUse ? [/^\s*(?:- +)*(\w+):/.exec(written)?.[1] ?? name] : wordsOf(written))
      if (word !== name && nearest(name, [word]) !== undefined)
        yield {
          why: `further on this is called ${name}, not ${word}`,
          line: written.replace(word, name),
        };
  const steps =
    name === undefined || !isUse
      ? []
      : lines.flatMap((one) => /^\s*(?:- +)*name: +([A-Za-z]\w*)\s*$/.exec(one)?.[1] ?? []);
  for (const root of name === undefined || !isUse ? [] : ['secret', 'services', 'values', ...steps])
    if (name!.startsWith(root) && /^[A-Za-z]/.test(name!.slice(root.length)))
      yield {
        why: 'a member follows a dot',
        line: written.replace(name!, `${root}.${name!.slice(root.length)}`),
      };
  const credential =
    found.code === 'unknown-credential' ? /^(\s*(?:- +)*)as:\s+(\w+)\s*$/.exec(written) : null;
  if (credential && lines.filter((one) => new RegExp(`\\b${credential[2]!}\\b`).test(one)).length > 1)
    yield { why: 'a step is given a name by name:', line: `${credential[1]!}name: ${credential[2]!}` };
  const [, literal, word] =
    (name !== undefined &&
      /^(\s*(?:- +)*(?:name|kind|user|client-id|scope|grant):\s+)["']?\$\{\s*([\w-]+)\s*\}["']?$/.exec(
        written,
      )) ||
    [];
  if (word !== undefined) yield { why: `${word} is the text itself`, line: literal! + word, loses: true };
  // What has to be there may stand there by the name of another key.
  const missing = isUse ? undefined : missingKey(found);
  const [, dashes, rest] = /^(\s*(?:- +)*)[a-z][\w-]*(:(?:\s.*)?)$/.exec(written) ?? [];
  if (missing !== undefined && missing !== '' && rest !== undefined)
    yield { why: `this is written ${missing} here`, line: dashes! + missing + rest, isGuess: true };
  const duration =
    found.code === 'not-yes-or-no' ? /^(\s*(?:- +)*)[\w-]+:(\s*\d+(?:ms|[smhd]))\s*$/.exec(written) : null;
  for (const key of duration ? ['within', 'every', 'wait', 'timeout'].filter((one) => keys.has(one)) : [])
    yield {
      why: `a duration is no condition; ${key} takes one`,
      line: `${duration![1]!}${key}:${duration![2]!}`,
    };
  const item = isUse && name !== undefined && ITEM.has(name) ? itemNameAbove(lines, line) : undefined;
  if (item !== undefined)
    yield {
      why: `the item of this loop is called ${item}`,
      line: written.replace(new RegExp(`\\b${name!}\\b`, 'g'), item),
    };
  if (name === undefined || isUse) yield* slipsOf(lines, line - 1, keys);
}

/** What the item of a loop is called elsewhere. */
const ITEM: ReadonlySet<string> = new Set(
  'item it this element elem el entry row record x each value current self _'.split(' '),
);

/** The name of the item of the loop that a line stands in. */
function itemNameAbove(lines: readonly string[], line: number): string | undefined {
  const own = /^\s*/.exec(lines[line - 1]!)![0].length;
  for (const above of lines.slice(0, line - 1).reverse()) {
    const [, blanks, name] = /^( *)- each:\s*(?:for\s+)?(\w+)\b.*\s(?:in|of)\s/.exec(above) ?? [];
    if (blanks !== undefined && blanks.length < own) return name;
  }
  return undefined;
}

function wordsOf(line: string): ReadonlySet<string> {
  return new Set(line.match(/[A-Za-z_]\w*/g));
}
