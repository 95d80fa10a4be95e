import { expect, test } from '@jest/globals';
import type { Finding } from '../../../../src/core/chain/source/finding.ts';
import { SourceFile } from '../../../../src/core/chain/source/source-file.ts';
import { withWholeLines } from '../../../../src/core/chain/source/whole-lines.ts';

const at = (
  line: number,
  instead: string,
  code: 'unknown-name' | 'wrong-kind' = 'unknown-name',
): Finding => ({
  level: 'problem',
  code,
  message: `line ${line}`,
  instead,
  place: { file: 'a.chain.yaml', line, column: 1 },
});

const wholeLines = (text: string, findings: readonly Finding[], read: (text: string) => readonly Finding[]) =>
  withWholeLines(findings, {
    text,
    read: (other) => ({ file: new SourceFile('', other), findings: read(other) }),
    keys: new Set(),
    own: findings,
  });

test('what is read again is bounded, however many lines are wrong and however long the file is', () => {
  for (const lines of [10, 100, 1000]) {
    const text = 'a: b # and some more text\n'.repeat(lines);
    const findings = Array.from({ length: lines }, (_, i) => at(i + 1, 'a: c'));
    let read = 0;
    const found = withWholeLines(findings, {
      text,
      keys: new Set(),
      own: findings,
      read: (other) => {
        read += other.length;
        const left = findings.filter((_, i) => other.split('\n')[i] !== 'a: c');
        return { file: new SourceFile('', other), findings: left };
      },
    });
    expect(read).toBeLessThanOrEqual(180_000);
    expect(found).toEqual(findings);
  }
});

test('a line that goes back and forth, or gets worse, stays as it was first put right', () => {
  const forth = wholeLines('a\n', [at(1, 'b')], (text) => [at(1, text === 'b\n' ? 'c' : 'b')]);
  expect(forth).toEqual([at(1, 'b')]);
  const worse = wholeLines('a\n', [at(1, 'b')], (text) =>
    text === 'b\n' ? [at(1, 'c')] : [at(1, 'd'), at(2, 'e')],
  );
  expect(worse).toEqual([at(1, 'b')]);
});

test('of several findings on a line the first has it, once it is right; what stands elsewhere keeps its own', () => {
  const found = (code: 'unknown-name' | 'wrong-kind'): readonly (string | undefined)[] =>
    wholeLines('a\na\n', [at(1, 'b'), at(1, 'x', code), at(2, 'y')], (text) =>
      text === 'b\na\n'
        ? [at(1, 'c', code), at(2, 'y')]
        : text === 'c\na\n'
          ? [at(2, 'y')]
          : [at(1, 'b'), at(1, 'x', code)],
    ).map(({ instead }) => instead);
  expect(found('wrong-kind')).toEqual(['c', undefined, 'y']);
  // The same mistake once more is shown by the line.
  expect(found('unknown-name')).toEqual(['c', 'y']);
});
