import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Document, Scalar } from 'yaml';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { SourceFile } from '../../../../src/core/chain/source/source-file.ts';

const WORDS = fc.array(
  fc.constantFrom(
    'rack',
    "it's",
    '"A3"',
    '\\d',
    '${piece.id}',
    'ä',
    '😀',
    ' ',
    '  ',
    '\n',
    '\n\n',
    ': ',
    '#',
  ),
  { minLength: 1, maxLength: 30 },
);
const STYLES = [
  Scalar.PLAIN,
  Scalar.QUOTE_SINGLE,
  Scalar.QUOTE_DOUBLE,
  Scalar.BLOCK_LITERAL,
  Scalar.BLOCK_FOLDED,
] as const;

test('each character of a text is found where it stands, in whatever form and on however many lines', () => {
  let onSeveral = 0;
  fc.assert(
    fc.property(WORDS, fc.constantFrom(...STYLES), fc.constantFrom(0, 20, 40), (words, style, lineWidth) => {
      const value = words.join(' ');
      const scalar = new Scalar(value);
      scalar.type = style;
      const yaml = new Document({ steps: [{ show: scalar }] }).toString({ lineWidth, minContentWidth: 0 });
      const { root, problems } = new SourceFile('one.chain.yaml', yaml);
      if (problems.length > 0 || root.type !== 'map') return;
      const steps = root.entries[0]!.value;
      const step = steps.type === 'list' ? steps.items[0]! : steps;
      const show = step.type === 'map' ? step.entries[0]!.value : step;
      if (show.type !== 'scalar') return;
      if (/\n/.test(yaml.slice(...show.range).trim())) onSeveral++;
      const units = show.text.split('');
      const at = units.map((_, i) => show.offset(i));
      expect(at).toEqual([...at].sort((a, b) => a - b));
      for (const [i, unit] of units.entries())
        if (/\S/.test(unit) && yaml[at[i]!] !== '\\')
          expect([yaml, i, yaml[at[i]!]]).toEqual([yaml, i, unit]);
    }),
    { numRuns: 500, seed: 11 },
  );
  expect(onSeveral).toBeGreaterThan(100);
});

test('what is wrong in a text of several lines is told on its line, and put right there', () => {
  const { findings } = readProject(
    'batharon.yaml',
    `services: { kiln: { url: https://kiln.emberfold.example, as: stamp } }
credentials:
  stamp:
    kind: recipe
    let:
      time: "join([
        text(now()),
        text(noe())], '-')"
    headers:
      Emberfold-Stamp: >-
        stamp time="\${time}",
        by="\${tim}"
`,
    undefined,
    false,
  );
  expect(findings.map(({ place, instead }) => [place?.line, place?.column, instead])).toEqual([
    [8, 14, "text(now())], '-')\""],
    [12, 15, 'by="${time}"'],
  ]);
});
