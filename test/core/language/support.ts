import { createHash, createHmac } from 'node:crypto';
import type { Environment, World } from '../../../src/core/language/environment.ts';
import { checkExpression, type Expression } from '../../../src/core/language/expression.ts';
import { JSON_VALUE, kindOfValue } from '../../../src/core/language/kinds.ts';
import type { StaticScope } from '../../../src/core/language/scope.ts';
import { type Maybe, memberOf, type ValueObject } from '../../../src/core/language/values.ts';

import { markup } from '../../../src/io/files/read-markup.ts';

const node = (algorithm: string): string => (algorithm === 'sha' ? 'sha1' : algorithm.replace('-', ''));

export const world: World = {
  now: () => Date.UTC(2026, 2, 1, 12),
  chance: () => 0.25,
  digest: (algorithm, data) => createHash(node(algorithm)).update(data).digest(),
  hmac: (algorithm, key, data) => createHmac(node(algorithm), key).update(data).digest(),
  markup,
  file: (path) => Buffer.from(path === 'layer.bin' ? [0, 255, 1, 10] : []),
  zone: 'UTC',
};

/** An environment for expressions that stand alone. */
export function environment({
  response,
  names = {},
  warn,
}: {
  response?: Maybe;
  names?: ValueObject;
  warn?: Environment['warn'];
} = {}): Environment {
  return {
    response,
    name: (name) => memberOf(names, name),
    world,
    visited: 0,
    ...(warn ? { warn } : {}),
  };
}

/** Names with the kinds of their values; `$` is whatever JSON can hold. */
export function scopeOf(names: ValueObject = {}): StaticScope {
  return {
    lookup: (name) => {
      const value = memberOf(names, name);
      return value === undefined ? undefined : { kind: kindOfValue(value) };
    },
    names: () => Object.keys(names),
    response: JSON_VALUE,
  };
}

/** A checked expression; throws the first problem's message. */
export function expression(text: string, names: ValueObject = {}): Expression {
  const { expression: checked, problems } = checkExpression(text, scopeOf(names));
  if (!checked) throw new Error(`${problems[0]!.code}: ${problems[0]!.message}`);
  return checked;
}
