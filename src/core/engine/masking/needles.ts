import { NumberTable } from './number-table.ts';

/** A place where a needle stands: start and end offset, end excluded. */
export interface Found {
  readonly start: number;
  readonly end: number;
  readonly label: string;
}

/** Fewer characters are never looked for: they stand in too many texts by chance. */
export const SHORTEST_NEEDLE = 6;

/** So much of the beginning of a longer needle counts as the needle itself: its rest may have been interrupted. */
export const TELLING_START = 64;

/** Steps that a search may take for each character of a text, on average; only a text made for it takes more. */
const STEPS = 64;

/** A part of a needle; the needles that go on from it differ in their next character. */
interface Branch {
  part: string;
  /** Of the needle that ends here. */
  label: string | undefined;
  /** How often that needle was added. */
  times: number;
  next: Map<number, Branch> | undefined;
}

/** A place is told from others by so many characters. */
const BLOCK = 4;

/** Longer beginnings would not let a search go faster. */
const WIDEST = 12;

/**
 * Finds many needles in a text. Each needle lies in a tree of its beginnings, which is found by its first four characters. A
 * table says of any four characters how far it is at least to where a needle can begin (Wu and Manber, 1994), so most of a
 * text is passed over. A search does not depend on how many needles there are, and adding one costs its length.
 */
export class Needles {
  readonly #trees = new NumberTable<Branch>();
  /** How far to go on from a block of characters, by its hash. */
  #skips = new Uint8Array(1 << 16);
  #shift = 16;
  /** So many characters of the beginning of each needle are in the table. */
  #width = WIDEST;
  #shortest = WIDEST;
  /** Blocks in the table, those of needles that are gone among them. */
  #blocks = 0;
  #longest = 0;
  #size = 0;

  constructor() {
    this.#skips.fill(WIDEST - BLOCK + 1);
  }

  /** How many different needles there are. */
  get size(): number {
    return this.#size;
  }

  /** The length of the longest needle that was ever added. */
  get longest(): number {
    return this.#longest;
  }

