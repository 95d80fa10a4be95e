import { BIT } from './kinds.ts';

const [N, T, D, X] = [BIT.number, BIT.time, BIT.duration, BIT.text];

/** What arithmetic gives for each pair of kinds that it takes. */
const ARITHMETIC: readonly (readonly [operator: string, left: number, right: number, gives: number])[] = [
  ...['+', '-', '*', '/', '%'].map((operator) => [operator, N, N, N] as const),
  ['+', X, X, X],
  ['+', T, D, T],
  ['+', D, T, T],
  ['-', T, D, T],
  ['-', T, T, D],
  ['+', D, D, D],
  ['-', D, D, D],
  ['*', D, N, D],
  ['*', N, D, D],
  ['/', D, N, D],
  ['/', D, D, N],
];

/** The kinds that an operator may give between two kinds, as bits; 0 where it has no meaning. */
export function arithmeticBits(operator: string, left: number, right: number): number {
  return ARITHMETIC.reduce(
    (bits, [op, a, b, gives]) => (op === operator && a & left && b & right ? bits | gives : bits),
    0,
  );
}
