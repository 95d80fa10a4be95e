import type { Expressions, PlacedExpression } from '../../chain/model.ts';
import type { Environment } from '../../language/environment.ts';
import { objectOf, type Value } from '../../language/values.ts';
import { placed, throwNothing } from './with-place.ts';

function required(expression: PlacedExpression, environment: Environment): Value {
  const value = placed(expression, () => expression.expression.evaluate(environment));
  return value ?? (value === null ? null : throwNothing(expression, environment));
}

/** The value of a value field; throws where a part of it is nothing. */
export function evaluateAll(expressions: Expressions, environment: Environment): Value {
  switch (expressions.type) {
    case 'expression':
      return required(expressions.value, environment);
    case 'list':
      return expressions.items.map((item) => evaluateAll(item, environment));
    case 'object':
      return objectOf(expressions.members.map(([name, member]) => [name, evaluateAll(member, environment)]));
  }
}
