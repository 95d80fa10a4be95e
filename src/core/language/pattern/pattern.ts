import { Automaton } from './automaton.ts';
import { findGroups } from './captures.ts';
import { compileProgram, type Program } from './program.ts';
import { parsePattern } from './syntax.ts';

/** A pattern of RFC 9485, ready to be tried. Whatever the pattern, the time is linear in the text. */
export class Pattern {
  readonly #program: Program;
  #match: Automaton | undefined;
  #search: Automaton | undefined;

  /** Throws `pattern-invalid` or `pattern-too-large`. */
  constructor(source: string) {
    this.#program = compileProgram(parsePattern(source));
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
    return this.search(text) ? findGroups(this.#program, text) : undefined;
  }
}

const kept = new Map<string, Pattern>();
const KEPT = 200;

/** The pattern of a text, compiled once for as long as it is in use. */
export function patternOf(source: string): Pattern {
  let pattern = kept.get(source);
  if (pattern) return pattern;
  pattern = new Pattern(source);
  if (kept.size >= KEPT) kept.delete(kept.keys().next().value!);
  kept.set(source, pattern);
  return pattern;
}
