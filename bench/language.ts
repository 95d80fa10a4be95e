// The language alone: path queries against two packages that implement RFC 9535, expressions, numbers, patterns.
import { createHash } from 'node:crypto';
import * as p3 from 'json-p3';
import { query as rivalQuery } from 'jsonpath-rfc9535';
import rivalParse from 'jsonpath-rfc9535/parser';
import { compileValue } from '../src/core/language/compile.ts';
import type { Environment } from '../src/core/language/environment.ts';
import { checkExpression } from '../src/core/language/expression.ts';
import { parseJson } from '../src/core/language/json.ts';
import { JSON_VALUE, kindOfValue } from '../src/core/language/kinds.ts';
import { parseQuery } from '../src/core/language/parser.ts';
import { Pattern } from '../src/core/language/pattern/pattern.ts';
import type { Value } from '../src/core/language/values.ts';
import { randomDocument, randomQuery, seeded } from '../test/core/language/random-queries.ts';
import { median, microseconds, print } from './measure.ts';

const GLAZES = ['ash', 'celadon', 'cobalt', 'tenmoku'];
const pieces = Array.from({ length: 300 }, (_, i) => ({
  id: `p${1000 + i}`,
  name: `bowl ${i}`,
  glazed: i % 2 === 0,
  cone: 4 + (i % 8),
  glaze: { name: GLAZES[i % 4]!, price: 4.5 + (i % 10) },
  marks: [
    { kind: 'stamp', by: 'anna' },
    { kind: 'chip', by: 'joao' },
  ].slice(0, i % 3),
}));
const document = { rack: { id: 'A3', pieces }, cursor: null } as unknown as Value;

const world = {
  now: () => 0,
  chance: () => 0.5,
  digest: (_: string, data: Uint8Array) => createHash('sha256').update(data).digest(),
  hmac: (_: string, key: Uint8Array) => key,
  zone: 'UTC',
};

function environmentOf(response: Value, names: Record<string, Value> = {}): Environment {
  return { response, name: (name) => names[name], world, visited: 0 };
}

const QUERIES: readonly (readonly [string, string])[] = [
  ['names', '$.rack.pieces[17].glaze.name'],
  ['wildcard', '$.rack.pieces[*].id'],
  ['filter', '$.rack.pieces[?@.cone > 6]'],
  ['filter by text', "$.rack.pieces[?@.glaze.name == 'ash'].id"],
  ['nested filter', "$.rack.pieces[?@.marks[?@.kind == 'chip']].id"],
  ['descendant', '$..price'],
  ['slice', '$.rack.pieces[10:200:3].name'],
  ['match', "$.rack.pieces[?match(@.name, 'bowl [0-9]*7')].id"],
];

/** jsonpath-rfc9535 offers no way to compile a query once, so what its parser takes is taken off. */
function rivalTime(query: string, document: Value, rounds = 9): number {
  const whole = microseconds(() => rivalQuery(document as never, query), rounds);
  return Math.max(0.01, whole - microseconds(() => rivalParse(query), rounds));
}

export function benchLanguage(): void {
  process.stdout.write(
    '\npath queries, in µs, and how many times faster than json-p3 and jsonpath-rfc9535\n',
  );
  const environment = environmentOf(document);
  for (const [name, query] of QUERIES) {
    const ours = compileValue(parseQuery(query));
    const first = p3.jsonpath.compile(query);
    const time = microseconds(() => {
      environment.visited = 0;
      return ours(environment, undefined);
    });
    const ratios = [
      microseconds(() => first.query(document as never).values()),
      rivalTime(query, document),
    ].map((other) => (other / time).toFixed(1));
    print(`${name}  ${query}`, time.toFixed(2), `${ratios[0]!}×  ${ratios[1]!}×  (above 1×)`);
  }
  benchRandom();
  benchExpressions();
  benchNumbers();
  benchPattern();
}

function benchRandom(): void {
  const chance = seeded(9535);
  const ratios: [number[], number[]] = [[], []];
  for (let i = 0; i < 200; i++) {
    const value = randomDocument(chance, 4);
    const query = randomQuery(chance);
    const ours = compileValue(parseQuery(query));
    const environment = environmentOf(value);
    const time = microseconds(() => {
      environment.visited = 0;
      return ours(environment, undefined);
    }, 1);
    const first = p3.jsonpath.compile(query);
    ratios[0].push(microseconds(() => first.query(value as never).values(), 1) / time);
    ratios[1].push(rivalTime(query, value, 1) / time);
  }
  print(
    'median of 200 random queries',
    '',
    `${median(ratios[0]).toFixed(1)}×  ${median(ratios[1]).toFixed(1)}×  (above 1×)`,
  );
}

function benchExpressions(): void {
  process.stdout.write('\nexpressions of an ordinary step, in µs\n');
  const names: Record<string, Value> = {
    status: 200,
    rack: 'A3',
    limit: 5,
    pieces: pieces,
  };
  const scope = {
    lookup: (name: string) => (name in names ? { kind: kindOfValue(names[name]) } : undefined),
    names: () => Object.keys(names),
    response: JSON_VALUE,
  };
  const environment = environmentOf(document, names);
  for (const text of [
    'status == 200',
    '$.rack.id == rack && length($.rack.pieces) > 0',
    'first($.rack.pieces[?@.glazed == true && @.cone >= 8]).id',
    "any(pieces, @.glaze.name in ['ash', 'cobalt'])",
    'sum(map(pieces, @.glaze.price * 1.19))',
  ]) {
    const { expression, problems } = checkExpression(text, scope);
    if (!expression) throw new Error(problems[0]!.message);
    const taken = microseconds(() => expression.evaluate(environment));
    const operations = text.includes('1.19') ? 2 * pieces.length : 1;
    print(text, (taken / operations).toFixed(2), operations > 1 ? '(an operation, at most 0.4)' : '');
  }
}

function benchNumbers(): void {
  process.stdout.write('\nparse with exact numbers, against JSON.parse of the same text\n');
  const plain = JSON.stringify(
    Array.from({ length: 20_000 }, (_, i) => ({
      ...pieces[i % pieces.length],
      note: `a note, 10.50 of "them" ${i}`,
    })),
  );
  const exact = plain.replaceAll('"cone":6', '"cone":6,"serial":9007199254740993');
  for (const [name, text, bound] of [
    ['numbers that a double keeps', plain, '(at most 2×)'],
    ['some beyond 2^53', exact, ''],
  ] as const) {
    const ratio = microseconds(() => parseJson(text), 5) / microseconds(() => JSON.parse(text) as unknown, 5);
    print(`${name}, ${(text.length / 1e6).toFixed(1)} MB`, `${ratio.toFixed(2)}×`, bound);
  }
}

function benchPattern(): void {
  process.stdout.write(
    '\nthe pattern (a+)+b on a’s alone: time for each doubling of the text (linear: about 2×)\n',
  );
  const pattern = new Pattern('(a+)+b');
  let before = 0;
  for (const length of [50_000, 100_000, 200_000, 400_000]) {
    const text = 'a'.repeat(length);
    const time = microseconds(() => pattern.match(text), 5);
    print(
      `${length} characters`,
      `${(time / 1000).toFixed(2)} ms`,
      before === 0 ? '' : `${(time / before).toFixed(2)}×`,
    );
    before = time;
  }
}
