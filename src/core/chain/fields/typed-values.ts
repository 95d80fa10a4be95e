import { ANY, type Kind, kindOfValue, listOf, objectKind, present, TEXT } from '../../language/kinds.ts';
import { objectOf, type Value } from '../../language/values.ts';
import type { Typed } from '../model.ts';

/** The value of a typed field without insertions; undefined if it has some. */
export function literalOf(typed: Typed): Value | undefined {
  switch (typed.type) {
    case 'value':
      return typed.value;
    case 'list': {
      const items = typed.items.map(literalOf);
      return items.includes(undefined) ? undefined : (items as Value[]);
    }
    case 'object': {
      const members = typed.members.map(([name, member]) => [name, literalOf(member)] as const);
      return members.some(([, value]) => value === undefined)
        ? undefined
        : objectOf(members as [string, Value][]);
    }
    default:
      return undefined;
  }
}

/** What is known of the value of a typed field before anything runs. */
export function kindOfTyped(typed: Typed): Kind {
  switch (typed.type) {
    case 'value':
      return kindOfValue(typed.value);
    case 'template':
      return TEXT;
    case 'insertion':
      return present(typed.insertion.expression.kind);
    case 'list':
      return listOf(typed.items.length === 1 ? kindOfTyped(typed.items[0]!) : ANY);
    case 'object':
      return objectKind(
        Object.fromEntries(typed.members.map(([name, member]) => [name, kindOfTyped(member)])),
      );
  }
}

/** Whether a typed field inserts a secret, so that its value is one. */
export function isSecretTyped(typed: Typed): boolean {
  switch (typed.type) {
    case 'value':
      return false;
    case 'template':
      return typed.template.parts.some((part) => typeof part === 'object' && part.expression.secret);
    case 'insertion':
      return typed.insertion.expression.secret;
    case 'list':
      return typed.items.some(isSecretTyped);
    case 'object':
      return typed.members.some(([, member]) => isSecretTyped(member));
  }
}
