// Published suites judge: JSON Schema's own tests of a draft whose keywords are still the same, and example descriptions.
import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { kindOfSchema } from '../../../src/core/contract/schema-kind.ts';
import { sampleOf } from '../../../src/core/contract/sample.ts';
import { schemaRows } from '../../../src/core/contract/schema-rows.ts';
import { schemaOfData } from '../../../src/core/contract/shapes.ts';
import { parseJson } from '../../../src/core/language/json.ts';
import { ProblemError } from '../../../src/core/problems.ts';
import { openDescription } from '../../../src/io/description/open-description.ts';
import { parseData } from '../../../src/io/description/parse-data.ts';
import { SchemaValidator } from '../../../src/io/description/validate.ts';

const require = createRequire(import.meta.url);
const folder = mkdtempSync(join(tmpdir(), 'batharon-suites-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const validator = new SchemaValidator();

interface Group {
  readonly description: string;
  readonly schema: unknown;
  readonly tests: readonly {
    readonly description: string;
    readonly data: unknown;
    readonly valid: boolean;
  }[];
}

describe('the JSON Schema test suite', () => {
  const tests = join(dirname(require.resolve('json-schema-test-suite')), 'tests/draft4');
  const groups = (file: string): Group[] => JSON.parse(readFileSync(join(tests, file), 'utf8')) as Group[];
  /** What the draft of the suite says otherwise than 2020-12, or what is not looked at, which the docs list. */
  const OTHERWISE: Readonly<Record<string, string>> = {
    'dependencies.json': 'is dependentRequired and dependentSchemas now',
    'definitions.json': 'refers to the meta-schema of the draft',
    'refRemote.json': 'refers to other hosts, which are never asked',
    'additionalItems.json': 'has another meaning since 2020-12',
  };
  const PARTS: ReadonlySet<string> = new Set([
    'remote ref, containing refs itself', // of the meta-schema
    'an array of schemas for items', // items beyond the list are free there
    'maximum validation (explicit false exclusivity)',
    'exclusiveMaximum validation', // a truth beside maximum, which only OpenAPI 3.0 still has
    'exclusiveMinimum validation',
    'escaped pointer ref', // definitions beside pointers with %25
    'nested refs',
    'Recursive references between schemas', // by the ids of schemas
  ]);
  const files = readdirSync(tests).filter((name) => name.endsWith('.json') && !(name in OTHERWISE));

  test.each(files)('%s', (file) => {
    for (const { description, schema, tests: cases } of groups(file)) {
      if (PARTS.has(description)) continue;
      const read = schemaOfData(schema, 'suite');
      for (const { data, description: what, valid } of cases) {
        const violations = validator.violations(read, parseJson(JSON.stringify(data)));
        expect({ file, description, what, fits: violations.length === 0 }).toEqual({
          file,
          description,
          what,
          fits: valid,
        });
        for (const { path, says } of violations) expect(`${path} ${says}`).toMatch(/^\$\S* .+/s);
      }
    }
  });

  test('what is otherwise is read without a crash', () => {
    for (const file of Object.keys(OTHERWISE))
      for (const { schema, tests: cases } of groups(file)) {
        const read = schemaOfData(schema, 'suite');
        for (const { data } of cases) validator.violations(read, parseJson(JSON.stringify(data)));
      }
  });
});

describe('example descriptions', () => {
  const root = dirname(require.resolve('@readme/oas-examples/package.json'));
  const files = readdirSync(root, { recursive: true })
    .map(String)
    .filter((name) => /^3\.[01]\/(?:json|yaml)\/.*\.(?:json|yaml)$/.test(name));

  test('there are many', () => expect(files.length).toBeGreaterThan(100));

  test.each(files)('%s', (name) => {
    const path = join(root, name);
    const description = openDescription(path, name, folder);
    // The same file, read by a parser of JSON alone, has the same paths.
    const data = parseData(readFileSync(path, 'utf8'), name) as { paths?: Record<string, unknown> };
    if (name.endsWith('.json')) expect(plain(data)).toEqual(JSON.parse(readFileSync(path, 'utf8')));
    for (const head of description.operations) {
      const operation = description.operation(head);
      const lines = readFileSync(path, 'utf8').split('\n');
      expect(lines[head.at.line - 1]).toContain(head.method.toLowerCase());
      const schemas = [
        ...operation.parameters.map(({ schema }) => schema),
        ...(operation.body?.content.map(({ schema }) => schema) ?? []),
        ...operation.responses.flatMap(({ content }) => content.map(({ schema }) => schema)),
      ];
      for (const ref of schemas) {
        if (!ref) continue;
        const schema = description.schema(ref, 'response');
        kindOfSchema(schema);
        schemaRows(schema);
        const sample = parseJson(JSON.stringify(sampleOf(schema)));
        validator.violations(schema, sample);
      }
    }
    for (const { at } of description.warnings) expect(at.line).toBeGreaterThan(0);
  });

  const old = readdirSync(join(root, '2.0/json'));
  test.each(old)('2.0 is said to be no such description: %s', (name) => {
    expect(() => openDescription(join(root, '2.0/json', name), name, folder)).toThrow(/OpenAPI 2\.0/);
  });
});

function plain(node: unknown): unknown {
  if (Array.isArray(node)) return node.map(plain);
  if (typeof node !== 'object' || node === null) return node;
  return Object.fromEntries(
    Object.entries(node)
      .filter(([name]) => name !== '\u0000')
      .map(([name, value]) => [name, plain(value)]),
  );
}

test('a problem of a file says its place', () => {
  expect(() => parseData('openapi: 3.1.0\npaths: [\n', 'kiln.yaml')).toThrow(ProblemError);
  try {
    parseData('openapi: 3.1.0\npaths:\n  a: b: c\n', 'kiln.yaml');
  } catch (error) {
    expect((error as ProblemError).problem).toMatchObject({
      code: 'not-a-description',
      place: { file: 'kiln.yaml', line: 3 },
    });
  }
});
