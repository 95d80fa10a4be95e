import { encodeBase64, encodeHex, percentEncode, utf8 } from '../language/encodings.ts';
import { fail } from '../problems.ts';

/** A secret shorter than this is refused: masking it would mask everything. */
export const SHORTEST_SECRET = 6;

/**
 * Takes secrets out of texts. Knows each in every spelling in which it may come back: as is, escaped as in JSON or XML,
 * percent-encoded, in base64 (also as a part of something longer) and in hexadecimal digits.
 */
export class Masker {
  readonly #labels = new Map<string, string>();
  /** Values too short to be looked for in texts; masked where they are the whole. */
  readonly #short = new Map<string, string>();
  /** Is told each secret that is new. */
  onLearn: ((secret: string, label: string) => void) | undefined;
  #pattern: RegExp | undefined;
  #longest = 0;

  /** Adds a secret of the project. Throws `secret-too-short`. */
  add(secret: string, label: string): void {
    if (secret.length < SHORTEST_SECRET) {
      fail(
        'secret-too-short',
        `${label} has fewer than ${SHORTEST_SECRET} characters, so masking it would mask everything`,
        {
          instead: 'a longer secret',
        },
      );
    }
    this.#learn(secret, label);
  }

  /** Adds a secret that came from a service, whatever its length. */
  addFound(secret: string, label: string): void {
    if (secret.length >= SHORTEST_SECRET) this.#learn(secret, label);
    else if (secret !== '' && !this.#short.has(secret)) {
      this.#short.set(secret, `‹${label}›`);
      this.onLearn?.(secret, label);
    }
  }

  #learn(secret: string, label: string): void {
    if (this.#labels.has(secret)) return;
    for (const spelling of spellings(secret)) {
      if (!this.#labels.has(spelling)) this.#labels.set(spelling, `‹${label}›`);
      this.#longest = Math.max(this.#longest, spelling.length);
    }
    this.#pattern = undefined;
    this.onLearn?.(secret, label);
  }

  /** The length of the longest spelling. */
  get longest(): number {
    return this.#longest;
  }

  /** There is nothing to mask. */
  get isIdle(): boolean {
    return this.#labels.size === 0 && this.#short.size === 0;
  }

  text(text: string): string {
    if (this.isIdle) return text;
    const short = this.#short.get(text);
    if (short !== undefined) return short;
    return this.#labels.size === 0 ? text : text.replace(this.#compiled(), (found) => this.#label(found));
  }

  #label(found: string): string {
    return (
      this.#labels.get(found) ??
      this.#labels.get(found.replace(/%[0-9a-f]{2}/gi, (code) => code.toUpperCase())) ??
      '‹secret›'
    );
  }

  #compiled(): RegExp {
    if (!this.#pattern) {
      const known = [...this.#labels.keys()].sort((a, b) => b.length - a.length);
      // Percent codes may be written with small letters. Classes, not alternatives: these would be tried again and again.
      const source = known.map((spelling) =>
        spelling
          .replace(/[.*+?^${}()|[\]\\/]/g, '\\$&')
          .replace(/%[0-9A-F]{2}/g, (code) =>
            code.replace(/[A-F]/g, (digit) => `[${digit}${digit.toLowerCase()}]`),
          ),
      );
      this.#pattern = new RegExp(source.join('|'), 'g');
    }
    return this.#pattern;
  }

  /** Where the first secret in a text begins and ends, if there is one. */
  find(text: string): readonly [start: number, end: number] | undefined {
    if (this.#labels.size === 0) return undefined;
    const pattern = this.#compiled();
    pattern.lastIndex = 0;
    const found = pattern.exec(text);
    return found ? [found.index, found.index + found[0].length] : undefined;
  }
}

/** Every way in which a secret may be written. */
function spellings(secret: string): Set<string> {
  const all = new Set<string>([secret]);
  const bytes = utf8(secret);
  const json = JSON.stringify(secret).slice(1, -1);
  all.add(json);
  all.add(json.replaceAll('/', '\\/'));
  all.add(
    secret.replace(/[\u0080-\uffff]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`),
  );
  all.add(
    json.replace(/[\u0080-\uffff]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`),
  );
  all.add(
    secret
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('>', '&gt;')
      .replaceAll('"', '&quot;')
      .replaceAll("'", '&#39;'),
  );
  all.add(secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;'));
  const percent = percentEncode(secret);
  all.add(percent);
  all.add(percent.replaceAll('%20', '+'));
  all.add(encodeURIComponent(secret.toWellFormed()));
  all.add(encodeURI(secret.toWellFormed()));
  all.add(encodeHex(bytes));
  all.add(encodeHex(bytes).toUpperCase());
  for (const form of ['standard', 'url'] as const) {
    all.add(encodeBase64(bytes, form));
    // Inside something longer, base64 of the same bytes takes one of three forms; their inner letters do not change.
    for (let before = 0; before < 3; before++) {
      const padded = new Uint8Array(before + bytes.length);
      padded.set(bytes, before);
      const start = before === 0 ? 0 : before === 1 ? 2 : 3;
      const end = Math.floor((padded.length * 8) / 6);
      const inner = encodeBase64(padded, form).slice(start, end);
      if (inner.length >= SHORTEST_SECRET) all.add(inner);
    }
  }
  return new Set([...all].filter((spelling) => spelling.length >= SHORTEST_SECRET));
}

/**
 * Masks a text that comes in pieces: what may be the beginning of a secret is held back until it is known.
 */
export class MaskStream {
  readonly #masker: Masker;
  #held = '';

  constructor(masker: Masker) {
    this.#masker = masker;
  }

  /** Takes the next piece and gives what can be shown now. */
  push(piece: string): string {
    let rest = this.#held + piece;
    let shown = '';
    const keep = Math.max(0, this.#masker.longest - 1);
    for (;;) {
      const found = this.#masker.find(rest);
      // A longer secret may begin at the same place, so a find near the end waits for more.
      if (!found || found[0] > rest.length - keep - 1) break;
      shown += rest.slice(0, found[0]) + this.#masker.text(rest.slice(...found));
      rest = rest.slice(found[1]);
    }
    const safe = Math.max(0, rest.length - keep);
    shown += rest.slice(0, safe);
    this.#held = rest.slice(safe);
    return shown;
  }

  /** The rest, when nothing more comes. */
  end(): string {
    const rest = this.#masker.text(this.#held);
    this.#held = '';
    return rest;
  }
}
