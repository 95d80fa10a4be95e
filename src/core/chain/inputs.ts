import { readTime } from '../language/functions/time.ts';
import { parseJson } from '../language/json.ts';
import { nearest } from '../language/nearest.ts';
import { isNumberText, numberOf } from '../language/numbers.ts';
import type { Value } from '../language/values.ts';
import { ProblemError } from '../problems.ts';
import type { InputKind } from './model.ts';

type Read =
  | { readonly value: Value; readonly problem?: undefined }
  | { readonly value?: undefined; readonly problem: { readonly message: string; readonly instead?: string } };

const refuse = (message: string, instead?: string): Read => ({
  problem: { message, ...(instead === undefined ? {} : { instead }) },
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
        : refuse(`'${text}' is not a number`, 'digits as JSON writes them: 6, -1.5');
    case 'yes-no':
      if (text === 'yes' || text === 'true') return { value: true };
      if (text === 'no' || text === 'false') return { value: false };
      return refuse(`'${text}' is neither yes nor no`, 'yes or no');
    case 'choice': {
      if (choices.includes(text)) return { value: text };
      const near = nearest(text, choices);
      return refuse(`'${text}' is none of the choices`, near ?? choices.join(', '));
    }
    case 'date': {
      const time = readTime(text, zone);
      return time
        ? { value: time }
        : refuse(`'${text}' is not a date`, '2026-03-01, or 2026-03-01T08:00:00Z');
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
