import { expect, test } from '@jest/globals';
import type { Finding } from '../../src/core/chain/source/finding.ts';
import { checkFile as check, putRight } from './check-file.ts';
import { FILES, type FileName } from './files.ts';
import { BY_HABIT } from './by-habit.ts';
import { type Mistake, MISTAKES } from './mistakes.ts';
import { WHOLE_LINES } from './whole-lines.ts';

/** The file with one line in the place of another, and where the mark of the mistake stood in it. */
function withLine(name: FileName, [right, marked]: Mistake): { text: string; line: number; column: number } {
  const lines = FILES[name].split('\n');
  const line = lines.indexOf(right);
  if (line < 0) throw new Error(`${name} has no line ${right}`);
  const wrong = marked.replace('‸', '');
  return { text: lines.with(line, wrong).join('\n'), line: line + 1, column: marked.indexOf('‸') + 1 };
}

test.each(Object.keys(FILES) as FileName[])('%s has no fault', (name) => {
  expect(check(name, FILES[name])).toEqual([]);
});

const all = (Object.keys(MISTAKES) as FileName[]).flatMap((name) =>
  MISTAKES[name].map((mistake) => [name, mistake[1].trim(), mistake] as const),
);

test('there are enough of them', () => {
  expect(all.length).toBeGreaterThanOrEqual(150);
  expect(all.filter(([, , [, , open]]) => open === undefined).length).toBeGreaterThanOrEqual(120);
});

test.each(all)('%s: %s', (name, _, mistake) => {
  const { text, line, column } = withLine(name, mistake);
  const findings = check(name, text);
  expect(findings.map(({ place, message }) => `${place?.line}:${place?.column} ${message}`)).toEqual([
    expect.stringMatching(`^${line}:${column} `),
  ]);
  const [{ instead }] = findings as [Finding];
  if (mistake[2] === 'open') return;
  expect(instead).toBeDefined();
  expect(check(name, putRight(text, line, instead!)).map(({ message }) => message)).toEqual([]);
});

const more = (Object.keys(BY_HABIT) as FileName[]).flatMap((name) =>
  BY_HABIT[name].map(([right, wrong]) => [name, wrong.trim(), [right, wrong]] as const),
);

test.each(more)('%s, by habit: %s', (name, _, [right, wrong]) => {
  const { text } = withLine(name, [right, `‸${wrong}`]);
  const [found, ...others] = check(name, text);
  expect(others).toEqual([]);
  expect(
    check(name, putRight(text, found!.place!.line, found!.instead!)).map(({ message }) => message),
  ).toEqual([]);
});

const whole = (Object.keys(WHOLE_LINES) as FileName[]).flatMap((name) =>
  WHOLE_LINES[name].map(([right, wrong, shown]) => [name, wrong.trim(), [right, wrong], shown] as const),
);

test.each(whole)('%s, the whole line: %s', (name, _, [right, wrong], shown) => {
  const { text, line } = withLine(name, [right, `‸${wrong}`]);
  const found = check(name, text);
  expect(
    found.filter(({ instead }) => instead !== undefined).map(({ place, instead }) => [place?.line, instead]),
  ).toEqual([[line, shown]]);
  expect(check(name, putRight(text, line, shown)).map(({ message }) => message)).toEqual([]);
});
