import { SHORTEST_NEEDLE, Needles } from './needles.ts';
import { decode, mayHoldEscapes, type Decoded } from './decoding.ts';
import { recodedRuns, recodedRunsAt, type Run } from './recoded-runs.ts';
import { replaced } from './replace.ts';
import { spellingsOf } from './spellings.ts';
import type { Hidden } from './masked-part.ts';

/** How many layers of escapes are undone. */
const LAYERS = 3;

/** Of what services give, so many are looked for in all texts: the latest ones. */
const LATEST = 1000;

/** A longer text that a service gives is looked for by its beginning, in UTF-16 units. */
const LONGEST_GIVEN = 128 * 1024;

/**
 * Takes secrets out of texts. Each is found as it is, in base64 and in hexadecimal digits, and through escapes of JSON, URLs,
 * forms, HTML and XML, in several layers: it is looked for in what the text means, and hidden where that stood. It never throws,
 * and takes time linear in the text, however many secrets there are and whatever they are.
 */
export class Masker {
  readonly #needles = new Needles();
  readonly #known = new Map<string, string>();
  /** What services gave, the latest last. */
  readonly #given = new Map<string, string>();
  readonly #labels = new Set<string>();
  /** How many have been added by now. */
  added = 0;
  /** Is told each secret that is new. */
  onLearn: ((secret: string, label: string) => void) | undefined;

