import { numberText } from '../../language/numbers.ts';
import { isNumeric, isObject, type Value } from '../../language/values.ts';
import type { HeaderList } from '../../ports.ts';
import { Masker, united } from './masker.ts';
import { SHORTEST_NEEDLE } from './needles.ts';
import { replaced, replacedInJson } from './replace.ts';
import type { SecretNames } from './secret-names.ts';

/** A text of a response or a request, and what is known of it. */
export interface BodyText {
  readonly text?: string | undefined;
  readonly type?: string | undefined;
  readonly value?: Value | undefined;
}

/** What is secret in a run: by what it is ({@link Masker}), and by the name under which it stands ({@link SecretNames}). */
export class SecretsOfRun {
  readonly masker = new Masker();
  readonly names: SecretNames;
  /** The last text in which no name of a secret stands: a body is looked at more than once, and often comes again. */
  #clean = '';
  /** How many names there were then. */
  #cleanOf = 0;

  constructor(names: SecretNames) {
    this.names = names;
  }

  /** Looks for secrets that a body brings, by their names, so that they are hidden wherever they turn up later. */
  learn({ text, type, value }: BodyText): void {
    if (text === undefined || this.#isClean(text)) return;
    const found: [secret: string, name: string][] = [];
    const given = (secret: string, name: string): void => void found.push([secret, name]);
    if (isObject(value) || Array.isArray(value)) this.names.inValue(value, given);
    else
      for (const { start, end, label } of this.names.places(text, type)) given(text.slice(start, end), label);
    for (const [secret, name] of found) this.masker.addGiven(secret, name);
    if (found.length > 0) return;
    this.#clean = text;
    this.#cleanOf = this.names.added;
  }

  #isClean(text: string): boolean {
    return text === this.#clean && this.#cleanOf === this.names.added;
  }

  /** Looks for what is secret by the names of header fields. */
  learnFields(fields: readonly (readonly [string, string])[]): void {
    for (const [name, value] of fields) {
      if (this.names.hasField(name)) {
        if (!/^(?:set-)?cookie$|authorization$/i.test(name)) this.masker.addGiven(value, name.toLowerCase());
      } else if (value.includes('='))
        for (const { start, end, label } of this.names.places(value))
          this.masker.addGiven(value.slice(start, end), label);
    }
  }

  /** Header fields without their secrets. */
  fields(headers: HeaderList): HeaderList {
    return this.names.fields(headers, (text) => this.masker.text(text));
  }

  /** A body without its secrets; JSON stays JSON. */
  body(text: string, type?: string): string {
    const places = this.#isClean(text) ? [] : this.names.places(text, type);
    const found = this.masker.find(text);
    if (places.length + found.length === 0) return text;
    const all = united([...places, ...found]);
    return type === undefined || !type.endsWith('json') ? replaced(text, all) : replacedInJson(text, all);
  }

  /** A value as JSON without its secrets, and any other text in which members may stand with their names. */
  value(text: string): string {
    const places = text.length > SHORTEST_NEEDLE ? this.names.places(text) : [];
    if (places.length === 0) return this.masker.isIdle ? text : this.#json(text, this.masker.find(text));
    return this.#json(text, united([...places, ...this.masker.find(text)]));
  }

  /** What is said of values: members may stand in it with their names. */
  spoken(text: string): string {
    const places = /["=>]/.test(text) ? this.names.places(text) : [];
    if (places.length === 0) return this.masker.text(text);
    return replaced(text, united([...places, ...this.masker.find(text)]));
  }

  #json(text: string, places: ReturnType<Masker['find']>): string {
    if (places.length === 0) return text;
    return /^\s*["[{\d-]/.test(text) ? replacedInJson(text, places) : replaced(text, places);
  }

  /** Hides what an expression computed from a secret from here on; returns false where a part of it is too short to be found again. */
  hideComputed(expression: string, value: Value): boolean {
    const name = /secret\.([A-Za-z_]\w*)/.exec(expression)?.[1] ?? 'value';
    return this.hide(value, `secret ${name}`, 'latest');
  }

  /**
   * Hides all texts and numbers of a value from here on; returns false where one is too short for that. Of what is computed anew for each request only
   * the `latest` are looked for.
   */
  hide(value: Value, label: string, which: 'all' | 'latest' = 'all'): boolean {
    let all = true;
    const add = (text: string): boolean =>
      which === 'all' ? this.masker.add(text, label) : this.masker.addGiven(text, label);
    const visit = (part: Value): void => {
      if (typeof part === 'string') all = add(part) && all;
      else if (isNumeric(part)) all = add(numberText(part)) && all;
      else if (Array.isArray(part)) part.forEach(visit);
      else if (isObject(part)) Object.values(part).forEach((member) => visit(member));
    };
    visit(value);
    return all;
  }
}
