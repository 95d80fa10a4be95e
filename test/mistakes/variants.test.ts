import { expect, test } from '@jest/globals';
import { JOBS } from '../../src/core/explain/jobs.ts';
import { checkChain, checkFile, putRight } from './check-file.ts';
import { FILES, type FileName } from './files.ts';
import { strokes } from './signs.ts';
import { type Variant, variantsOf } from './variants.ts';

const PROVE = process.env.PROVE !== undefined;
/** Of all variants, which take some minutes, one in so many is tried. */
const STEP = PROVE ? 1 : 20;

interface Tried extends Variant {
  readonly name: FileName;
  readonly number: number;
  readonly right: string;
}

const all: readonly Tried[] = (Object.keys(FILES) as FileName[]).flatMap((name) =>
  FILES[name]
    .split('\n')
    .flatMap((right, i) => variantsOf(right).map((variant) => ({ ...variant, name, number: i + 1, right }))),
);

/** The examples of `explain`, which were written for something else than these tests. */
const EXAMPLES = JOBS.filter(({ chain }) => checkChain(chain).length === 0).flatMap(({ word, chain }) =>
  chain
    .split('\n')
    .flatMap((right, i) => variantsOf(right).map((variant) => ({ ...variant, word, chain, number: i + 1 }))),
);

test('so it is in chains that were written for something else', () => {
  const tried = EXAMPLES.filter((_, i) => i % (PROVE ? 4 : 50) === 0);
  const open: string[] = [];
  let found = 0;
  for (const { word, chain, number, line, rule } of tried) {
    const text = chain
      .split('\n')
      .with(number - 1, line)
      .join('\n');
    const [finding, ...more] = checkChain(text);
    if (!finding) continue;
    found++;
    const { place, instead, begins, message } = finding;
    const mended = instead === undefined ? text : putRight(text, place!.line, instead, begins);
    if (more.length > 0 || checkChain(mended).length > 0)
      open.push(`${word}:${number} ${rule}: ${line.trim()} | ${message}`);
  }
  if (PROVE) process.stdout.write(`${tried.length} lines, ${found} found\n${open.join('\n')}\n`);
  expect(found).toBeGreaterThan(tried.length * 0.8);
  expect({ open, share: open.length / found <= 0.04 }).toEqual({ open: expect.any(Array), share: true });
});

test('what is written by a slip or a habit is put right by one message, and nearly always as it was', () => {
  const tried = all.filter((_, i) => i % STEP === 0);
  const open: string[] = [];
  let [found, right, same] = [0, 0, 0];
  for (const { name, number, line, rule } of tried) {
    const text = FILES[name]
      .split('\n')
      .with(number - 1, line)
      .join('\n');
    const findings = checkFile(name, text);
    for (const { place } of findings) expect(place).toBeDefined();
    if (findings.length === 0) continue;
    found++;
    const { place, instead, begins, message } = findings[0]!;
    const mended =
      findings.length === 1 && instead !== undefined
        ? putRight(text, place!.line, instead, begins)
        : undefined;
    if (mended !== undefined && checkFile(name, mended).length === 0) {
      right++;
      if (mended === FILES[name]) same++;
    } else open.push(`${name}:${number} ${rule}: ${line.trim()} | ${message}`);
  }
  if (PROVE)
    process.stdout.write(
      `${tried.length} lines, ${found} found, ${right} put right, ${same} as they were\n${open.join('\n')}\n`,
    );
  expect(found).toBeGreaterThan(tried.length * 0.8);
  expect({ open, share: right / found >= 0.96 }).toEqual({ open: expect.any(Array), share: true });
  expect(same / right).toBeGreaterThan(0.75);
});

test('a stroke too few, too many or beside its key is put right by one message, wherever it is', () => {
  const read = [
    ...(Object.keys(FILES) as FileName[]).map((name) => ({
      text: FILES[name],
      check: (text: string) => checkFile(name, text),
    })),
    ...JOBS.filter(({ chain }) => checkChain(chain).length === 0).map(({ chain }) => ({
      text: chain,
      check: checkChain,
    })),
  ];
  const every = read.flatMap(({ text, check }) =>
    text.split('\n').flatMap((line, i) => Array.from(strokes(text, i), (one) => ({ ...one, line, check }))),
  );
  const tried = every.filter((_, i) => i % (PROVE ? 4 : 120) === 0);
  const open: string[] = [];
  let found = 0;
  for (const { text, rule, line, check } of tried) {
    const [finding, ...more] = check(text);
    if (!finding) continue;
    found++;
    const { place, instead, begins, message } = finding;
    const mended = instead === undefined ? text : putRight(text, place!.line, instead, begins);
    if (more.length > 0 || check(mended).length > 0) open.push(`${rule}: ${line.trim()} | ${message}`);
  }
  if (PROVE) process.stdout.write(`${tried.length} strokes, ${found} found\n${open.join('\n')}\n`);
  expect(found).toBeGreaterThan(tried.length * 0.75);
  expect({ open, share: open.length / found <= 0.05 }).toEqual({ open: expect.any(Array), share: true });
});
