// What an independent validator says of the schemas: it takes whatever `check` takes, and refuses wrong keys and forms.
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { parse } from 'yaml';
import { readChain } from '../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../src/core/chain/read/read-project.ts';
import { chainKeys } from '../../../src/core/chain/keys/chain-keys.ts';
import { STEP_SHAPES } from '../../../src/core/chain/keys/step-shapes.ts';
import { schemaOfFile } from '../../../src/core/schema/file-schema.ts';
import { JOBS } from '../../../src/core/explain/jobs.ts';
import { FILES, type FileName } from '../../mistakes/files.ts';
import { BY_HABIT } from '../../mistakes/by-habit.ts';
import { MISTAKES } from '../../mistakes/mistakes.ts';

const ajv = new Ajv2020({ strict: true, allowUnionTypes: true, allErrors: true });
const VALIDATORS = {
  chain: ajv.compile(schemaOfFile('chain')),
  project: ajv.compile(schemaOfFile('project')),
};

/** What the validator says of a file as an editor reads it: a text, or what YAML makes of one. */
function refused(name: string, file: unknown): string[] {
  const validate = VALIDATORS[name.endsWith('batharon.yaml') ? 'project' : 'chain'];
  const value: unknown = typeof file === 'string' ? parse(file) : file;
  return validate(value) ? [] : (validate.errors ?? []).map((one) => `${one.instancePath} ${one.message}`);
}

/** The least step of its sort. */
const LEAST: Readonly<Record<string, object>> = {
  call: { call: 'GET kiln /a' },
  ask: { ask: 'Which?', name: 'which' },
  wait: { wait: '1s' },
  steps: { steps: [{ wait: '1s' }] },
  each: { each: 'a in b', steps: [{ wait: '1s' }] },
  repeat: { repeat: { until: 'a', 'up-to': 3 }, steps: [{ wait: '1s' }] },
  follow: { follow: 'a.chain.yaml' },
  plain: { show: 'a' },
};

const examples = fileURLToPath(new URL('../../../examples/', import.meta.url));
const files = readdirSync(examples, { recursive: true })
  .map(String)
  .filter((name) => /(?:^|\/)batharon\.yaml$|\.chain\.yaml$/.test(name));

describe('takes', () => {
  test.each(files)('the example %s', (name) => {
    expect(refused(name, readFileSync(examples + name, 'utf8'))).toEqual([]);
  });
  test.each(Object.entries(FILES))('the practice file %s', (name, text) => {
    expect(refused(name, text)).toEqual([]);
  });
  test('the example of each key of a chain and of a step', () => {
    const read = (example: string): object => {
      const value = parse(example) as object | object[];
      return Array.isArray(value) ? (value as object[])[0]! : value;
    };
    for (const { name, example } of chainKeys)
      expect([
        name,
        refused('a.chain.yaml', { chain: 'A', steps: [{ wait: '1s' }], ...read(example) }),
      ]).toEqual([name, []]);
    for (const [verb, keys] of Object.entries(STEP_SHAPES))
      for (const { name, example } of keys) {
        const step = { ...LEAST[verb], ...read(example) };
        expect([verb, name, refused('a.chain.yaml', { chain: 'A', steps: [step] })]).toEqual([
          verb,
          name,
          [],
        ]);
      }
  });
  test('the chain of each job that explain shows', () => {
    for (const { word, chain } of JOBS) expect([word, refused('a.chain.yaml', chain)]).toEqual([word, []]);
  });
});

const { project } = readProject('batharon.yaml', FILES['batharon.yaml'], undefined, true);
const STRUCTURE = new Set(['unknown-key', 'missing-key']);
const wrong = (Object.keys(FILES) as FileName[]).flatMap((name) =>
  [...MISTAKES[name], ...BY_HABIT[name]].flatMap(([right, marked]) => {
    const line = marked.replace('‸', '');
    const lines = FILES[name].split('\n');
    const text = lines.with(lines.indexOf(right), line).join('\n');
    const { findings } =
      name === 'batharon.yaml' ? readProject(name, text, undefined, true) : readChain(name, text, project);
    return findings.some(({ code }) => STRUCTURE.has(code)) ? [[name, line.trim(), text] as const] : [];
  }),
);

test('there are many mistakes of structure', () => {
  expect(wrong.length).toBeGreaterThan(40);
});

test.each(wrong)('refuses %s: %s', (name, _, text) => {
  expect(refused(name, text)).not.toEqual([]);
});

test('says of each key what explain says', () => {
  const { properties } = schemaOfFile('project');
  expect(properties!.zone!.description).toMatch(/zone/);
  expect(JSON.stringify(schemaOfFile('chain'))).toContain(
    'How many iterations go on at the same time. Default: 1.',
  );
});
