import type { Setting } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { kindAndValue } from '../../language/show.ts';
import { type Duration, Duration as DurationValue, isNumeric } from '../../language/values.ts';
import { ProblemError } from '../../problems.ts';
import { placed, throwNothing } from './with-place.ts';

/** A duration of a setting, in milliseconds. Throws `not-a-duration`. */
export function durationOf(setting: Setting<Duration>, environment: Environment): number {
  if ('value' in setting) return setting.value.milliseconds;
  const { insertion } = setting;
  const value = placed(insertion, () => insertion.expression.evaluate(environment));
  if (value instanceof DurationValue && value.milliseconds >= 0) return value.milliseconds;
  if (value === undefined) throwNothing(insertion, environment);
  throw new ProblemError({
    code: 'not-a-duration',
    message: `a duration is needed here, but this is ${kindAndValue(value, 40)}`,
    hint: 'x * 1s makes a duration of a number of seconds',
    place: insertion.at(insertion.expression.tree.span),
  });
}

/** A whole number of a setting. Throws `not-a-count`. */
export function amountOf(setting: Setting<number>, environment: Environment): number {
  if ('value' in setting) return setting.value;
  const { insertion } = setting;
  const value = placed(insertion, () => insertion.expression.evaluate(environment));
  if (value === undefined) throwNothing(insertion, environment);
  if (typeof value === 'number' && Number.isInteger(value) && value >= 0) return value;
  throw new ProblemError({
    code: 'not-a-count',
    message: `a whole number, 0 or more, is needed here, but this is ${kindAndValue(value, 40)}`,
    ...(typeof value === 'string' ? { hint: 'number(x) reads a number from a text' } : {}),
    ...(isNumeric(value) ? { hint: 'round(x) or floor(x)' } : {}),
    place: insertion.at(insertion.expression.tree.span),
  });
}
