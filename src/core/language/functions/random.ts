import { fail } from '../../problems.ts';
import { encodeHex } from '../encodings.ts';
import { ANY, maybe, NUMBER, TEXT } from '../kinds.ts';
import { define, takes } from './define.ts';
import { place } from './text.ts';

const family = 'chance';

/** A UUID of version 4 (RFC 9562, section 5.4); `chance` gives numbers from 0 up to 1. */
export function randomUuid(chance: () => number): string {
  const bytes = Uint8Array.from({ length: 16 }, () => Math.floor(chance() * 256));
  bytes[6] = (bytes[6]! & 0x0f) | 0x40;
  bytes[8] = (bytes[8]! & 0x3f) | 0x80;
  return encodeHex(bytes).replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
}

export const chanceFunctions = [
  define(family, 'uuid', {
    about: 'A random UUID of version 4 (RFC 9562).',
    parameters: [],
    returns: TEXT,
    examples: [
      ["match(uuid(), '[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}')", 'true'],
    ],
    evaluate: (_, { world }) => {
      return randomUuid(() => world.chance());
    },
  }),
  define(family, 'random', {
    about: 'A random whole number from one up to and including another.',
    parameters: [takes.number('from'), takes.number('to')],
    returns: NUMBER,
    examples: [['random(1, 6) in range(1, 6)', 'true']],
    evaluate: ([from, to], { world }) => {
      const low = place(from, 'the lower bound');
      const high = place(to, 'the upper bound');
      if (high < low) fail('wrong-kind', `random has its bounds the wrong way round: ${low} and ${high}`);
      return low + Math.floor(world.chance() * (high - low + 1));
    },
  }),
  define(family, 'choose', {
    about: 'A random item of a list; nothing where it is empty.',
    parameters: [takes.list('list')],
    returns: ([list]) => maybe(list?.item ?? ANY),
    examples: [["choose(['ash']) ", '"ash"']],
    evaluate: ([list], { world }) => list[Math.floor(world.chance() * list.length)],
  }),
];
