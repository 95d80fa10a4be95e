import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Pattern } from '../../../src/core/language/pattern/pattern.ts';
import { ProblemError } from '../../../src/core/problems.ts';

/** Patterns that RFC 9485 and the platform read alike. */
const pattern = fc.letrec<{ choice: string; sequence: string; atom: string }>((tie) => ({
  choice: fc.array(tie('sequence'), { minLength: 1, maxLength: 3 }).map((branches) => branches.join('|')),
  sequence: fc
    .array(fc.tuple(tie('atom'), fc.constantFrom('', '', '*', '+', '?', '{2}', '{1,3}', '{2,}')), {
      maxLength: 3,
    })
    .map((parts) => parts.map(([atom, quantity]) => atom + quantity).join('')),
  atom: fc.oneof(
    { maxDepth: 2, depthIdentifier: 'pattern' },
    fc.constantFrom(
      'a',
      'b',
      'c',
      '.',
      '[ab]',
      '[^a]',
      '[a-c]',
      '\\.',
      '\\n',
      '\\p{L}',
      '\\P{Lu}',
      'é',
      '🌙',
    ),
    tie('choice').map((inner) => `(${inner})`),
  ),
})).choice;
const text = fc
  .array(fc.constantFrom('a', 'b', 'c', '.', '\n', 'é', '🌙', 'A'), { maxLength: 6 })
  .map((parts) => parts.join(''));

test('match and search agree with the platform', () => {
  fc.assert(
    fc.property(pattern, text, (source, subject) => {
      const platform = source.replaceAll('.', (dot, at: number) =>
        source[at - 1] === '\\' ? dot : '[^\\n\\r]',
      );
      const ours = new Pattern(source);
      expect(ours.match(subject)).toBe(new RegExp(`^(?:${platform})$`, 'u').test(subject));
      expect(ours.search(subject)).toBe(new RegExp(platform, 'u').test(subject));
      const anyCase = new Pattern(source, true);
      // The platform takes \P{Lu} with case folding for everything that has another case.
      if (!source.includes('P{'))
        expect(anyCase.match(subject)).toBe(new RegExp(`^(?:${platform})$`, 'iu').test(subject));
    }),
    { numRuns: 1000 },
  );
});

test('all matches are those of the platform, where both take the first way that matches', () => {
  fc.assert(
    fc.property(pattern, text, (source, subject) => {
      const platform = source.replaceAll('.', (dot, at: number) =>
        source[at - 1] === '\\' ? dot : '[^\\n\\r]',
      );
      // The platform does not go through a repeated group that takes nothing.
      fc.pre(!/\)[*+?{]/.test(source));
      const ours = [...new Pattern(source).all(subject, () => undefined)].map(({ start, end }) => [
        start,
        end,
      ]);
      const theirs = [...subject.matchAll(new RegExp(platform, 'gu'))].map((one) => [
        one.index,
        one.index + one[0].length,
      ]);
      expect(ours).toEqual(theirs);
    }),
    { numRuns: 1000 },
  );
});

test('groups catch what comes first and reaches as the quantities say', () => {
  expect(new Pattern('([a-z]+)-([0-9]*)').groups('x kiln-12 b-3')).toEqual(['kiln-12', 'kiln', '12']);
  expect(new Pattern('(a)|(b)').groups('b')).toEqual(['b', undefined, 'b']);
  expect(new Pattern('a(b?)').groups('xa')).toEqual(['a', '']);
  expect(new Pattern('c').groups('ab')).toBeUndefined();
});

test('time is linear in the text, whatever the pattern', () => {
  for (const source of ['(a+)+b', '(a|a)*b', '(a*)*b', '(.*a){12}b']) {
    const hostile = new Pattern(source);
    expect(hostile.match('a'.repeat(100_000))).toBe(false);
    expect(hostile.groups(`${'a'.repeat(2000)}c`)).toBeUndefined();
  }
});

test.each([
  ['\\d+', '[0-9]'],
  ['[\\w-]', 'A-Za-z0-9_'],
  ['a+?', 'no lazy form'],
  ['(?:a)', 'no other kinds of groups'],
  ['\\bkiln', 'no word boundaries'],
  ['a{3,1}', '{1,3}'],
  ['[z-a]', 'smaller character first'],
  ['(a', 'escape a literal bracket'],
  ['a)', 'escape a literal bracket'],
  ['*a', 'the character itself'],
  ['[a', 'escape a literal bracket'],
  ['\\p{Latin}', 'letters'],
])('%s is refused, with the way out', (source, hint) => {
  try {
    new Pattern(source);
  } catch (error) {
    expect((error as ProblemError).problem.code).toBe('pattern-invalid');
    expect((error as ProblemError).problem.hint).toContain(hint);
    return;
  }
  throw new Error(`${source} was read`);
});
