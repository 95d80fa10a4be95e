import { fail } from '../problems.ts';
import type { Evaluate } from './compiled.ts';
import type { Environment } from './environment.ts';
import { withArticle } from './kinds.ts';
import { numberText } from './numbers.ts';
import type { Tree } from './tree.ts';
import { isNumeric, kindOf, type Maybe } from './values.ts';

/** The computed name of a member: a text, or a number as text. Throws `wrong-kind`. */
export function memberName(
  { span }: Tree,
  value: Evaluate,
): (environment: Environment, item: Maybe) => string | undefined {
  return (environment, item) => {
    const name = value(environment, item);
    if (name === undefined || typeof name === 'string') return name;
    return isNumeric(name)
      ? numberText(name)
      : fail(
          'wrong-kind',
          `the name of a member is a text or a number, but this is ${withArticle(kindOf(name))}`,
          {
            span,
          },
        );
  };
}
