import { Automaton } from './automaton.ts';
import { findGroups, type PatternMatch } from './captures.ts';
import { compileProgram, type Program } from './program.ts';
import { parsePattern } from './syntax.ts';

/** A pattern of RFC 9485, ready to be tried. Whatever the pattern, the time is linear in the text. */
export class Pattern {
  readonly #program: Program;
  #match: Automaton | undefined;
  #search: Automaton | undefined;

  /** Throws `pattern-invalid` or `pattern-too-large`. */
  constructor(source: string, anyCase = false) {
    this.#program = compileProgram(parsePattern(source, anyCase));
  }

  /** Whether the whole text matches. */
  match(text: string): boolean {
    return (this.#match ??= new Automaton(this.#program, 'match')).test(text);
  }

  /** Whether some part of the text matches. */
  search(text: string): boolean {
    return (this.#search ??= new Automaton(this.#program, 'search')).test(text);
  }

  /** The first match and its groups; undefined if there is none. */
  groups(text: string): (string | undefined)[] | undefined {
    return this.search(text) ? findGroups(this.#program, text, 0)?.groups : undefined;
  }

  /**
   * All matches, each beginning where the one before it ended or later; where that one was empty, one character later.
   * `beyond` is told how many characters were looked at behind each: some patterns look at the rest of the text every time.
   */
  *all(text: string, beyond: (characters: number) => void): Generator<PatternMatch> {
    if (!this.search(text)) return;
    for (let from = 0; from <= text.length;) {
      const found = findGroups(this.#program, text, from, beyond);
      if (!found) return;
      yield found;
      from =
        found.end > found.start ? found.end : found.end + (text.codePointAt(found.end)! > 0xffff ? 2 : 1);
    }
  }
}

const kept = new Map<string, Pattern>();
const KEPT = 200;

/** The pattern of a text, compiled once for as long as it is in use. With `i` as its mode the case of letters does not count. */
export function patternOf(source: string, mode?: 'i'): Pattern {
  const key = `${mode ?? ''}:${source}`;
  let pattern = kept.get(key);
  if (pattern) return pattern;
  pattern = new Pattern(source, mode === 'i');
  if (kept.size >= KEPT) kept.delete(kept.keys().next().value!);
  kept.set(key, pattern);
  return pattern;
}
