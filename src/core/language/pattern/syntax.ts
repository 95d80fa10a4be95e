import { fail } from '../../problems.ts';

/** A set of code points. */
export type CharSet = (codePoint: number) => boolean;

/** A pattern as read. `group` numbers count from 1, in the order of their opening brackets. */
export type PatternTree =
  | { readonly type: 'set'; readonly set: CharSet }
  | { readonly type: 'sequence'; readonly parts: readonly PatternTree[] }
  | { readonly type: 'choice'; readonly branches: readonly PatternTree[] }
  | { readonly type: 'repeat'; readonly part: PatternTree; readonly least: number; readonly most: number }
  | { readonly type: 'group'; readonly number: number; readonly part: PatternTree }
  | { readonly type: 'start' }
  | { readonly type: 'end' };

/** How often a part may be repeated by figures. */
const MAXIMUM_COUNT = 1000;
/** How deep groups may stand in each other. */
const MAXIMUM_DEPTH = 100;

const CATEGORY = /^(?:L[lmotu]?|M[cen]?|N[dlo]?|P[cdefios]?|Z[lps]?|S[ckmo]?|C[cfno]?)$/;

/** Escapes of other pattern languages, and how RFC 9485 says the same. */
const FOREIGN: Readonly<Record<string, string>> = {
  d: '[0-9]',
  D: '[^0-9]',
  w: '[A-Za-z0-9_]',
  W: '[^A-Za-z0-9_]',
  s: '[ \\t\\n\\r]',
  S: '[^ \\t\\n\\r]',
};

/**
 * Reads a pattern of RFC 9485. `^` at its start and `$` at its end are anchors, as the compliance suite of RFC 9535 has
 * them; elsewhere they stand for themselves. With `anyCase` the case of letters does not count. Throws `pattern-invalid` with a
 * span inside the pattern.
 */
export function parsePattern(source: string, anyCase = false): PatternTree {
  return new Reader(source, anyCase).pattern();
}

/** A set with the other cases of its characters, by the simple mappings of Unicode. */
function inAnyCase(set: CharSet): CharSet {
  const has = (char: string): boolean => {
    const point = char.codePointAt(0)!;
    return char.length === (point > 0xffff ? 2 : 1) && set(point);
  };
  return (point) => {
    if (set(point)) return true;
    const char = String.fromCodePoint(point);
    return has(char.toLowerCase()) || has(char.toUpperCase());
  };
}

class Reader {
  readonly #source: string;
  readonly #anyCase: boolean;
  #at = 0;
  #groups = 0;
  #depth = 0;

  constructor(source: string, anyCase: boolean) {
    this.#source = source;
    this.#anyCase = anyCase;
  }

