// Two lines that were written as one.

import { isOurKey } from './key-habits.ts';
import type { Parts, Slip } from './slip.ts';

/** `as: desk credentials:`, `query: { limit: 5 } keep: { id: $.id }`, `- $.a == 1 - $.b == 2` */
export function* twoLines(parts: Parts): Generator<Slip> {
  const why = 'each key stands on a line of its own';
  const { lead, key, value } = parts;
  const columns = columnsAbove(parts);
  const isKnown = (word: string): boolean => parts.keys.has(word) || isOurKey(word);
  for (const { index, 0: blanks } of value.matchAll(/(?<=\S)[,;]?\s+(?=(?:- +)?[A-Za-z][\w-]*:(?:\s|$))/g)) {
    const first = lead + key + value.slice(0, index);
    const second = value.slice(index + blanks.length);
    const [, dash, other] = /^(- +)?([\w-]+):/.exec(second)!;
    // What is closed has nothing behind it.
    const isClosed = /[}\]"']$/.test(first);
    if (!isKnown(other!) && !isClosed && (key === '' || OF_PEOPLE.has(key.trim()))) continue;
    const isPlain =
      key !== '' &&
      isKnown(other!) &&
      dash === undefined &&
      (/:$/.test(second) || !OF_PEOPLE.has(key.trim()));
    for (const column of columns)
      yield {
        why,
        line: `${first}\n${' '.repeat(column)}${second}`,
        ...(isPlain ? { isPlain } : {}),
      };
  }
  // `services: kiln:` and `kiln: url: practice`, and below it what else belongs there.
  const below = /^ */.exec(parts.lines[parts.at + 1] ?? '')![0].length - (value.endsWith(':') ? 2 : 0);
  if (/^["']?[\w-]+["']?:(?:\s|$)/.test(value) && below > lead.length)
    yield { why, line: `${lead}${key.trim()}\n${' '.repeat(below)}${value}`, isPlain: true };
  const [, first, second] = /^(\s*- (?:[^"'\s]|"[^"]*"|'[^']*'|\s(?!- ))+) (- \S.*)$/.exec(parts.whole) ?? [];
  if (second !== undefined)
    yield {
      why: 'each item of a list stands on a line of its own',
      line: `${first!.trimEnd()}\n${' '.repeat(first!.search(/\S/))}${second}`,
    };
}

/** Keys of which the value is written for people, who may write a colon. */
const OF_PEOPLE: ReadonlySet<string> = new Set([
  'about:',
  'because:',
  'title:',
  'show:',
  'ask:',
  'text:',
  'chain:',
]);

/** The columns at which a key may begin here: that of this one, and of those that it stands in. */
function columnsAbove({ lead, lines, at }: Parts): readonly number[] {
  const columns = new Set([lead.length]);
  let least = lead.length;
  for (const line of lines.slice(0, at).reverse()) {
    const [, blanks, dashes] = /^( *)((?:- +)*)(?=\S)/.exec(line) ?? [];
    if (blanks === undefined || blanks.length >= least) continue;
    least = blanks.length;
    columns.add(blanks.length + dashes!.length).add(blanks.length);
  }
  return [...columns];
}