  /** Adds a needle of at least {@link SHORTEST_NEEDLE} characters; the label of the first one that is alike stands. */
  add(needle: string, label: string): void {
    const key = keyAt(needle, 0);
    const tree = this.#trees.get(key);
    if (!tree) this.#trees.set(key, leaf(needle, label));
    else if (!insert(tree, needle, label)) return;
    this.#size++;
    if (needle.length > this.#longest) this.#longest = needle.length;
    if (needle.length < this.#shortest) this.#shortest = needle.length;
    if (needle.length < this.#width || this.#blocks * 8 > this.#skips.length) this.#rebuild();
    else this.#enter(needle);
  }

  /** Takes a needle away, once it has been removed as often as it was added. */
  remove(needle: string): void {
    const key = keyAt(needle, 0);
    const tree = this.#trees.get(key);
    if (!tree || !removeFrom(tree, needle)) return;
    this.#size--;
    if (tree.label === undefined && !tree.next) this.#trees.delete(key);
  }

  /** Puts the beginning of a needle into the table. */
  #enter(needle: string): void {
    const last = this.#width - BLOCK;
    for (let i = 0; i <= last; i++) {
      const at = Math.imul(keyAt(needle, i), HASH) >>> this.#shift;
      if (this.#skips[at]! > last - i) this.#skips[at] = last - i;
    }
    this.#blocks += last + 1;
  }

  /** Puts the beginnings of all needles of a tree into the table. */
  #enterAll(branch: Branch, before: string): void {
    const text = before === '' ? branch.part : before + branch.part;
    if (text.length >= this.#width) this.#enter(text);
    else branch.next?.forEach((next) => this.#enterAll(next, text));
  }

  /** Makes the table anew: for the needles that there are, as wide as they and the size of the table allow. */
  #rebuild(): void {
    let width = this.#shortest;
    while (width > BLOCK && this.#size * (width - BLOCK + 1) * 6 > LARGEST_TABLE) width--;
    this.#width = width;
    let bits = 16;
    while (bits < LARGEST_BITS && this.#size * (width - BLOCK + 1) * 24 > 1 << bits) bits++;
    this.#shift = 32 - bits;
    this.#skips = new Uint8Array(1 << bits).fill(width - BLOCK + 1);
    this.#blocks = 0;
    for (const tree of this.#trees.values()) this.#enterAll(tree, '');
    // The largest table can't grow any more.
    if (bits === LARGEST_BITS) this.#blocks = 0;
  }

  /**
   * Where needles begin from `from` up to, not including, `to`: in order, overlapping ones united under the label of the first.
   * Takes time linear in the text: of one that was made to take more, all from there on counts as found.
   */
  find(text: string, from = 0, to = text.length): Found[] {
    const found: { start: number; end: number; label: string }[] = [];
    if (this.#size === 0) return found;
    const width = this.#width;
    const last = Math.min(to, text.length - width + 1);
    const skips = this.#skips;
    const shift = this.#shift;
    const offset = width - BLOCK;
    let left = (text.length - from) * STEPS + 100_000;
    let current: { start: number; end: number; label: string } | undefined;
    for (let at = from; at < last;) {
      const block = at + offset;
      const key =
        ((text.charCodeAt(block) & 255) << 24) |
        ((text.charCodeAt(block + 1) & 255) << 16) |
        ((text.charCodeAt(block + 2) & 255) << 8) |
        (text.charCodeAt(block + 3) & 255);
      const skip = skips[Math.imul(key, HASH) >>> shift]!;
      if (skip > 0) {
        at += skip;
        continue;
      }
      const tree = this.#trees.get(offset === 0 ? key : keyAt(text, at));
      if (tree) {
        const [end, label, steps] = longestAt(tree, text, at);
        left -= steps;
        if (left < 0) {
          if (current && current.end >= at) current.end = text.length;
          else found.push({ start: at, end: text.length, label: 'secret' });
          return found;
        }
        if (end > at) {
          if (current && at < current.end) current.end = Math.max(current.end, end);
          else found.push((current = { start: at, end, label }));
        }
      }
      at++;
    }
    return found;
  }

  /**
   * How much of a text can't be the beginning of a needle that would go on behind its end, in UTF-16 units. Where the text
   * `goesOn`, its last few characters count as such a beginning in any case, since the next part may say more.
   */
  settledLength(text: string, goesOn: boolean): number {
    if (this.#size === 0) return text.length;
    // More of a needle than that is found as it stands.
    for (let at = Math.max(0, text.length - TELLING_START); at < text.length; at++) {
      // The trees are known by so many characters; fewer may begin any of them.
      if (text.length - at < BLOCK) return goesOn ? at : text.length;
      const tree = this.#trees.get(keyAt(text, at));
      if (tree && reachesEnd(tree, text, at)) return at;
    }
    return text.length;
  }
}

/** Whether a needle at a place goes on where the text ends. */
function reachesEnd(tree: Branch, text: string, from: number): boolean {
  let at = from;
  for (let branch: Branch | undefined = tree; branch; branch = branch.next?.get(text.charCodeAt(at))) {
    const same = common(branch.part, text, at);
    at += same;
    if (at === text.length) return same < branch.part.length || branch.next !== undefined;
    if (same < branch.part.length) return false;
  }
  return false;
}

const HASH = 0x9e3779b1;
const LARGEST_BITS = 21;
const LARGEST_TABLE = 1 << LARGEST_BITS;

/** The low bytes of four characters. */
function keyAt(text: string, at: number): number {
  return (
    ((text.charCodeAt(at) & 255) << 24) |
    ((text.charCodeAt(at + 1) & 255) << 16) |
    ((text.charCodeAt(at + 2) & 255) << 8) |
    (text.charCodeAt(at + 3) & 255)
  );
}

function leaf(part: string, label: string): Branch {
  return { part, label, times: 1, next: undefined };
}

/** How many characters of `part` stand in a text at a place. */
function common(part: string, text: string, at: number): number {
  const most = Math.min(part.length, text.length - at);
  let i = 0;
  while (i < most && part.charCodeAt(i) === text.charCodeAt(at + i)) i++;
  return i;
}

/** Adds a needle to a tree; false where it is there already. */
function insert(tree: Branch, needle: string, label: string): boolean {
  let branch = tree;
  for (let at = 0; ;) {
    const same = common(branch.part, needle, at);
    if (same < branch.part.length) {
      const rest: Branch = { ...branch, part: branch.part.slice(same) };
      branch.part = branch.part.slice(0, same);
      branch.label = undefined;
      branch.times = 0;
      branch.next = new Map([[rest.part.charCodeAt(0), rest]]);
    }
    at += same;
    if (at === needle.length) {
      branch.label ??= label;
      return branch.times++ === 0;
    }
    const code = needle.charCodeAt(at);
    const next = branch.next?.get(code);
    if (!next) {
      (branch.next ??= new Map()).set(code, leaf(needle.slice(at), label));
      return true;
    }
    branch = next;
  }
}

/** Takes a needle out of a tree; false where it is to stay or is not there. */
function removeFrom(tree: Branch, needle: string): boolean {
  let branch = tree;
  const path: Branch[] = [];
  for (let at = 0; ;) {
    if (common(branch.part, needle, at) < branch.part.length) return false;
    at += branch.part.length;
    if (at === needle.length) break;
    const next = branch.next?.get(needle.charCodeAt(at));
    if (!next) return false;
    path.push(branch);
    branch = next;
  }
  if (branch.times === 0 || --branch.times > 0) return false;
  branch.label = undefined;
  // What leads nowhere any more is interrupted.
  for (let outer = path.pop(); outer && branch.label === undefined && !branch.next; outer = path.pop()) {
    outer.next!.delete(branch.part.charCodeAt(0));
    if (outer.next!.size === 0) outer.next = undefined;
    branch = outer;
  }
  return true;
}

/** Where the longest needle at a place ends, or enough of one; the place itself where there is none. And what it took. */
function longestAt(tree: Branch, text: string, at: number): [end: number, label: string, steps: number] {
  let branch: Branch | undefined = tree;
  let end = at;
  let label = '';
  let pos = at;
  let deepest = tree;
  while (branch) {
    const same = common(branch.part, text, pos);
    pos += same;
    deepest = branch;
    if (same < branch.part.length) break;
    if (branch.label !== undefined) {
      end = pos;
      label = branch.label;
    }
    branch = branch.next?.get(text.charCodeAt(pos));
  }
  if (pos > end && pos - at >= TELLING_START) return [pos, labelBelow(deepest), pos - at];
  return [end, label, pos - at + 1];
}

/** The label of some needle that goes on from here. */
function labelBelow(branch: Branch): string {
  let at = branch;
  while (at.label === undefined && at.next) at = at.next.values().next().value!;
  return at.label ?? 'secret';
}
