import { plainText } from '../../language/functions/conversion.ts';
import { readTime } from '../../language/functions/time.ts';
import { parseJson } from '../../language/json.ts';
import { BIT, type Kind } from '../../language/kinds.ts';
import { nearest } from '../../language/nearest.ts';
import { isNumberText, numberOf } from '../../language/numbers.ts';
import { kindAndValue } from '../../language/show.ts';
import { isNumeric, Time, type Value } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import type { Input, InputKind } from '../model.ts';

type Read =
  | { readonly value: Value; readonly problem?: undefined }
  | { readonly value?: undefined; readonly problem: { readonly message: string; readonly hint?: string } };

const refuse = (message: string, hint?: string): Read => ({
  problem: { message, ...(hint === undefined ? {} : { hint }) },
});

/** Reads the text of an input by its kind; a date without an offset is one in `zone`. */
export function readInput(
  kind: InputKind,
  text: string,
  zone: string,
  choices: readonly string[] = [],
): Read {
  switch (kind) {
    case 'text':
    case 'rows':
    case 'secret':
      return { value: text };
    case 'number':
      return isNumberText(text)
        ? { value: numberOf(text) }
        : refuse(`'${text}' is not a number`, plainNumber(text) ?? 'digits as JSON writes them: 6, -1.5');
    case 'yes-no':
      if (text === 'yes' || text === 'true') return { value: true };
      if (text === 'no' || text === 'false') return { value: false };
      return refuse(
        `'${text}' is neither yes nor no`,
        /^(?:on|y|true|enabled|1)$/i.test(text)
          ? 'yes'
          : /^(?:off|n|false|disabled|0)$/i.test(text)
            ? 'no'
            : 'yes or no',
      );
    case 'choice': {
      if (choices.includes(text)) return { value: text };
      const near = nearest(text, choices);
      return refuse(`'${text}' is none of the choices`, near ?? choices.join(', '));
    }
    case 'date': {
      const time = readTime(text, zone);
      return time
        ? { value: time }
        : refuse(
            `'${text}' is not a date`,
            dateMeantBy(text, zone) ?? '2026-03-01, 2026-03-01T08:00:00Z, or as a default ${now()}',
          );
    }
    case 'json':
      try {
        return { value: parseJson(text) };
      } catch (error) {
        if (error instanceof ProblemError) return refuse(error.problem.message);
        throw error;
      }
  }
}

/** A value as an input of its kind: one that is of the kind already, or a text that is read as it. `null` stays what it is. */
export function asInput(
  { kind, choices }: Pick<Input, 'kind' | 'choices'>,
  value: Value,
  zone: string,
): Read {
  if (value === null || kind === 'json' || kind === 'rows') return { value };
  if (kind === 'text' && value instanceof Uint8Array) return { value };
  if (kind === 'number' && isNumeric(value)) return { value };
  if (kind === 'yes-no' && typeof value === 'boolean') return { value };
  if (kind === 'date' && value instanceof Time) return { value };
  const text = plainText(value);
  const isRead = text !== undefined && (typeof value === 'string' || kind === 'text' || kind === 'choice');
  return isRead
    ? readInput(kind, text, zone, choices)
    : refuse(`it is of kind ${kind}, but this is ${kindAndValue(value, 40)}`);
}

/** The kind of input that a value of such a kind is. */
export function inputKindFor({ bits }: Kind): InputKind {
  const known = bits & ~BIT.null;
  if (known === BIT.number) return 'number';
  if (known === BIT['yes or no']) return 'yes-no';
  if (known === BIT.time) return 'date';
  return known !== 0 && (known & ~(BIT.list | BIT.object)) === 0 ? 'json' : 'text';
}

/** A date as other countries write it, as it is written here; undefined where day and month can't be told apart. */
function dateMeantBy(text: string, zone: string): string | undefined {
  const [, first, second, year] = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})$/.exec(text) ?? [];
  const [, whole, month, day] = /^(\d{4})[./](\d{1,2})[./](\d{1,2})$/.exec(text) ?? [];
  const written =
    whole !== undefined
      ? [whole, month!, day!]
      : year === undefined
        ? undefined
        : text.includes('.') || Number(first) > 12
          ? [year, second!, first!]
          : Number(second) > 12
            ? [year, first!, second!]
            : undefined;
  const date = written?.map((part) => part.padStart(2, '0')).join('-');
  return date !== undefined && readTime(date, zone) ? date : undefined;
}

/** A number without the signs that part its thousands. */
function plainNumber(text: string): string | undefined {
  return /^\d{1,3}(?:[ ,_']\d{3})+$/.test(text) ? text.replace(/[ ,_']/g, '') : undefined;
}
