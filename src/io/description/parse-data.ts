import {
  type Event,
  EVENT_ID,
  getScalarValue,
  parseEvents,
  SCALAR_STYLE,
  type ScalarEvent,
  YAMLException,
} from 'js-yaml';
import { LINE, setOwn } from '../../core/contract/document.ts';
import { fail } from '../../core/problems.ts';

/** So many parts may a file come to once its aliases are followed: a few lines of them can stand for millions. */
const MOST_PARTS = 3_000_000;

interface Open {
  /** What is read; undefined for a list or map that is too much. */
  readonly value: unknown[] | Record<string, unknown>;
  readonly anchor: string | undefined;
  /** The key whose value comes next, and its line. */
  key?: { readonly text: string; readonly line: number };
  /** How many parts it has come to. */
  size: number;
}

/**
 * Reads JSON or YAML into plain data, each object with its line (see `DescriptionSource`). In YAML it is the core schema of
 * YAML 1.2 (https://yaml.org/spec/1.2.2/#103-core-schema), and `<<`. Throws `not-a-description` with the place.
 */
export function parseData(text: string, file: string): unknown {
  let events: Event[];
  try {
    events = parseEvents(text, { maxDepth: 500 });
  } catch (error) {
    if (!(error instanceof YAMLException)) throw error;
    const { reason, mark } = error;
    return fail('not-a-description', `${file} is neither JSON nor YAML: ${reason}`, {
      ...(mark ? { place: { file, line: mark.line + 1, column: mark.column + 1 } } : {}),
    });
  }
  return new Builder(text, file).build(events);
}

class Builder {
  readonly #text: string;
  readonly #file: string;
  readonly #anchors = new Map<string, { readonly value: unknown; readonly size: number }>();
  readonly #stack: Open[] = [];
  #root: unknown;
  #isDone = false;
  #line = 1;
  #counted = 0;

  constructor(text: string, file: string) {
    this.#text = text;
    this.#file = file;
  }

  build(events: readonly Event[]): unknown {
    for (const event of events) {
      // Of several documents in a file the first one counts.
      if (this.#isDone) break;
      this.#event(event);
    }
    return this.#root ?? null;
  }

  #event(event: Event): void {
    switch (event.type) {
      case EVENT_ID.MAPPING: {
        const line = this.#stack.at(-1)?.key?.line ?? this.#lineAt(event.start);
        this.#stack.push({ value: { [LINE]: line }, anchor: this.#anchor(event), size: 1 });
        break;
      }
      case EVENT_ID.SEQUENCE:
        this.#stack.push({ value: [], anchor: this.#anchor(event), size: 1 });
        break;
      case EVENT_ID.SCALAR: {
        const value = this.#scalar(event);
        const anchor = this.#anchor(event);
        if (anchor !== undefined) this.#anchors.set(anchor, { value, size: 1 });
        this.#put(value, 1, event.valueStart);
        break;
      }
      case EVENT_ID.ALIAS: {
        const name = this.#text.slice(event.anchorStart, event.anchorEnd);
        const found = this.#anchors.get(name);
        if (!found) return this.#refuse(`nothing above has the anchor ${name}`, event.anchorStart);
        this.#put(found.value, found.size, event.anchorStart);
        break;
      }
      case EVENT_ID.POP: {
        const ended = this.#stack.pop();
        if (!ended) {
          this.#isDone = true;
          break;
        }
        if (ended.anchor !== undefined)
          this.#anchors.set(ended.anchor, { value: ended.value, size: ended.size });
        this.#put(ended.value, ended.size, undefined);
        break;
      }
      case EVENT_ID.DOCUMENT:
        break;
    }
  }

  #anchor({ anchorStart, anchorEnd }: { anchorStart: number; anchorEnd: number }): string | undefined {
    return anchorStart < 0 ? undefined : this.#text.slice(anchorStart, anchorEnd);
  }

  #put(value: unknown, size: number, offset: number | undefined): void {
    const parent = this.#stack.at(-1);
    if (!parent) {
      this.#root = value;
      return;
    }
    if (Array.isArray(parent.value)) parent.value.push(value);
    else if (!parent.key) {
      parent.key = { text: keyText(value), line: offset === undefined ? this.#line : this.#lineAt(offset) };
      return;
    } else {
      const { text } = parent.key;
      delete parent.key;
      if (text === '<<') merge(parent.value, value);
      else if (text !== LINE) setOwn(parent.value, text, value);
    }
    parent.size += size;
    if (parent.size > MOST_PARTS)
      this.#refuse(`${this.#file} comes to more than ${MOST_PARTS} parts`, offset ?? this.#counted);
  }

  /** Offsets come in order, but for those of aliases. */
  #lineAt(offset: number): number {
    for (let at = this.#counted; ;) {
      const next = this.#text.indexOf('\n', at);
      if (next < 0 || next >= offset) break;
      this.#line++;
      this.#counted = at = next + 1;
    }
    return this.#line;
  }

  #scalar(event: ScalarEvent): unknown {
    const text = getScalarValue(this.#text, event);
    if (event.style !== SCALAR_STYLE.PLAIN) return text;
    const tag = event.tagStart < 0 ? '' : this.#text.slice(event.tagStart, event.tagEnd);
    return tag === '!' || tag === '!!str' ? text : plainValue(text);
  }

  #refuse(message: string, offset: number): never {
    return fail('not-a-description', message, {
      place: { file: this.#file, line: this.#lineAt(offset), column: 1 },
    });
  }
}

function keyText(value: unknown): string {
  return typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value);
}

/** Members of others, where the object has none of its own: https://yaml.org/type/merge.html. */
function merge(into: Record<string, unknown>, from: unknown): void {
  for (const one of Array.isArray(from) ? (from as unknown[]) : [from]) {
    if (typeof one !== 'object' || one === null) continue;
    for (const [name, value] of Object.entries(one))
      if (!Object.hasOwn(into, name)) setOwn(into, name, value);
  }
}

/** What a word without quotes is: section 10.3.2 of YAML 1.2.2. */
function plainValue(text: string): unknown {
  if (/^(?:null|Null|NULL|~|)$/.test(text)) return null;
  if (/^(?:true|True|TRUE)$/.test(text)) return true;
  if (/^(?:false|False|FALSE)$/.test(text)) return false;
  if (/^[-+]?(?:\.\d+|\d+(?:\.\d*)?)(?:[eE][-+]?\d+)?$/.test(text)) return Number(text);
  if (/^0o[0-7]+$|^0x[0-9a-fA-F]+$/.test(text)) return Number(text);
  return text;
}
