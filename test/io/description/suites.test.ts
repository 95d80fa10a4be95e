// Published suites judge: JSON Schema's own tests, and example descriptions.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
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

/** Runs a suite. What comes out otherwise has a warning where it is written, or is among the exceptions. */
function tryAll(folder: string, exceptions: Readonly<Record<string, string>>): void {
  const otherwise = new Set<string>();
  const files = readdirSync(folder, { recursive: true })
    .map(String)
    .filter((name) => name.endsWith('.json'));
  expect(files.length).toBeGreaterThan(30);
  let count = 0;
  for (const file of files)
    for (const group of JSON.parse(readFileSync(join(folder, file), 'utf8')) as Group[]) {
      const schema = schemaOfData(group.schema, 'suite');
      for (const { data, valid } of group.tests) {
        count++;
        const violations = validator.violations(schema, parseJson(JSON.stringify(data)));
        for (const { path, says } of violations) expect(`${path} ${says}`).toMatch(/^\$.* .+/s);
        const isRight = (violations.length === 0) === valid;
        if (!isRight && schema.warnings.length === 0) otherwise.add(`${file}: ${group.description}`);
      }
    }
  // A new one is a defect; one that has gone shall leave the list.
  expect(
    [...otherwise].filter((one) => !Object.keys(exceptions).some((start) => one.startsWith(start))),
  ).toEqual([]);
  expect(
    Object.keys(exceptions).filter((start) => ![...otherwise].some((one) => one.startsWith(start))),
  ).toEqual([]);
  expect(count).toBeGreaterThan(200);
}

describe('the JSON Schema test suite', () => {
  const draft4 = join(dirname(require.resolve('json-schema-test-suite')), 'tests/draft4');
  const newest = 'usr/share/perl5/auto/share/dist/Test-JSON-Schema-Acceptance/tests/draft2020-12';
  const published = new URL(
    `../../../node_modules/.cache/published/libtest-json-schema-acceptance-perl/${newest}`,
    import.meta.url,
  ).pathname;
  const isThere = existsSync(published);
  if (!isThere) process.stderr.write('LEFT OUT: the JSON Schema test suite of 2020-12 is missing\n');

  (isThere ? test : test.skip)('of 2020-12', () =>
    tryAll(published, {
      'optional/float-overflow.json: all integers are multiples': '1e308 is more than the library divides',
      'optional/format/email.json': 'a local part in quotes is refused',
      'optional/format/idn-': 'none of the formats that are looked at',
      'optional/format/iri': 'none of the formats that are looked at',
      'unevaluatedItems.json: unevaluatedItems with nested items': 'of alternatives that all fit, one counts',
      'unevaluatedItems.json: unevaluatedItems depends on': 'what contains has met does not count',
      'unevaluatedItems.json: unevaluatedItems and contains': 'what contains has met does not count',
      'unevaluatedProperties.json: unevaluatedProperties with if/then/else, then':
        'an if alone does not count',
    }),
  );

  test('of draft 4, which has most keywords in common', () =>
    tryAll(draft4, {
      'additionalItems.json': 'has another meaning since 2020-12',
      'optional/format.json: validation of URIs': 'a relative reference is a uri there',
      'optional/zeroTerminatedFloats.json': '1.0 is an integer now',
    }));
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
    const lines = readFileSync(path, 'utf8').split('\n');
    for (const head of description.operations) {
      const operation = description.operation(head);
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
