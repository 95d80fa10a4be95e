import type { Template } from '../../chain/model.ts';
import { plainText } from '../../language/functions/conversion.ts';
import { ProblemError } from '../../problems.ts';
import type { RunContext } from './context.ts';
import { type Inserter, renderPath } from './insert.ts';

/**
 * The path of a file that a step writes. Throws `secret-not-here` where a secret is inserted: the name of a file can be read by everybody who
 * sees the folder.
 */
export function fileName({ masker }: RunContext, inserter: Inserter, template: Template): string {
  return renderPath(
    {
      ...inserter,
      value: (insertion) => {
        const value = inserter.value(insertion);
        const text = value === undefined ? undefined : plainText(value);
        if (insertion.expression.secret || (text !== undefined && masker.find(text).length > 0))
          throw new ProblemError({
            code: 'secret-not-here',
            message: 'the name of a file would hold a secret',
            hint: 'a name without it',
            place: insertion.at(),
          });
        return value;
      },
    },
    template,
  );
}
