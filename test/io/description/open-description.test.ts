// Descriptions out of several files, stored and read again, changed, and written by somebody who means harm.
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import type { Description } from '../../../src/core/contract/description.ts';
import { findOperation } from '../../../src/core/contract/find-operation.ts';
import { kindOfSchema } from '../../../src/core/contract/schema-kind.ts';
import { schemaRows } from '../../../src/core/contract/schema-rows.ts';
import { lastDescription, openDescription } from '../../../src/io/description/open-description.ts';
import { parseData } from '../../../src/io/description/parse-data.ts';
import { SchemaValidator } from '../../../src/io/description/validate.ts';

const root = mkdtempSync(join(tmpdir(), 'batharon-open-'));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let count = 0;

function folderWith(files: Readonly<Record<string, string>>): string {
  const folder = join(root, String(++count));
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

const open = (folder: string, name = 'a.yaml'): Description =>
  openDescription(join(folder, name), name, folder);
const validator = new SchemaValidator();

/** What of a value of the first response of `GET /it` is otherwise. */
function said(description: Description, value: unknown, path = ['it']): string[] {
  const found = findOperation(description, 'GET', path);
  if (!('head' in found)) throw new Error('it is not described');
  const ref = description.operation(found.head).responses[0]!.content[0]!.schema!;
  return validator
    .violations(description.schema(ref, 'response'), value as never)
    .map(({ at, path: where, says }) => `${where} ${says} (${at?.file}:${at?.line})`);
}

/** A description with one operation, whose response has this schema. */
const withSchema = (schema: string, version = '3.1.0', more = ''): string => `openapi: ${version}
info: { title: T, version: '1' }
paths:
  /it:
    get:
      responses:
        '200': { description: It, content: { application/json: { schema: ${schema} } } }
${more}`;

test('what is stored says the same as what is read, and nothing is read again until a file has changed', () => {
  const folder = folderWith({
    'a.yaml': withSchema("{ $ref: 'parts/piece.yaml#/Piece' }"),
    'parts/piece.yaml':
      "Piece:\n  type: object\n  properties:\n    id: { type: integer }\n    rack: { $ref: './rack.json' }\n",
    'parts/rack.json': '{ "type": "string",\n "minLength": 2 }',
  });
  const value = { id: 'x', rack: 'y' };
  const expected = [
    '$.id is a text, whole number wanted (parts/piece.yaml:4)',
    '$.rack has 1 character, at least 2 wanted (parts/rack.json:1)',
  ];
  expect(said(open(folder), value)).toEqual(expected);
  const [stored] = readdirSync(join(folder, '.batharon/descriptions'));
  const before = readFileSync(join(folder, '.batharon/descriptions', stored!));
  expect(said(open(folder), value)).toEqual(expected);
  expect(readFileSync(join(folder, '.batharon/descriptions', stored!)).equals(before)).toBe(true);

  writeFileSync(join(folder, 'parts/rack.json'), '{ "type": "integer" }');
  expect(lastDescription(join(folder, 'a.yaml'), 'a.yaml', folder)).toBeDefined();
  expect(said(open(folder), value)[1]).toContain('$.rack is a text, whole number wanted');
  // What is stored can be cut off, or be something else: then it is read anew.
  for (const text of [
    '',
    '12',
    '99999999999     {}',
    `${'0'.repeat(16)}{`,
    before.subarray(0, 200).toString(),
  ]) {
    writeFileSync(join(folder, '.batharon/descriptions', stored!), text);
    expect(said(open(folder), value)).toHaveLength(2);
  }
});

describe('the words of OpenAPI', () => {
  test.each([
    ['3.0', 'nullable', '{ type: string, nullable: true }', [null, 'x'], [3]],
    [
      '3.0',
      'nullable beside allOf',
      '{ nullable: true, allOf: [ { $ref: "#/components/schemas/P" } ] }',
      [null, { id: 1 }],
      [{ id: 'x' }],
    ],
    ['3.0', 'exclusiveMinimum as a truth', '{ type: number, minimum: 3, exclusiveMinimum: true }', [4], [3]],
    [
      '3.0',
      'nothing beside a reference',
      '{ $ref: "#/components/schemas/P", required: [gone] }',
      [{ id: 1 }],
      [{ id: 'x' }],
    ],
    [
      '3.1',
      'what stands beside a reference',
      '{ $ref: "#/components/schemas/P", required: [gone] }',
      [{ id: 1, gone: 1 }],
      [{ id: 1 }],
    ],
    ['3.1', 'types as a list', '{ type: [string, "null"] }', [null, 'x'], [3]],
    ['3.1', 'exclusiveMinimum as a number', '{ type: number, exclusiveMinimum: 3 }', [4], [3]],
    [
      '3.1',
      'const and prefixItems',
      '{ prefixItems: [ { const: a } ], items: { type: integer } }',
      [['a', 1]],
      [['b'], ['a', 'x']],
    ],
    [
      '3.1',
      'what a member only has on the way out',
      '{ type: object, required: [id, pin], properties: { id: {}, pin: { writeOnly: true } } }',
      [{ id: 1 }],
      [{ pin: 1 }],
    ],
    [
      '3.2',
      'a schema that holds itself',
      '{ $ref: "#/components/schemas/Node" }',
      [{ next: { next: {} } }],
      [{ next: { next: 3 } }],
    ],
    [
      '3.1',
      'formats',
      '{ type: object, properties: { d: { format: date }, u: { format: uuid }, o: { format: odd } } }',
      [{ d: '2026-01-31', o: '?' }],
      [{ d: '31.1.' }, { u: 'x' }],
    ],
  ] as const)('%s: %s', (version, _, schema, good, bad) => {
    const more =
      'components:\n  schemas:\n    P: { type: object, properties: { id: { type: integer } } }\n    Node: { type: object, properties: { next: { $ref: "#/components/schemas/Node" } } }\n';
    const description = open(folderWith({ 'a.yaml': withSchema(schema, `${version}.0`, more) }));
    expect(description.warnings).toEqual([]);
    for (const value of good) expect([value, said(description, value)]).toEqual([value, []]);
    for (const value of bad) expect([value, said(description, value)]).not.toEqual([value, []]);
  });

  test('paths, parameters, servers, schemes, callbacks and webhooks', () => {
    const description = open(
      folderWith({
        'a.yaml': `openapi: 3.2.0
info: { title: T, version: '1' }
servers: [ { url: 'https://{region}.kiln.example/{base}', variables: { region: { default: eu }, base: { default: v2 } } } ]
paths:
  /racks/{rack}/pieces/{id}.json:
    parameters: [ { $ref: '#/components/parameters/Rack' }, { name: id, in: path, required: true } ]
    get:
      operationId: one
      parameters:
        - { name: filter, in: query, style: deepObject, schema: { type: object } }
        - { name: tags, in: query, style: pipeDelimited, explode: false, schema: { type: array } }
        - { name: Rack-Note, in: header, content: { text/plain: { schema: { type: string } } } }
      responses: { 2XX: { $ref: '#/components/responses/Fine' }, default: { description: Not } }
      callbacks: { done: { '{$request.body#/notify}': { post: { responses: { '200': { description: ok } } } } } }
    query: { responses: { '200': { description: It } } }
    additionalOperations: { LINK: { responses: { '200': { description: It } } } }
  /moved/{id}: { servers: [ { url: /v9 } ], get: { operationId: moved, responses: { '200': { description: It } } } }
  /racks/all/pieces/{id}.json: { get: { operationId: all, responses: { '200': { description: It } } } }
webhooks: { cracked: { post: { summary: A piece has cracked, responses: { '200': { description: ok } } } } }
components:
  parameters: { Rack: { name: rack, in: path, required: true, schema: { type: string } } }
  responses: { Fine: { description: Fine, headers: { Total: { schema: { type: integer } } } } }
  securitySchemes: { desk: { type: oauth2, flows: { deviceAuthorization: { deviceAuthorizationUrl: /d, tokenUrl: /t, scopes: { a: A } } } } }
`,
      }),
    );
    expect(description.warnings).toEqual([]);
    expect(description.servers).toEqual(['https://eu.kiln.example/v2']);
    expect(description.operations.map(({ incoming, method, path }) => [method, path, incoming])).toEqual([
      ['GET', '/racks/{rack}/pieces/{id}.json', undefined],
      ['QUERY', '/racks/{rack}/pieces/{id}.json', undefined],
      ['LINK', '/racks/{rack}/pieces/{id}.json', undefined],
      ['GET', '/moved/{id}', undefined],
      ['GET', '/racks/all/pieces/{id}.json', undefined],
      ['POST', '/cracked', 'cracked'],
      ['POST', '{$request.body#/notify}', 'done of one'],
    ]);
    const one = description.operation(description.operations[0]!);
    expect(
      one.parameters.map(({ explode, name, required, style }) => [name, style, explode, required]),
    ).toEqual([
      ['rack', 'simple', false, true],
      ['id', 'simple', false, true],
      ['filter', 'deepObject', false, false],
      ['tags', 'pipeDelimited', false, false],
      ['Rack-Note', 'content', false, false],
    ]);
    expect(one.responses.map(({ headers, status }) => [status, headers.length])).toEqual([
      ['2XX', 1],
      ['default', 0],
    ]);
    expect(description.schemes[0]!.flows).toEqual([
      { kind: 'deviceAuthorization', tokenUrl: '/t', deviceUrl: '/d', scopes: ['a'] },
    ]);
    const find = (...path: (string | undefined)[]): string | undefined => {
      const found = findOperation(description, 'GET', path, path[0] === 'v9' ? [] : ['v2']);
      return 'head' in found ? found.head.id : undefined;
    };
    // What is written goes before what is filled in; a part that is known in the run may be either.
    expect(find('racks', 'all', 'pieces', 'p1.json')).toBe('all');
    expect(find('racks', 'A3', 'pieces', 'p1.json')).toBe('one');
    expect(find('racks', undefined, 'pieces', undefined)).toBe('one');
    expect(find('racks', 'A3', 'pieces', 'p1')).toBeUndefined();
    // It lives elsewhere than the others.
    expect(find('v9', 'moved', '7')).toBe('moved');
  });

  test('what is wrong is left out, with its place, and the rest is used', () => {
    const description = open(
      folderWith({
        'a.yaml': `openapi: 3.1.0
info: { title: T, version: '1' }
paths:
  it: { get: {} }
  /a: 12
  /it:
    get:
      parameters: [ 5, { name: x, in: nowhere }, { $ref: '#/components/parameters/Gone' } ]
      responses:
        '20': { description: none }
        '200':
          description: It
          content:
            application/json:
              schema:
                type: object
                required: yes
                properties: { a: { type: strin }, b: 3, c: { $ref: 'https://far.example/c.json' }, d: { pattern: '(' }, e: { $ref: '../../e.yaml' }, f: { type: integer } }
                $dynamicRef: '#x'
`,
      }),
    );
    expect(description.warnings.map(({ at, message }) => `${at.line} ${message}`)).toEqual([
      '3 nothing can be read of the path /a',
      '4 the path it does not begin with /',
      '7 a parameter is no object, so it is not looked at',
      '7 nothing stands at #/components/parameters/Gone',
      '7 20 is no status of a response',
      '8 a parameter has a name, and in: path, query, header, cookie',
      "15 required can't be a text, so it is not looked at",
      '15 $dynamicRef is not looked at',
      '18 strin is no type of JSON Schema, and the nearest is string; it is not looked at',
      '18 a schema is an object, and this is a number',
      '18 https://far.example/c.json is not followed: only files of the project are, by JSON pointers',
      '18 ( is no pattern (ECMA-262), so it is not looked at',
      '18 nothing stands at ../../e.yaml',
    ]);
    expect(said(description, { f: 'x' })).toEqual(['$.f is a text, whole number wanted (a.yaml:18)']);
  });
});

describe('somebody means harm', () => {
  test('a few lines that come to billions', () => {
    const lines = Array.from({ length: 40 }, (_, i) =>
      i === 0 ? 'a0: &a0 [x, x]' : `a${i}: &a${i} [*a${i - 1}, *a${i - 1}]`,
    );
    expect(() => parseData(`openapi: 3.1.0\n${lines.join('\n')}\n`, 'a.yaml')).toThrow(
      /comes to more than 3000000 parts/,
    );
  });

  test('very deep', () => {
    expect(() => parseData('['.repeat(100_000), 'a.yaml')).toThrow(/neither JSON nor YAML/);
    let schema = '{ type: object }';
    for (let i = 0; i < 230; i++) schema = `{ properties: { a: ${schema} } }`;
    const description = open(folderWith({ 'a.yaml': withSchema(schema) }));
    const ref = description.operation(description.operations[0]!).responses[0]!.content[0]!.schema!;
    kindOfSchema(description.schema(ref, 'response'));
    schemaRows(description.schema(ref, 'response'));
    expect(description.warnings.length).toBeGreaterThan(0);
  });

  test('references in a circle, and schemas that only refer to each other', () => {
    const more =
      'components:\n  schemas:\n    A: { $ref: "#/components/schemas/B" }\n    B: { $ref: "#/components/schemas/A" }\n    C: { allOf: [ { $ref: "#/components/schemas/C" } ] }\n';
    for (const name of ['A', 'C']) {
      const description = open(
        folderWith({ 'a.yaml': withSchema(`{ $ref: "#/components/schemas/${name}" }`, '3.1.0', more) }),
      );
      const ref = description.operation(description.operations[0]!).responses[0]!.content[0]!.schema!;
      const schema = description.schema(ref, 'response');
      kindOfSchema(schema);
      schemaRows(schema);
    }
  });

  test('files outside of the project are not read, by no way', () => {
    const outside = folderWith({ 'secret.yaml': 'Key: { enum: [clay-and-water-31] }' });
    const folder = folderWith({
      'a.yaml': withSchema(
        `{ anyOf: [ { $ref: 'link.yaml#/Key' }, { $ref: '../${count}/secret.yaml#/Key' }, { $ref: '${outside}/secret.yaml#/Key' } ] }`,
      ),
    });
    symlinkSync(join(outside, 'secret.yaml'), join(folder, 'link.yaml'));
    const description = open(folder);
    expect(description.warnings).toHaveLength(3);
    expect(said(description, 'x').join()).not.toContain('clay-and-water');
  });

  test('names that mean something to JavaScript', () => {
    const description = open(
      folderWith({
        'a.yaml': withSchema(
          '{ type: object, required: [constructor], properties: { __proto__: { type: integer }, constructor: { type: string }, toString: { type: string } } }',
        ),
      }),
    );
    expect(said(description, JSON.parse('{"__proto__":"x","toString":1}'))).toEqual([
      '$.constructor is missing, text wanted (a.yaml:7)',
      '$.toString is a number, text wanted (a.yaml:7)',
    ]);
    expect({}).not.toHaveProperty('type');
  });
});
