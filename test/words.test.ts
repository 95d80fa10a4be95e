import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';

const root = join(import.meta.dirname, '..');
const pages = [
  'README.md',
  'CONTRIBUTING.md',
  'test/messages/messages.txt',
  ...readdirSync(join(root, 'docs'), { recursive: true, encoding: 'utf8' })
    .filter((path) => path.endsWith('.md'))
    .map((path) => `docs/${path}`),
];

/** Words that were given up, each for one that the field uses. */
const RETIRED: readonly (readonly [RegExp, string])[] = [
  [/\b(?:held|broke)\b(?!\.png)(?!-)/i, 'passed, failed'],
  [/\bcut off\b/i, 'interrupted'],
  [/\bturns?-on-fail\b|\bas-told\b/, 'when-one-fails, retry-after'],
  [/\b(?:a|each|every|one|the|its|of) turns?\b(?! (?:of|off|on|into))/i, 'iteration'],
  [/\bremarks?\b/i, 'warning'],
  [/\b(?:the|an?|its|each|every|last|this) answers?\b/i, 'response'],
  [/\bheader fields?\b/i, 'header'],
  [/\bcall-backs?\b/i, 'callback'],
  [/’/, "'"],
];

test('retired words stand in no page and in no message', () => {
  const found = pages.flatMap((path) =>
    readFileSync(join(root, path), 'utf8')
      .split('\n')
      .flatMap((line, i) =>
        RETIRED.flatMap(([pattern, instead]) =>
          // What a person says to a question is an answer.
          !(instead === 'response' && path === 'docs/asking.md') &&
          pattern.test(line.replace(/\([^)]*\.png\)/g, ''))
            ? [`${path}:${i + 1}: ${line.trim().slice(0, 100)} (${instead})`]
            : [],
        ),
      ),
  );
  expect(found).toEqual([]);
});

test('the glossary has at most forty words, each once, in order', () => {
  const words = [...readFileSync(join(root, 'docs/glossary.md'), 'utf8').matchAll(/^\| (\w+) +\|/gm)]
    .map(([, word]) => word!)
    .filter((word) => word !== 'word');
  expect(words.length).toBeLessThanOrEqual(40);
  expect(words).toEqual([...new Set(words)].toSorted());
});
