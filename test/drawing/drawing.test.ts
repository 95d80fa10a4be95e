// Chains and runs as sequence diagrams: in text, as a picture, for Mermaid.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import * as fc from 'fast-check';
import { eastAsianWidth } from 'get-east-asian-width';
import { parseXmlDocument } from 'slimdom';
import { JOBS } from '../../src/core/explain/jobs.ts';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { RunFold } from '../../src/core/record/run-fold.ts';
import { sequenceOfChain } from '../../src/drawing/from-chain.ts';
import { sequenceOfRun } from '../../src/drawing/from-run.ts';
import { mermaid } from '../../src/drawing/mermaid.ts';
import {
  CHAIN,
  depthOf,
  folded,
  type DrawnItem,
  PERSON,
  type Sequence,
  sizeOf,
} from '../../src/drawing/sequence.ts';
import { svg } from '../../src/drawing/svg.ts';
import { drawnText } from '../../src/drawing/drawn-text.ts';
import { batharon, folderWith } from '../cli/support.ts';
import { KILN, type Reply, runChain } from '../core/engine/support.ts';

const examples = join(import.meta.dirname, '../../examples');
const { project } = readProject(
  'batharon.yaml',
  readFileSync(join(examples, 'batharon.yaml'), 'utf8'),
  undefined,
  true,
);

const CHAINS = [
  ...readdirSync(examples)
    .filter((name) => name.endsWith('.chain.yaml'))
    .map((name) => [name, readFileSync(join(examples, name), 'utf8')] as const),
  ...JOBS.filter(({ files = {} }) => Object.keys(files).length === 0).map(
    ({ word, chain }) => [word, chain] as const,
  ),
];

const widthOf = (text: string): number =>
  Array.from(text).reduce((sum, char) => sum + eastAsianWidth(char.codePointAt(0)!), 0);

/** What holds of every drawing, whatever is in it. */
function holdsFor(sequence: Sequence): void {
  for (const width of [40, 80, 126])
    for (const { text } of drawnText(sequence, width).slice(2)) {
      expect(text).not.toMatch(/[\u0000-\u001f\u007f-\u009f]/);
      expect(widthOf(text)).toBeLessThanOrEqual(width);
    }
  const picture = svg(sequence);
  expect(parseXmlDocument(picture).documentElement?.localName).toBe('svg');
  expect(picture).not.toMatch(/NaN|undefined|<script/);
  const lines = mermaid(sequence).trimEnd().split('\n');
  const opened = lines.filter((line) => /^ +(?:loop|alt|opt|par|rect) /.test(line)).length;
  expect(lines.filter((line) => /^ +end$/.test(line)).length).toBe(opened);
  expect(lines.slice(2).every((line) => /^ +(?:\w+ |\w+-)/.test(line) || /^ +end$/.test(line))).toBe(true);
}

test.each(CHAINS)('the chain of %s is drawn in all three ways', (name, text) => {
  const { chain, findings } = readChain(name, text, project, { files: () => undefined });
  // What follows other files is not read here.
  if (!chain) return expect(findings.map(({ code }) => code)).toContain('file-not-found');
  const sequence = sequenceOfChain(chain, project);
  holdsFor(sequence);
  const calls = text.match(/^\s*(?:- )?call:/gm)?.length ?? 0;
  expect(drawnText(sequence, 100).filter((line) => line.text.includes('▶')).length).toBeGreaterThanOrEqual(
    Math.min(1, calls),
  );
});

const ALL = `chain: All of it
steps:
  - ask: Which rack?
    name: rack
    choices: [A3, B1]
  - call: GET kiln /racks/\${rack}
    name: list
    pages: { next: $.next, items: $.items }
    keep: { items: gathered }
  - when: length(items) > 0
    steps:
      - each: one in items
        at-once: 2
        steps:
          - call: POST kiln /jobs
            name: job
            keep: { id: $.id }
            undo: [ { call: 'DELETE kiln /jobs/\${id}' } ]
          - call: GET kiln /jobs/\${id}
            poll: { until: $.done, every: 1s, within: 1m }
    else:
      - show: nothing there
  - call: GET https://other.example/x
    when: rack == 'A3'
    as: nobody
    on-fail: accept
    retry: { attempts: 2, on: [5xx] }
cleanup:
  - call: DELETE kiln /racks/\${rack}
`;

const reply = ({ method, url }: { method: string; url: string }): Reply =>
  url.includes('other')
    ? { status: 503 }
    : method === 'POST'
      ? { json: '{"id":"j1"}' }
      : url.includes('/jobs/')
        ? { json: '{"done":true}' }
        : { json: '{"items":["a","b","c"],"next":null}' };

