import { expect, test } from '@jest/globals';
import { checkExpression } from '../../../src/core/language/expression.ts';
import { habits } from '../../../src/core/language/habits.ts';
import { repair } from '../../../src/core/language/repair.ts';
import { ANY } from '../../../src/core/language/kinds.ts';
import type { StaticScope } from '../../../src/core/language/scope.ts';
import { Duration, type ValueObject } from '../../../src/core/language/values.ts';
import { scopeOf } from './support.ts';

const given: ValueObject = {
  n: 5,
  type: 'a',
  size: 7,
  elapsed: new Duration(1),
  y: 'abd',
  status: 200,
  headers: { x: 'a', 'Content-Type': 'b' },
  cookies: { x: 'a' },
};
const named = scopeOf(given);
/** x is whatever an example takes it for: of any kind, or a text or object of which that is known. */
const scopes: readonly StaticScope[] = [
  { ...named, lookup: (name) => (name === 'x' ? { kind: ANY } : named.lookup(name)) },
  scopeOf({ ...given, x: 'abc' }),
  scopeOf({ ...given, x: 5 }),
];

test.each(habits().map(({ example, say }) => [...example, say] as const))(
  '%s is answered with %s',
  (elsewhere, here, say) => {
    const answers = scopes.flatMap((scope) => {
      const { expression, problems } = checkExpression(elsewhere, scope);
      return expression ? [] : [problems];
    });
    expect(answers.length).toBeGreaterThan(0);
    const answered = answers.filter(
      (problems) => problems.length === 1 && problems[0]!.replace?.text === here,
    );
    expect([...new Set(answered.map(([problem]) => problem!.message))]).toEqual([say]);
  },
);

test('several habits in one expression are put right together', () => {
  const written = (text: string): string | undefined =>
    checkExpression(text, scopes[1]!).problems[0]?.replace?.text;
  expect(written("$.items.length > 0 AND x.startsWith('a') && n <> 3")).toBe(
    "$.items.length > 0 && begins(x, 'a') && n != 3",
  );
  expect(written('x.length > 0 OR y.length() == 3 and not (n == 2)')).toBe(
    'length(x) > 0 || length(y) == 3 && !(n == 2)',
  );
  expect(written("$.items.filter(i => i.id === '{{x}}')")).toBe("$.items[?@.id == '{{x}}']");
  expect(written('`abc` == x')).toBe("'abc' == x");
  expect(written('“abc” == x')).toBe("'abc' == x");
  expect(written('max([n, 2)')).toBe('max([n, 2])');
  expect(written('length(x')).toBe('length(x)');
  expect(written('(n > 1))')).toBe('(n > 1)');
});

test('what is not understood keeps its own problem', () => {
  expect(checkExpression('rakc == 1', scopes[1]!).problems[0]!.message).toBe('nothing defines the name rakc');
  expect(checkExpression('x === rakc', scopes[1]!).problems).toHaveLength(1);
});

test('an expression with many slips is tried a bounded number of times', () => {
  let trials = 0;
  const never = (): number => {
    trials++;
    return 1;
  };
  expect(repair(')'.repeat(490), never)).toBeUndefined();
  expect(trials).toBeLessThan(300);
});

test('runs of blanks are one blank to a habit, and the place is that of the text', () => {
  const blanks = ' '.repeat(200);
  const { problems } = checkExpression(`x == 1${blanks}AND${blanks}y == 'a  b'`, scopes[0]!);
  expect(problems).toMatchObject([{ span: [206, 209], replace: { text: "x == 1 && y == 'a  b'" } }]);
  // A pattern would try each way of sharing the blanks out among its parts.
  expect(repair(`a${`${' '.repeat(24)}if`.repeat(18)}`, () => 1)).toBeUndefined();
});

test('a character of the private area is never taken for a quoted text', () => {
  expect(repair("'secret' AND \ue010", () => 1000)).toBeUndefined();
  expect(repair("'secret' AND \ue010", (text) => (text.includes('&&') ? 0 : 1000))).toBeUndefined();
});
