/** What a service asks for in a WWW-Authenticate field. */
export interface Challenge {
  /** In small letters. */
  readonly scheme: string;
  /** By their names in small letters. */
  readonly parameters: ReadonlyMap<string, string>;
}

const PARAMETER =
  /\s*([!#$%&'*+\-.^_`|~0-9A-Za-z]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"=][^\s,"]*))\s*(?:,|$)/y;
const SCHEME = /[\s,]*([!#$%&'*+\-.^_`|~0-9A-Za-z]+)(?:\s+|$|(?=,))/y;
const TOKEN68 = /([A-Za-z0-9\-._~+/]+=*)\s*(?:,|$)/y;

/** Reads WWW-Authenticate fields (RFC 9110, section 11.6.1); one field may hold several challenges. */
export function challengesOf(fields: readonly string[]): Challenge[] {
  return fields.flatMap((field) => {
    const found: Challenge[] = [];
    for (let at = 0; at < field.length;) {
      const parameter = match(PARAMETER, field, at);
      const open = found.at(-1);
      if (parameter && open) {
        const value = parameter[2]?.replace(/\\(.)/g, '$1') ?? parameter[3] ?? '';
        (open.parameters as Map<string, string>).set(parameter[1]!.toLowerCase(), value);
        at = PARAMETER.lastIndex;
        continue;
      }
      const scheme = match(SCHEME, field, at);
      if (!scheme) break;
      found.push({ scheme: scheme[1]!.toLowerCase(), parameters: new Map() });
      at = SCHEME.lastIndex;
      if (!match(PARAMETER, field, at) && match(TOKEN68, field, at)) at = TOKEN68.lastIndex;
    }
    return found;
  });
}

function match(pattern: RegExp, text: string, at: number): RegExpExecArray | null {
  pattern.lastIndex = at;
  return pattern.exec(text);
}