test('of a chain: who takes part, loops, branches, polls, pages, what is done at the end', () => {
  const read = readProject('batharon.yaml', KILN, undefined, true);
  const { chain } = readChain('a.chain.yaml', ALL, read.project);
  const sequence = sequenceOfChain(chain!, read.project);
  holdsFor(sequence);
  expect(sequence.participants.map(({ name }) => name)).toEqual(['person', 'chain', 'kiln', 'other.example']);
  const shown = drawnText(sequence, 126)
    .map(({ text }) => text)
    .join('\n');
  for (const part of [
    'Which rack?',
    'loop  each page, at most 100',
    'alt  length(items) > 0',
    'else',
    'loop  each one in items, 2 at once',
    'loop  until $.done, every 1s, within 1m',
    "opt  rack == 'A3'",
    'loop  at most 2 attempts, on 5xx',
    'strict  take back what was done',
    'DELETE /jobs/${id}',
    'strict  clean up',
  ])
    expect(shown).toContain(part);
});

test('of a run: statuses, times, counts, the iteration that failed, and what was accepted', async () => {
  const fold = new RunFold();
  let posts = 0;
  await runChain(
    ALL,
    (request) => (request.method === 'POST' && ++posts === 2 ? { status: 500 } : reply(request)),
    {
      project: KILN,
      allowUnexplained: true,
      answers: new Map([['rack', 'A3']]),
      onEvent: (event) => fold.take(event),
    },
  );
  const sequence = sequenceOfRun(fold.run!);
  holdsFor(sequence);
  const lines = drawnText(sequence, 126);
  const shown = lines.map(({ text }) => text).join('\n');
  expect(sequence.subtitle).toContain('failed');
  for (const part of ['run test', 'each one: ', '1 failed', '500 · 0 ms', "[1] 'b'", 'DELETE /v1/jobs/j1'])
    expect(shown).toContain(part);
  expect(lines.some(({ mark, text }) => mark === 'failed' && text.includes('500'))).toBe(true);
});

const texts = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 200 }),
  fc.constantFrom(
    'end',
    'loop x',
    'a;b#c',
    '<script>',
    '%%',
    '\u001b[2J',
    '宽'.repeat(90),
    '\u202e',
    '->>',
    '',
  ),
);
const item = fc.letrec<{ item: DrawnItem; items: DrawnItem[] }>((tie) => ({
  item: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.record({
      type: fc.constantFrom('message' as const, 'reply' as const),
      from: fc.constantFrom(CHAIN, PERSON, 's0', 's1'),
      to: fc.constantFrom(CHAIN, PERSON, 's0', 's1'),
      text: texts,
      mark: fc.constantFrom(undefined, 'failed' as const, 'passed' as const),
    }),
    fc.record({ type: fc.constant('note' as const), over: fc.constantFrom(CHAIN, 's1'), text: texts }),
    fc.record({
      type: fc.constant('frame' as const),
      operator: fc.constantFrom('loop' as const, 'alt' as const, 'ref' as const, 'strict' as const),
      sections: fc.array(fc.record({ label: texts, items: tie('items') }), { minLength: 1, maxLength: 3 }),
    }),
  ),
  items: fc.array(tie('item'), { maxLength: 6 }),
}));

test('whatever stands in it, a drawing has its form, and a fold its bound', () => {
  fc.assert(
    fc.property(texts, fc.array(texts, { minLength: 2, maxLength: 2 }), item.items, (title, names, items) => {
      const sequence: Sequence = {
        title,
        participants: [
          { id: PERSON, name: 'person', isPerson: true },
          { id: CHAIN, name: title },
          ...names.map((name, i) => ({ id: `s${i}`, name })),
        ],
        items,
      };
      holdsFor(sequence);
      const small = folded(sequence, 5);
      expect(sizeOf(small.items)).toBeLessThanOrEqual(Math.max(6, 5 * 6));
      expect(depthOf(small.items)).toBeLessThanOrEqual(depthOf(items));
    }),
    { numRuns: 30 },
  );
});

test('a large chain is folded from the inside', () => {
  const loop = (depth: number): DrawnItem => ({
    type: 'frame',
    operator: 'loop',
    sections: [
      {
        label: `at ${depth}`,
        items:
          depth === 0
            ? Array.from({ length: 50 }, (_, i): DrawnItem => ({
                type: 'note',
                over: CHAIN,
                text: String(i),
              }))
            : [loop(depth - 1), loop(depth - 1)],
      },
    ],
  });
  const sequence = { title: 'A', participants: [{ id: CHAIN, name: 'chain' }], items: [loop(3)] };
  const small = folded(sequence, 120);
  expect([sizeOf(sequence.items) > 400, sizeOf(small.items) <= 120, depthOf(small.items)]).toEqual([
    true,
    true,
    4,
  ]);
  expect(drawnText(small, 80).some(({ text }) => text.includes('50 lines, folded'))).toBe(true);
});

test('a picture that cannot be written is said, as a command that was wrong', async () => {
  const folder = folderWith({ 'a.chain.yaml': 'chain: A\nsteps: [{ wait: 1s }]\n' });
  const { code, stderr } = await batharon(folder, ['draw', 'a.chain.yaml', '--svg', 'no/such/folder.svg']);
  expect([code, stderr]).toEqual([2, expect.stringContaining("no/such/folder.svg can't be written")]);
  const { stdout } = await batharon(folder, ['draw', 'a.chain.yaml', '--svg']);
  expect(parseXmlDocument(stdout).documentElement?.localName).toBe('svg');
});
