// A line as it is after one stroke too few, too many or beside the key: at every place of it, so that nobody chooses the cases.

/** The signs beside one on a keyboard, and those that look like it. */
const BESIDE: Readonly<Record<string, string>> = {
  ':': ';=',
  '"': "'",
  "'": '"',
  '[': '{(',
  ']': '})',
  '(': '[{',
  ')': ']}',
  '{': '[(',
  '}': '])',
  '=': '-',
  '-': '_',
  _: '-',
  '.': ',:',
  ',': '.;',
  $: '#%',
  '/': '\\',
  '@': '$#',
  '?': '!',
  '*': '&',
  '|': 'l',
};

export interface Stroke {
  readonly rule: string;
  /** The whole text. */
  readonly text: string;
}

/** A text with one line of it written otherwise, in each way in which the hand slips. */
export function* strokes(text: string, at: number): Generator<Stroke> {
  const lines = text.split('\n');
  const line = lines[at]!;
  if (line.trim() === '' || /^\s*#/.test(line)) return;
  const put = (other: string): string => lines.with(at, other).join('\n');
  const start = /^\s*/.exec(line)![0].length;
  for (let i = start; i < line.length; i++) {
    const sign = line[i]!;
    if (/[A-Za-z0-9]/.test(sign)) continue;
    const [before, after] = [line.slice(0, i), line.slice(i + 1)];
    yield { rule: `${sign} lost at ${i}`, text: put(before + after) };
    if (sign !== ' ') yield { rule: `${sign} twice at ${i}`, text: put(before + sign + sign + after) };
    for (const other of BESIDE[sign] ?? '')
      yield { rule: `${other} for ${sign} at ${i}`, text: put(before + other + after) };
  }
  yield { rule: 'one column in', text: put(` ${line}`) };
  yield { rule: 'two columns in', text: put(`  ${line}`) };
  if (start > 0) yield { rule: 'one column out', text: put(line.slice(1)) };
  if (start > 1) yield { rule: 'two columns out', text: put(line.slice(2)) };
  if (start > 0) yield { rule: 'a tab', text: put('\t'.repeat(start / 2) + line.trim()) };
  yield /^\s*- /.test(line)
    ? { rule: 'no dash', text: put(line.replace('- ', '  ')) }
    : { rule: 'a dash', text: put(line.replace(/^\s*/, '$&- ')) };
  if (lines[at + 1]?.trim())
    yield {
      rule: 'two lines in one',
      text: lines.toSpliced(at, 2, `${line} ${lines[at + 1]!.trim()}`).join('\n'),
    };
  yield* keys(line, put);
}

/** The key of a line in other letters. */
function* keys(line: string, put: (other: string) => string): Generator<Stroke> {
  const [, lead, key, rest] = /^(\s*(?:- )?)([a-z][\w-]+)(:.*)$/i.exec(line) ?? [];
  if (key === undefined) return;
  const others = {
    'in capitals': key.toUpperCase(),
    'in quotes': `"${key}"`,
    'in the plural': key.endsWith('s') ? key.slice(0, -1) : `${key}s`,
    'a letter lost': key.slice(0, 2) + key.slice(3),
    'a letter twice': key.slice(0, 2) + key.slice(1),
    'letters swapped': key.slice(0, 1) + (key[2] ?? '') + key[1]! + key.slice(3),
    none: '',
  };
  for (const [rule, other] of Object.entries(others))
    if (other !== key) yield { rule: `the key: ${rule}`, text: put(lead! + other + rest!) };
}
