import type { Value } from '../../../src/core/language/values.ts';

/** Numbers from 0 up to 1 that are the same for the same seed. */
export function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

const NAMES = ['a', 'b', 'c', 'd'];
const TEXTS = ['', 'a', 'ash', 'ab', 'é', '🌙', 'A3'];

const pick = <T>(chance: () => number, from: readonly T[]): T => from[Math.floor(chance() * from.length)]!;
const times = <T>(chance: () => number, most: number, make: () => T): T[] =>
  Array.from({ length: Math.floor(chance() * (most + 1)) }, make);

/** A document of a few levels whose members have few names, so that queries find something. */
export function randomDocument(chance: () => number, depth: number): Value {
  const kind = depth === 0 ? Math.floor(chance() * 4) : 4 + Math.floor(chance() * 2.5);
  if (kind === 4) return times(chance, 6, () => randomDocument(chance, depth - 1));
  if (kind >= 5)
    return Object.fromEntries(
      times(chance, 5, () => [pick(chance, NAMES), randomDocument(chance, depth - 1)]),
    );
  return pick<Value>(chance, [null, chance() < 0.5, Math.floor(chance() * 5), pick(chance, TEXTS)]);
}

/** A valid query of RFC 9535. */
export function randomQuery(chance: () => number): string {
  return `$${times(chance, 3, () => segment(chance, 2)).join('') || segment(chance, 2)}`;
}

function segment(chance: () => number, depth: number): string {
  const roll = chance();
  if (roll < 0.3) return `.${pick(chance, NAMES)}`;
  if (roll < 0.4) return '.*';
  if (roll < 0.5) return `..${pick(chance, NAMES)}`;
  if (roll < 0.55) return '..*';
  return `[${[selector(chance, depth), ...times(chance, 1, () => selector(chance, depth))].join(',')}]`;
}

function selector(chance: () => number, depth: number): string {
  const roll = chance();
  if (roll < 0.2) return `'${pick(chance, NAMES)}'`;
  if (roll < 0.35) return String(Math.floor(chance() * 7) - 3);
  if (roll < 0.45) return '*';
  if (roll < 0.65)
    return `${pick(chance, ['', '1', '-2'])}:${pick(chance, ['', '3', '-1'])}:${pick(chance, ['', '1', '2', '-1'])}`;
  return depth === 0 ? '*' : `?${condition(chance, depth - 1)}`;
}

function condition(chance: () => number, depth: number): string {
  const roll = chance();
  if (depth > 0 && roll < 0.15)
    return `${condition(chance, depth - 1)} ${pick(chance, ['&&', '||'])} ${condition(chance, depth - 1)}`;
  if (depth > 0 && roll < 0.25) return `!(${condition(chance, depth - 1)})`;
  if (roll < 0.45) return `@${segment(chance, depth)}`;
  if (roll < 0.55) return `match(@.${pick(chance, NAMES)}, 'a.*')`;
  return `${comparable(chance)} ${pick(chance, ['==', '!=', '<', '<=', '>', '>='])} ${comparable(chance)}`;
}

function comparable(chance: () => number): string {
  const roll = chance();
  if (roll < 0.5)
    return `@${pick(chance, ['', `.${pick(chance, NAMES)}`, '[0]', `.${pick(chance, NAMES)}[1]`])}`;
  if (roll < 0.6) return `length(@.${pick(chance, NAMES)})`;
  if (roll < 0.7) return `count(@.*)`;
  return pick(chance, ['null', 'true', 'false', '0', '2', "'a'", "'ash'"]);
}
