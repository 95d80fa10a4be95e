import { fail } from '../problems.ts';
import { DAY, clockChanges } from './local-times.ts';
import type { Environment } from './environment.ts';
import { add, subtract, multiply, divide, remainder, approximately } from './numbers.ts';
import { boundText } from './limits.ts';
import { withArticle } from './kinds.ts';
import { isNumeric, Duration, kindOf, Time, type Value, type Maybe } from './values.ts';

export function timeOf(milliseconds: number): Time {
  if (Math.abs(milliseconds) > 8.64e15) fail('not-a-time', 'this time lies outside the calendar');
  return new Time(milliseconds);
}

/** What arithmetic gives; nothing for kinds that it does not take. */
export function calculate(operator: string, a: Value, b: Value): Maybe {
  if (operator === '+' && typeof a === 'string' && typeof b === 'string') {
    boundText(a.length + b.length);
    return a + b;
  }
  if (isNumeric(a) && isNumeric(b)) {
    switch (operator) {
      case '+':
        return add(a, b);
      case '-':
        return subtract(a, b);
      case '*':
        return multiply(a, b);
      case '/':
        return divide(a, b);
      default:
        return remainder(a, b);
    }
  }
  const sign = operator === '+' ? 1 : operator === '-' ? -1 : 0;
  if (sign !== 0) {
    if (a instanceof Time && b instanceof Duration) return timeOf(a.milliseconds + sign * b.milliseconds);
    if (a instanceof Duration && b instanceof Time && sign === 1)
      return timeOf(a.milliseconds + b.milliseconds);
    if (a instanceof Time && b instanceof Time && sign === -1)
      return new Duration(a.milliseconds - b.milliseconds);
    if (a instanceof Duration && b instanceof Duration)
      return new Duration(a.milliseconds + sign * b.milliseconds);
  }
  if (operator === '*') {
    if (a instanceof Duration && isNumeric(b)) return new Duration(a.milliseconds * approximately(b));
    if (isNumeric(a) && b instanceof Duration) return new Duration(approximately(a) * b.milliseconds);
  }
  if (operator === '/' && a instanceof Duration) {
    if (b instanceof Duration) return divide(a.milliseconds, b.milliseconds);
    if (isNumeric(b)) return new Duration(approximately(divide(a.milliseconds, b)));
  }
  return undefined;
}

/** Says where whole days were added as 24 hours each over a change of the clocks, so that the time of day is another. */
export function sayClockChange(
  environment: Environment,
  operator: string,
  a: Value,
  { b, result }: { readonly b: Value; readonly result: Time },
): void {
  const [time, duration] = a instanceof Time ? [a, b] : [b, a];
  if (!environment.warn || !(time instanceof Time) || !(duration instanceof Duration)) return;
  const days = duration.milliseconds / DAY;
  const { zone } = environment.world;
  if (days === 0 || !Number.isInteger(days) || !clockChanges(time.milliseconds, result.milliseconds, zone))
    return;
  const shifting = operator === '-' ? -days : days;
  environment.warn({
    code: 'clock-change',
    message: `${days}d is ${days * 24} hours, and the clocks in ${zone} change in between; shift(T, {days: ${shifting}}) keeps the time of day`,
  });
}

/** What arithmetic gives in an expression; throws `wrong-kind` where it has no meaning, inside filters it gives nothing. */
export function resultOf(
  environment: Environment,
  operator: string,
  { a, b, filter }: { readonly a: Value; readonly b: Value; readonly filter: boolean },
): Maybe {
  const result = calculate(operator, a, b);
  if (result instanceof Time) sayClockChange(environment, operator, a, { b, result });
  if (typeof result === 'string') environment.derived?.([a, b], result);
  if (result !== undefined || filter) return result;
  const text = [a, b].find((value) => typeof value === 'string');
  const hint =
    text === undefined
      ? undefined
      : operator === '+'
        ? 'text(x) writes a value as text, since + joins two texts; number(x) reads a number from one'
        : 'number(x) or time(x) reads a number or a time from a text';
  return fail(
    'wrong-kind',
    `${operator} has no meaning between ${withArticle(kindOf(a))} and ${withArticle(kindOf(b))}`,
    hint === undefined ? {} : { hint },
  );
}
