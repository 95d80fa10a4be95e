import { soundsSecret } from '../../core/chain/keys/secret-members.ts';
import { memberText } from '../../core/language/path-text.ts';
import { numberText } from '../../core/language/numbers.ts';
import { isNumeric, isObject, membersOf, objectOf, type Value } from '../../core/language/values.ts';
import { nameOfPlaceholder } from '../placeholders.ts';
import { inserted } from '../step-secrets.ts';
import type { RecordedCall } from './read-har.ts';

/** A value of a response that stands in a later request. */
export interface ReturningValue {
  readonly name: string;
  /** What it is of its response. */
  readonly expression: string;
  /** The place of the call whose response has it. */
  readonly from: number;
}

/** Where a value stands in a response. */
interface Source {
  readonly from: number;
  readonly expression: string;
  /** Words for its name. */
  readonly words: string;
  readonly isSecret: boolean;
}

/** So many values of one response are looked at, and texts of such lengths. */
const MOST = 20_000;
const [SHORTEST, LONGEST] = [4, 4_000];

/** Finds values that come back, call by call, and puts insertions in their places. */
export class ReturningValues {
  readonly #sources = new Map<string, Source>();
  /** Texts that a request had before any response: they are the client's own. */
  readonly #own = new Set<string>();
  readonly #names = new Set<string>();
  readonly #found = new Map<string, ReturningValue>();

  /** The values that came back so far, by the call that they come from. */
  from(call: number): readonly ReturningValue[] {
    return [...this.#found.values()].filter((one) => one.from === call);
  }

  /** Notes what is sent, so that what a response says again is not taken for news. */
  sent(texts: readonly string[]): void {
    for (const text of texts) if (!this.#sources.has(text)) this.#own.add(text);
  }

  /** Notes what a response has. */
  received(call: RecordedCall, from: number): void {
    const resource = resourceOf(call.url);
    let count = 0;
    const take = (value: Value, path: string, words: readonly string[]): void => {
      if (++count > MOST) return;
      if (Array.isArray(value))
        value.forEach((item, i) =>
          take(item, `${path}[${i}]`, [...words.slice(0, -1), singular(words.at(-1) ?? resource)]),
        );
      else if (isObject(value))
        for (const [name, member] of membersOf(value))
          take(member, path + memberText(name), [...words, name]);
      else if (typeof value === 'string') this.#source(value, { from, path, words, resource });
      else if (isNumeric(value) && numberText(value).length >= SHORTEST)
        this.#source(numberText(value), { from, path, words, resource });
    };
    if (call.json !== undefined) take(call.json, '$', []);
    const location = call.responseHeaders.find(([name]) => name === 'location')?.[1];
    const last = location?.split(/[?#]/)[0]!.split('/').at(-1);
    if (last !== undefined && call.redirectedTo === undefined)
      this.#source(decoded(last), {
        from,
        path: "last(split(headers.location, '/'))",
        words: ['id'],
        resource,
      });
  }

  #source(
    text: string,
    {
      from,
      path,
      resource,
      words,
    }: { from: number; path: string; words: readonly string[]; resource: string },
  ): void {
    if (text.length < SHORTEST || text.length > LONGEST || this.#own.has(text) || this.#sources.has(text))
      return;
    // A word of a language tells nothing: `waiting`, `done`.
    if (!/\d/.test(text) && text.length < 12) return;
    const member = words.at(-1) ?? resource;
    const isGeneric = /^(?:id|uuid|key|href|url|name|code|number)$/i.test(member);
    const around = words.at(-2) ?? resource;
    this.#sources.set(text, {
      from,
      expression: path,
      words: isGeneric ? `${singular(around)}_${member}` : member,
      isSecret: soundsSecret(member) !== undefined,
    });
  }

  /** The insertion that stands for a text; undefined if it never came. `isSecret` says that it lets somebody in. */
  insertion(text: string, isSecret = false): string | undefined {
    const source = this.#sources.get(text);
    if (!source) return undefined;
    let found = this.#found.get(text);
    if (!found) {
      const hides = isSecret || source.isSecret;
      found = {
        name: this.#free(nameOfPlaceholder(source.words)),
        expression: hides ? `hidden(${source.expression})` : source.expression,
        from: source.from,
      };
      this.#found.set(text, found);
    }
    return inserted(found.name);
  }

  #free(words: string): string {
    const first = TAKEN.test(words) ? `${words}_value` : words;
    let name = first;
    for (let i = 2; this.#names.has(name); i++) name = `${first}_${i}`;
    this.#names.add(name);
    return name;
  }

  /** A value of JSON with insertions for what came. */
  inValue(value: Value): Value {
    if (typeof value === 'string') return this.insertion(value) ?? value;
    if (isNumeric(value)) return this.insertion(numberText(value)) ?? value;
    if (Array.isArray(value)) return value.map((item) => this.inValue(item));
    return isObject(value)
      ? objectOf(membersOf(value).map(([name, member]) => [name, this.inValue(member)] as const))
      : value;
  }
}

/** Names that mean something else in a step. */
const TAKEN =
  /^(?:run|index|response|steps|status|headers|body|text|type|size|elapsed|attempts|cookies|url|sent|secret|services|environment|page|gathered|callback|arrived|true|false|null|nothing|in|and|or|not)$/;

/** What the path of an address is about: its last part that is no id. */
function resourceOf(url: string): string {
  const parts = new URL(url).pathname.split('/').filter((part) => part !== '' && !/\d/.test(part));
  return parts.at(-1) ?? 'response';
}

function singular(word: string): string {
  return word
    .replace(/ies$/, 'y')
    .replace(/(ss|sh|ch|x)es$/, '$1')
    .replace(/([^s])s$/, '$1');
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
