import type { LosslessNumber } from 'lossless-json';
import { seeded } from './seeded-random.ts';
import { exact } from './json.ts';

export const RACKS = ['A1', 'A2', 'A3', 'B1', 'B2', 'C1'] as const;

export const GLAZES = [
  { name: 'ash', cone: 10, colour: '#b9a98c', price: exact('4.50') },
  { name: 'celadon', cone: 9, colour: '#9fc0a8', price: exact('6.20') },
  { name: 'cobalt', cone: 6, colour: '#27408b', price: exact('7.00') },
  { name: 'tenmoku', cone: 10, colour: '#3b2417', price: exact('5.75') },
  { name: 'white & grey', cone: 6, colour: '#dcdcdc', price: exact('3.90') },
] as const;

export interface Piece {
  readonly id: string;
  /** A 64-bit integer, beyond what a double keeps. */
  readonly serial: LosslessNumber;
  name: string;
  rack: string;
  state: 'waiting' | 'fired' | 'collected';
  glazed: boolean;
  glaze: string | null;
  cone: number;
  /** In euros, with two digits after the point. */
  price: LosslessNumber | number;
  made: string;
  version: number;
}

const FORMS = ['bowl', 'cup', 'plate', 'vase', 'jug', 'tile', 'teapot', 'saucer'];
/** Names that break what is careless with them. */
const AWKWARD = [
  '"Ana\'s" cup',
  'salt & pepper',
  '100% ash',
  'plate\nwith a break',
  '../shelf',
  'moon jar 🌙',
  'naïve vase',
  'cup {small}',
  "O'Hara bowl",
  'a/b test tile',
];

const COUNT = 137;

/** The pieces with which the service begins; the same for the same seed. */
export function firstPieces(seed: number): Piece[] {
  const chance = seeded(seed);
  const pick = <T>(from: readonly T[]): T => from[Math.floor(chance() * from.length)]!;
  return Array.from({ length: COUNT }, (_, i): Piece => {
    const glaze = chance() < 0.55 ? pick(GLAZES) : undefined;
    const awkward = i % 13 === 5;
    return {
      id: `p${1001 + i}`,
      serial: exact((9_007_199_254_740_993n + BigInt(i) * 1_000_003n).toString()),
      name: awkward ? AWKWARD[Math.floor(i / 13) % AWKWARD.length]! : `${pick(FORMS)} ${i + 1}`,
      rack: RACKS[i % RACKS.length]!,
      state: chance() < 0.7 ? 'waiting' : 'fired',
      glazed: glaze !== undefined,
      glaze: glaze?.name ?? null,
      cone: glaze?.cone ?? 4,
      price: exact(`${8 + Math.floor(chance() * 60)}.${pick(['00', '50', '90', '95'])}`),
      made: new Date(Date.UTC(2026, 0, 5 + (i % 50))).toISOString().slice(0, 10),
      version: 1,
    };
  });
}