  /**
   * Adds a secret. One that is too short to be looked for (see {@link SHORTEST_NEEDLE}) is not, and false is returned: it has to be hidden
   * where it was put.
   */
  add(secret: string, label: string): boolean {
    if (secret.length < SHORTEST_NEEDLE) return false;
    if (this.#known.has(secret)) return true;
    this.#known.set(secret, label);
    this.#labels.add(label);
    for (const spelling of spellingsOf(secret)) this.#needles.add(spelling, label);
    this.added++;
    this.onLearn?.(secret, label);
    return true;
  }

  /** Adds a spelling of a secret that only some places make of it, such as small letters in the name of a host. */
  addSpelling(spelling: string, label: string): void {
    if (spelling.length >= SHORTEST_NEEDLE) this.#needles.add(spelling, label);
  }

  /**
   * Adds a secret that a service gave. It is looked for as long as it is among the latest {@link LATEST}. `least` is how long it
   * must be to be looked for at all; false where it is shorter.
   */
  addGiven(secret: string, label: string, least = SHORTEST_NEEDLE): boolean {
    if (secret.length < Math.max(least, SHORTEST_NEEDLE)) return false;
    if (this.#known.has(secret)) return true;
    const text = secret.slice(0, LONGEST_GIVEN);
    if (this.#given.delete(text)) {
      this.#given.set(text, label);
      return true;
    }
    this.#given.set(text, label);
    this.#labels.add(label);
    for (const spelling of spellingsOf(text)) this.#needles.add(spelling, label);
    this.added++;
    this.onLearn?.(text, label);
    if (this.#given.size <= LATEST) return true;
    const [oldest] = this.#given.keys();
    this.#given.delete(oldest!);
    for (const spelling of spellingsOf(oldest!)) this.#needles.remove(spelling);
    return true;
  }

  /** The same for one that has been told elsewhere. */
  addTold(secret: string, label: string): void {
    const told = this.onLearn;
    this.onLearn = undefined;
    this.addGiven(secret, label);
    this.onLearn = told;
  }

  /** By which label a text is known that is a secret as it stands. */
  labelOf(text: string): string | undefined {
    return this.#known.get(text) ?? this.#given.get(text);
  }

  /** All secrets that are known, with their labels. */
  *all(): Iterable<readonly [label: string, secret: string]> {
    for (const [secret, label] of [...this.#known, ...this.#given]) yield [label, secret];
  }

  /** There is nothing to look for. */
  get isIdle(): boolean {
    return this.#needles.size === 0;
  }

  /** A text without its secrets. */
  text(text: string): string {
    if (text.length < SHORTEST_NEEDLE || this.#needles.size === 0) return text;
    const found = this.find(text);
    return found.length === 0 ? text : replaced(text, found);
  }

  /** A text that goes on, or was cut, without its secrets and without what may be the beginning of one behind its end. */
  settled(text: string, goesOn: boolean): string {
    const end = this.settledLength(text, goesOn);
    return replaced(
      text.slice(0, end),
      this.find(text).filter((one) => one.end <= end),
    );
  }

  /** How long that is before its secrets are taken out, in UTF-16 units. */
  settledLength(text: string, goesOn: boolean): number {
    let end = this.#needles.settledLength(text, goesOn);
    // A secret that the end would cut stays back whole.
    for (const one of this.find(text)) if (one.start < end && one.end > end) end = one.start;
    return end;
  }

  /** Where secrets stand in a text: in order, apart from each other. */
  find(text: string): Hidden[] {
    if (text.length < SHORTEST_NEEDLE || this.#needles.size === 0) return [];
    const found = this.#needles.find(text);
    const inside = [...this.#inDecoded(text), ...this.#inRuns(recodedRuns(text))];
    const all = inside.length === 0 ? found : united([...found, ...inside]);
    return all.length === 0 ? all : all.filter((one) => !this.#isLabel(text, one));
  }

  /** A label that stands for a secret already may hold a text that is one. */
  #isLabel(text: string, { start, end }: Hidden): boolean {
    const open = text.lastIndexOf('‹', start);
    if (open < 0 || start - open > 200) return false;
    const close = text.indexOf('›', open);
    return close >= end && this.#labels.has(text.slice(open + 1, close));
  }

  /** Where secrets stand behind escapes, in up to {@link LAYERS} layers. */
  #inDecoded(text: string): Hidden[] {
    const all: Hidden[] = [];
    const layers: Decoded[] = [];
    for (let at = text; layers.length < LAYERS && mayHoldEscapes(at);) {
      const layer = decode(at);
      if (!layer) break;
      layers.push(layer);
      at = layer.text;
      const found = this.#inRuns(recodedRunsAt(at, layer.units));
      for (const [from, to] of around(layer.units, this.#needles.longest, at.length))
        for (const one of this.#needles.find(at, from, to)) found.push(one);
      for (const { start, end, label } of found) {
        const [first, last] = layers.reduceRight<readonly [number, number]>(
          (span, one) => one.origin(...span),
          [start, end],
        );
        all.push({ start: first, end: last, label });
      }
    }
    return all;
  }

  /** Where secrets stand in an encoding of an encoding, or of a text with escapes. */
  #inRuns(runs: readonly Run[]): Hidden[] {
    const all: Hidden[] = [];
    for (const run of runs) {
      const said = run.text;
      const inside = this.#needles.find(said);
      const decoded = mayHoldEscapes(said) ? decode(said) : undefined;
      if (decoded)
        for (const { start, end, label } of this.#needles.find(decoded.text)) {
          const [first, last] = decoded.origin(start, end);
          inside.push({ start: first, end: last, label });
        }
      for (const { start, end, label } of inside) {
        const [first, last] = run.origin(start, end);
        all.push({ start: first, end: last, label });
      }
    }
    return all;
  }
}

/** Where what holds some unit can begin: what holds none was found in the text before. */
function* around(units: readonly number[], longest: number, length: number): Generator<[number, number]> {
  let from = -1;
  let to = -1;
  for (const unit of units) {
    const start = Math.max(0, unit - longest + 1);
    if (start > to) {
      if (to > from) yield [from, to];
      from = start;
    }
    to = Math.min(unit + 2, length);
  }
  if (to > from) yield [from, to];
}

/** Places in order, those that overlap as one under the label of the first. */
export function united(places: Hidden[]): Hidden[] {
  places.sort((a, b) => a.start - b.start || b.end - a.end);
  const result: { start: number; end: number; label: string }[] = [];
  for (const place of places) {
    const last = result.at(-1);
    if (last && place.start < last.end) last.end = Math.max(last.end, place.end);
    else result.push({ ...place });
  }
  return result;
}
