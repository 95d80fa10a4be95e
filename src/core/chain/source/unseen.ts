import type { Finding } from './finding.ts';
import type { SourceFile } from './source-file.ts';

/** Characters that look like a blank, or like nothing at all. */
const INVISIBLE: Readonly<Record<string, readonly [name: string, meant: string]>> = {
  '\u00a0': ['a no-break space (U+00A0), not a blank', ' '],
  '\u2007': ['a figure space (U+2007), not a blank', ' '],
  '\u202f': ['a narrow no-break space (U+202F), not a blank', ' '],
  '\u3000': ['an ideographic space (U+3000), not a blank', ' '],
  '\u00ad': ['a soft hyphen (U+00AD), which is not seen', ''],
  '\u200b': ['a zero-width space (U+200B), which is not seen', ''],
  '\u200c': ['a zero-width non-joiner (U+200C), which is not seen', ''],
  '\u200d': ['a zero-width joiner (U+200D), which is not seen', ''],
  '\u2060': ['a word joiner (U+2060), which is not seen', ''],
  '\ufeff': ['a byte order mark (U+FEFF), which is not seen', ''],
  '\u2028': ['a line separator (U+2028), not a line break', ' '],
};

/** Letters of other alphabets that look like Latin ones, and those (Unicode Technical Standard 39, in part). */
const ALIKE: Readonly<Record<string, string>> = {
  ...pairs('АВЕКМНОРСТУХІЅЈаеорсухіѕј', 'ABEKMHOPCTYXISJaeopcyxisj'),
  ...pairs('ΑΒΕΖΗΙΚΜΝΟΡΤΥΧο', 'ABEZHIKMNOPTYXo'),
};

function pairs(from: string, to: string): Record<string, string> {
  return Object.fromEntries(Array.from(from, (char, i) => [char, to[i]!]));
}

/**
 * The finding in place of another one on whose line is a character that nobody sees: that is what is wrong there. Undefined
 * where there is none.
 */
export function unseen(file: SourceFile, finding: Finding): Finding | undefined {
  const line = finding.place && file.line(finding.place.line);
  if (line === undefined || !/[^\u0020-\u007e]/.test(line)) return undefined;
  const found = firstUnseen(line);
  if (!found) return undefined;
  const { code, level, place } = finding;
  const said = {
    message: `there is ${found.what} on this line`,
    place: { ...place!, column: found.at + 1 },
    instead: withoutUnseen(line).trim(),
  };
  // What only was a warning hides a slip that changes what is sent.
  return level === 'problem' ? { ...said, code, level } : { ...said, code: 'wrong-form', level: 'problem' };
}

function firstUnseen(line: string): { readonly at: number; readonly what: string } | undefined {
  for (let at = 0; at < line.length; at++) {
    const char = line[at]!;
    const invisible = INVISIBLE[char];
    if (invisible) return { at, what: invisible[0] };
    const latin = ALIKE[char];
    // A word of one alphabet is a word; one of two is a slip.
    if (latin !== undefined && /[A-Za-z]/.test(wordAt(line, at)))
      return {
        at,
        what: `the letter ${char} of another alphabet (${codeOf(char)}), which looks like the Latin ${latin},`,
      };
  }
  return undefined;
}

function withoutUnseen(line: string): string {
  return Array.from(line, (char, i) => {
    const invisible = INVISIBLE[char];
    if (invisible)
      return invisible[1] === ' ' && /[:\s]/.test(line[i - 1] ?? '') && line[i + 1] === ' '
        ? ''
        : invisible[1];
    const latin = ALIKE[char];
    return latin !== undefined && /[A-Za-z]/.test(wordAt(line, i)) ? latin : char;
  }).join('');
}

function wordAt(line: string, at: number): string {
  const before = /[\p{L}\p{N}_]*$/u.exec(line.slice(0, at))![0];
  return before + /^[\p{L}\p{N}_]*/u.exec(line.slice(at))![0];
}

function codeOf(char: string): string {
  return `U+${char.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}`;
}
