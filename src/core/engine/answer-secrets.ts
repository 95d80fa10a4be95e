import { isObject, type Value } from '../language/values.ts';
import type { HeaderList } from '../ports.ts';
import type { Masker } from './masking.ts';
import type { ReadBody } from './read-answer.ts';

/** Fields whose values are never shown (their names and the scheme are). */
const SECRET_FIELDS: ReadonlySet<string> = new Set([
  'authorization',
  'proxy-authorization',
  'cookie',
  'set-cookie',
]);

/** Finds members of answers whose values are secrets, by their names. */
export class SecretMembers {
  readonly #names: ReadonlySet<string>;
  readonly #pattern: RegExp;
  /** The last text that had none of them: a body is looked at more than once, and often comes again. */
  #clean = '';

  /** `names` in small letters. */
  constructor(names: ReadonlySet<string>) {
    this.#names = names;
    const words = [...names].map((name) => name.replace(/[^A-Za-z0-9_]/g, '\\$&')).join('|');
    this.#pattern =
      names.size === 0 ? /(?!)/g : new RegExp(`("(?:${words})"\\s*:\\s*)"((?:[^"\\\\]|\\\\.)*)("|$)`, 'gi');
  }

  /** Learns the secrets that an answer brings, so that they are masked wherever they turn up later. */
  learn(masker: Masker, { text, value }: ReadBody): void {
    if (text === undefined || value === undefined || typeof value === 'string') return;
    if (this.#isClean(text)) return;
    const visit = (part: Value): void => {
      if (Array.isArray(part)) part.forEach(visit);
      else if (isObject(part)) {
        for (const [name, member] of Object.entries(part)) {
          if (typeof member === 'string' && this.#names.has(name.toLowerCase()))
            masker.addFound(member, name);
          else visit(member);
        }
      }
    };
    visit(value);
  }

  /** Whether a member of this name is a secret. */
  has(name: string): boolean {
    return this.#names.has(name.toLowerCase());
  }

  #isClean(text: string): boolean {
    if (text === this.#clean) return true;
    this.#pattern.lastIndex = 0;
    if (this.#pattern.test(text)) return false;
    this.#clean = text;
    return true;
  }

  /** Hides the members in a text by their names, however short their values are. */
  hide(text: string): string {
    if (text === this.#clean) return text;
    return text.replace(this.#pattern, (_, head: string, value: string, close: string) => {
      const name = /"([^"]+)"/.exec(head)![1]!;
      return /^‹.*›$/.test(value) ? `${head}"${value}${close}` : `${head}"‹${name}›${close}`;
    });
  }
}

/** Header fields as an event shows them; the same list where nothing has to be hidden. */
export function maskHeaders(headers: HeaderList): HeaderList {
  if (!headers.some(([name]) => SECRET_FIELDS.has(name.toLowerCase()))) return headers;
  return headers.map(([name, value]) => {
    const lower = name.toLowerCase();
    if (!SECRET_FIELDS.has(lower)) return [name, value];
    if (lower === 'set-cookie') return [name, value.replace(/^([^=;]*=)[^;]*/, '$1‹cookie›')];
    if (lower === 'cookie') return [name, value.replace(/=[^;]*/g, '=‹cookie›')];
    const scheme = /^(\S+)\s/.exec(value)?.[1];
    return [name, scheme === undefined ? '‹credential›' : `${scheme} ‹credential›`];
  });
}