  /** The set as it is meant where case does not count; what a class leaves out is looked at before it is turned round. */
  #cased(set: CharSet): CharSet {
    return this.#anyCase ? inAnyCase(set) : set;
  }

  pattern(): PatternTree {
    const tree = this.#choice();
    if (this.#at < this.#source.length)
      this.#refuse('a ")" without its "("', 'escape a literal bracket: \\)');
    return tree;
  }

  #refuse(message: string, hint: string, length = 1): never {
    fail('pattern-invalid', `the pattern '${this.#source}' is not valid (RFC 9485): ${message}`, {
      hint,
      span: [this.#at, this.#at + length],
    });
  }

  #choice(): PatternTree {
    if (++this.#depth > MAXIMUM_DEPTH)
      this.#refuse(`more than ${MAXIMUM_DEPTH} levels of groups`, 'a simpler pattern');
    const branches = [this.#sequence()];
    while (this.#source[this.#at] === '|') {
      this.#at++;
      branches.push(this.#sequence());
    }
    this.#depth--;
    return branches.length === 1 ? branches[0]! : { type: 'choice', branches };
  }

  #sequence(): PatternTree {
    const parts: PatternTree[] = [];
    for (;;) {
      const char = this.#source[this.#at];
      if (char === undefined || char === '|' || char === ')') break;
      parts.push(this.#repeated());
    }
    return parts.length === 1 ? parts[0]! : { type: 'sequence', parts };
  }

  #repeated(): PatternTree {
    const part = this.#atom();
    const [least, most] = this.#quantity() ?? [1, 1];
    if (least === 1 && most === 1) return part;
    const char = this.#source[this.#at];
    if (char === '?' || char === '+' || char === '*') {
      this.#refuse(
        `"${char}" after a quantity`,
        char === '?'
          ? 'there is no lazy form; a character class such as [^"]* often says it'
          : 'a group: (a+)*',
      );
    }
    return { type: 'repeat', part, least, most };
  }

  #quantity(): [number, number] | undefined {
    const char = this.#source[this.#at];
    if (char === '*' || char === '+' || char === '?') {
      this.#at++;
      return char === '*' ? [0, Infinity] : char === '+' ? [1, Infinity] : [0, 1];
    }
    if (char !== '{') return undefined;
    const found = /^\{([0-9]+)(,([0-9]*))?\}/.exec(this.#source.slice(this.#at));
    if (!found) this.#refuse('"{" begins a quantity', '{2}, {2,} or {2,5}; a brace itself is written \\{');
    const least = Number(found[1]);
    const most = found[2] === undefined ? least : found[3] === '' ? Infinity : Number(found[3]);
    if (least > most) this.#refuse('the smaller figure comes first', `{${most},${least}}`, found[0].length);
    if (least > MAXIMUM_COUNT || (most !== Infinity && most > MAXIMUM_COUNT)) {
      this.#refuse(`a count above ${MAXIMUM_COUNT}`, 'a smaller count, or {2,}', found[0].length);
    }
    this.#at += found[0].length;
    return [least, most];
  }

  #atom(): PatternTree {
    const char = this.#source[this.#at]!;
    switch (char) {
      case '(': {
        if (this.#source[this.#at + 1] === '?') {
          this.#refuse(
            '"(?" has no meaning',
            '( ) groups; there are no other kinds of groups, no look-ahead and no flags',
            2,
          );
        }
        this.#at++;
        const number = ++this.#groups;
        const part = this.#choice();
        if (this.#source[this.#at] !== ')')
          this.#refuse('a "(" without its ")"', 'escape a literal bracket: \\(');
        this.#at++;
        return { type: 'group', number, part };
      }
      case '.':
        this.#at++;
        return { type: 'set', set: (point) => point !== 10 && point !== 13 };
      case '[':
        return { type: 'set', set: this.#class() };
      case '\\':
        return { type: 'set', set: this.#escape() };
      case '^':
        if (this.#at === 0 || this.#source[this.#at - 1] === '(' || this.#source[this.#at - 1] === '|') {
          this.#at++;
          return { type: 'start' };
        }
        break;
      case '$': {
        const next = this.#source[this.#at + 1];
        if (next === undefined || next === ')' || next === '|') {
          this.#at++;
          return { type: 'end' };
        }
        break;
      }
      case '*':
      case '+':
      case '?':
      case '{':
        return this.#refuse(
          `nothing stands before "${char}" that could be repeated`,
          `the character itself is written \\${char}`,
        );
      case ']':
      case '}':
        return this.#refuse(`a lone "${char}"`, `the character itself is written \\${char}`);
    }
    const point = this.#codePoint();
    return { type: 'set', set: this.#cased((other) => other === point) };
  }

  #codePoint(): number {
    const point = this.#source.codePointAt(this.#at)!;
    this.#at += point > 0xffff ? 2 : 1;
    return point;
  }

  /** `\n`, `\.`, `\p{Lu}`: an escape of one character or of a category. */
  #escape(): CharSet {
    const char = this.#source[this.#at + 1];
    if (char === undefined) this.#refuse('a backslash at the end', 'a backslash itself is written \\\\');
    if (char === 'p' || char === 'P') {
      const [whole, name] = /^\\[pP]\{([^}]*)\}/.exec(this.#source.slice(this.#at)) ?? [];
      if (whole === undefined || !CATEGORY.test(name!)) {
        this.#refuse(
          '\\p wants a general category of Unicode',
          '\\p{L} letters, \\p{Lu} upper case, \\p{Nd} digits',
          whole?.length ?? 2,
        );
      }
      this.#at += whole.length;
      const category = new RegExp(`^\\${char}{${name!}}$`, 'u');
      return (point) => category.test(String.fromCodePoint(point));
    }
    const point = this.#escaped(char);
    return (other) => other === point;
  }

  #escaped(char: string): number {
    const control = { n: 10, r: 13, t: 9 }[char];
    if (control === undefined && !'()*+-.?[\\]^{|}$'.includes(char)) {
      const foreign = FOREIGN[char];
      if (foreign !== undefined) this.#refuse(`"\\${char}" has no meaning`, foreign, 2);
      const way =
        char === 'b' || char === 'B'
          ? 'there are no word boundaries; name what may stand there'
          : `"${char}" alone stands for itself`;
      this.#refuse(`"\\${char}" has no meaning`, way, 2);
    }
    this.#at += 2;
    return control ?? char.charCodeAt(0);
  }

  /** `[a-z]`, `[^a-z]`, `[-a]` */
  #class(): CharSet {
    const start = this.#at++;
    const negative = this.#source[this.#at] === '^';
    if (negative) this.#at++;
    const sets: CharSet[] = [];
    for (let first = true; this.#source[this.#at] !== ']' || first; first = false) {
      const char = this.#source[this.#at];
      if (char === undefined) {
        this.#at = start;
        this.#refuse('a "[" without its "]"', 'escape a literal bracket: \\[');
      }
      if (char === ']' || char === '[') {
        this.#refuse(`"${char}" inside a class`, `the character itself is written \\${char}`);
      }
      if (char === '\\' && /[pP]/.test(this.#source[this.#at + 1] ?? '')) {
        sets.push(this.#escape());
      } else if (
        char === '\\' &&
        FOREIGN[this.#source[this.#at + 1] ?? ''] &&
        /[dws]/.test(this.#source[this.#at + 1]!)
      ) {
        const inner = FOREIGN[this.#source[this.#at + 1]!]!.slice(1, -1);
        this.#refuse(`"\\${this.#source[this.#at + 1]!}" has no meaning`, `inside a class: ${inner}`, 2);
      } else {
        sets.push(this.#range());
      }
    }
    this.#at++;
    const any = this.#cased((point) => sets.some((set) => set(point)));
    return negative ? (point) => !any(point) : any;
  }

  #range(): CharSet {
    const low = this.#classChar();
    const isRange = this.#source[this.#at] === '-' && this.#source[this.#at + 1] !== ']';
    if (!isRange) return (point) => point === low;
    this.#at++;
    const high = this.#classChar();
    if (high < low)
      this.#refuse('the ends of a range are the wrong way round', 'the smaller character first: [a-z]');
    return (point) => point >= low && point <= high;
  }

  #classChar(): number {
    const char = this.#source[this.#at];
    if (char === undefined) this.#refuse('a "[" without its "]"', 'escape a literal bracket: \\[');
    return char === '\\' ? this.#escaped(this.#source[this.#at + 1] ?? '') : this.#codePoint();
  }
}
