import type { Field } from '../../chain/model.ts';
import { FIELD_NAME, SET_BY_REQUEST } from '../../header-names.ts';
import { visible } from '../../language/show.ts';
import { ProblemError } from '../../problems.ts';
import { type Inserter, renderField, renderFieldsOf, renderText, watchingShort } from '../scope/insert.ts';

/** Headers of the service, those of the step in their place. A name with several values is sent several times. */
export function buildHeaders(
  inserter: Inserter,
  fields: readonly Field[],
  short: (name: string) => void,
): [string, string][] {
  const headers = new Map<string, [string, string][]>();
  for (const field of fields) {
    const { all, leftOut, more, value } = field;
    const [only] = value.parts;
    if (all && typeof only === 'object') {
      const watching = watchingShort(inserter, () => short(field.name));
      for (const [one, text] of renderFieldsOf(watching, only)) {
        if (text === undefined) headers.delete(one.toLowerCase());
        else headers.set(one.toLowerCase(), [[one, text]]);
      }
      continue;
    }
    const name = nameOf(inserter, field);
    const lower = name.toLowerCase();
    if (leftOut) {
      headers.delete(lower);
      continue;
    }
    const text = renderField(
      watchingShort(inserter, () => short(name)),
      name,
      value,
    );
    if (!more) headers.delete(lower);
    if (text !== undefined) headers.set(lower, [...(headers.get(lower) ?? []), [name, text]]);
  }
  return [...headers.values()].flat();
}

/** The name of a header, which may be computed. Throws `bad-insertion`. */
function nameOf(inserter: Inserter, { computedName, name }: Field): string {
  if (!computedName) return name;
  const text = renderText(inserter, computedName);
  if (FIELD_NAME.test(text) && !SET_BY_REQUEST.has(text.toLowerCase())) return text;
  throw new ProblemError({
    code: 'bad-insertion',
    message: FIELD_NAME.test(text)
      ? `${text} follows from the request and can't be set`
      : `"${visible(text)}" can't be the name of a header`,
    hint: 'letters, digits and -',
    place: computedName.at,
  });
}

const NO_FIELDS: ReadonlySet<string> = new Set();

/** The headers into which secrets are inserted, in small letters. */
export function secretFieldsOf(fields: readonly Field[]): ReadonlySet<string> {
  const secret = fields.filter(({ value }) =>
    value.parts.some((part) => typeof part === 'object' && part.expression.secret),
  );
  return secret.length === 0 ? NO_FIELDS : new Set(secret.map(({ name }) => name.toLowerCase()));
}
