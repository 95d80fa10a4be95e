// Descriptions as the built program uses them: listed, kept, renewed; steps made of them; shapes; what runs met of them.
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { parse } from 'yaml';
import { KILN } from '../../core/contract/support.ts';
import { batharon, folderWith } from '../support.ts';

const PROJECT = 'services:\n  kiln: { url: "https://kiln.example/v1", description: kiln.openapi.yaml }\n';
const files = { 'batharon.yaml': PROJECT, 'kiln.openapi.yaml': KILN };
let folder: string;
beforeAll(() => {
  folder = folderWith(files);
});

describe('calls', () => {
  test('lists what a service offers, and finds it by words', async () => {
    const all = await batharon(folder, ['calls', 'kiln']);
    expect(all.stdout.split('\n').slice(0, 6)).toEqual([
      'Kiln 1  kiln.openapi.yaml · 4 operations',
      '',
      'GET     /pieces       listPieces',
      'POST    /pieces       createPiece',
      'GET     /pieces/{id}  readPiece',
      'DELETE  /pieces/{id}  deletePiece',
    ]);
    const some = await batharon(folder, ['calls', 'kiln', 'id', 'delete']);
    expect(some.stdout).toContain('DELETE /pieces/{id}  deletePiece · kiln.openapi.yaml:');
    const json = await batharon(folder, ['calls', '--json']);
    expect((JSON.parse(json.stdout) as { id: string }[]).map(({ id }) => id)).toContain('readPiece');
  });

  test('of one it shows parameters, body and responses, and the step to write', async () => {
    const { stdout } = await batharon(folder, ['calls', 'kiln', 'createPiece']);
    for (const part of [
      /Idempotency-Key \* +header, text/,
      /body \* {2}application\/json/,
      / {2}name \* +text/,
      / {2}cone +whole number, 1 to 12/,
      / {2}price \* +number/,
      /- call: POST kiln \/pieces\n {4}name: create_piece\n {4}headers:\n {6}Idempotency-Key: \$\{idempotency_key\}\n {4}json:\n {6}name: text\n {4}expect: status == 201/,
    ])
      expect(stdout).toMatch(part);
    // What only goes the other way stands in neither tree.
    expect(stdout).not.toMatch(/secretNote|made/);
  });

  test.each([
    [['calls', 'klin'], 'no service klin', 'kiln'],
    [['calls', 'kiln', 'peices'], 'has no operation with peices', 'pieces'],
    [['calls', 'plain'], 'plain has no description', 'description: FILE'],
  ])('%j is said what is wrong with', async (args, message, hint) => {
    const own = folderWith({
      ...files,
      'batharon.yaml': `${PROJECT}  plain: { url: "https://plain.example" }\n`,
    });
    const { code, stderr } = await batharon(own, args);
    expect(code).not.toBe(0);
    expect(stderr).toContain(message);
    expect(stderr).toContain(hint);
    expect(stderr).toContain('(no-description)');
  });

  test('what can not be used as written is warned about once, and listed', async () => {
    const flawed = KILN.replace('{ type: integer, maximum: 50 }', '{ type: int, maximum: many }').replace(
      "'#/components/schemas/Draft'",
      "'#/components/schemas/Daft'",
    );
    const own = folderWith({
      ...files,
      'kiln.openapi.yaml': flawed,
      'a.chain.yaml': 'chain: A\nsteps:\n  - call: GET kiln /pieces/p1\n    as: nobody\n',
    });
    const checked = await batharon(own, ['check']);
    expect(checked.code).toBe(0);
    expect(checked.stderr + checked.stdout).toContain(
      "3 places in kiln.openapi.yaml can't be used as written (description-flawed)",
    );
    const { stdout } = await batharon(own, ['calls', 'kiln', '--warnings']);
    expect(stdout.trim().split('\n')).toEqual([
      'kiln.openapi.yaml:10: int is no type of JSON Schema, and the nearest is integer; it is not looked at',
      "kiln.openapi.yaml:10: maximum can't be a text, so it is not looked at",
      'kiln.openapi.yaml:33: nothing stands at #/components/schemas/Daft',
    ]);
  });
});

describe('a description at a URL', () => {
  let server: Server;
  let served = KILN;
  let status = 200;
  const asked: (string | undefined)[] = [];
  beforeAll(async () => {
    server = createServer((request, response) => {
      asked.push(request.headers.authorization);
      response.writeHead(status, { 'content-type': 'application/yaml' }).end(served);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  });
  afterAll(() => void server.close());

  test('is fetched by --renew alone, kept by its digest, and said what changed', async () => {
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/openapi.yaml`;
    const own = folderWith({
      'batharon.yaml': `services:\n  kiln: { url: "https://kiln.example/v1", as: desk, description: "${url}" }\ncredentials:\n  desk: { kind: bearer, token: "\${secret.desk}" }\nsecrets: { desk: env DESK }\n`,
      'a.chain.yaml': 'chain: A\nsteps:\n  - call: GET kiln /peices\n',
    });
    const before = await batharon(own, ['check']);
    expect(before.stderr + before.stdout).toContain('(description-missing)');
    expect(asked).toEqual([]);
    const env = { DESK: 'clay-and-water-31' };
    expect((await batharon(own, ['calls', 'kiln', '--renew'], { env })).stderr).toMatch(
      /renewed descriptions\/kiln-[0-9a-f]{16}\.yaml\n +4 operations/,
    );
    // No credential goes along.
    expect(asked).toEqual([undefined]);
    const after = await batharon(own, ['check']);
    expect(after.stderr + after.stdout).toContain('has no /peices (not-described)');
    const [kept] = readdirSync(join(own, 'descriptions'));

    served = KILN.replace('cone: { type: integer }', 'cone: { type: number }').replace(
      'operationId: deletePiece',
      'operationId: dropPiece',
    );
    const renewed = await batharon(own, ['calls', 'kiln', '--renew'], { env });
    expect(renewed.stderr).toContain('changed: DELETE /pieces/{id}\n        changed: schema Piece');
    expect(readdirSync(join(own, 'descriptions'))).toHaveLength(1);
    expect(readdirSync(join(own, 'descriptions'))).not.toContain(kept);
    expect((await batharon(own, ['calls', 'kiln', '--renew'], { env })).stderr).toContain(', as it was');

    const [name] = readdirSync(join(own, 'descriptions'));
    writeFileSync(join(own, 'descriptions', name!), KILN);
    const altered = await batharon(own, ['check']);
    expect(altered.stderr + altered.stdout).toContain(
      'was changed by hand since it was fetched (description-altered)',
    );

    status = 403;
    const refused = await batharon(own, ['calls', 'kiln', '--renew'], { env });
    expect(refused.code).not.toBe(0);
    expect(refused.stderr).toContain('answered 403 (description-not-fetched)');
  });
});

describe('import', () => {
  test('openapi: a step with inputs, its service and its credential', async () => {
    const own = folderWith({ 'kiln.openapi.yaml': KILN });
    const { code, stderr } = await batharon(own, [
      'import',
      'openapi',
      'kiln.openapi.yaml',
      'readPiece',
      'createPiece',
      '--add',
      'piece.chain.yaml',
    ]);
    expect({ code, stderr }).toMatchObject({ code: 0 });
    expect(readFileSync(join(own, 'batharon.yaml'), 'utf8')).toBe(
      'services:\n  kiln:\n    url: https://kiln.example/v1\n    as: key\n    description: kiln.openapi.yaml\n\ncredentials:\n  key:\n    kind: header\n    name: Kiln-Key\n    value: ${secret.key}\n\nsecrets:\n  key: env KILN_KEY\n',
    );
    const chain = readFileSync(join(own, 'piece.chain.yaml'), 'utf8');
    expect(chain).toContain('inputs:\n  piece_id:\n    kind: text\n');
    expect(chain).toContain(
      '  - call: GET kiln /pieces/${piece_id}\n    name: read_piece\n    as: nobody\n    expect: status == 200\n',
    );
    expect((await batharon(own, ['check'])).stdout + (await batharon(own, ['check'])).stderr).toContain(
      'no problems',
    );
    const unknown = await batharon(own, ['import', 'openapi', 'kiln.openapi.yaml', 'raedPiece']);
    expect(unknown.stderr).toContain('readPiece');
  });

  test('openapi: all of it, a chain for each tag, that checks', async () => {
    const own = folderWith({ 'kiln.openapi.yaml': KILN });
    await batharon(own, ['import', 'openapi', 'kiln.openapi.yaml', '--add', 'chains']);
    expect(readdirSync(join(own, 'chains')).sort()).toContain('pieces.chain.yaml');
    const { code, stdout, stderr } = await batharon(own, ['check', 'chains']);
    expect({ code, found: stdout + stderr }).toEqual({
      code: 0,
      found: expect.stringContaining('no problems'),
    });
  });

  test('arazzo: what a chain writes comes back as the same steps', async () => {
    const own = folderWith({
      ...files,
      'a.chain.yaml': `chain: Make one
inputs:
  name: { default: Bowl }
  cone: { kind: number, default: 6 }
steps:
  - call: POST kiln /pieces
    as: nobody
    name: made
    headers: { Idempotency-Key: k1 }
    json: { name: "\${name}", cone: "\${cone}" }
    expect: status == 201 && $.price > 0
    retry: { attempts: 4, on: [503], wait: 2s }
    keep: { piece: $.id, where: "headers['Location']" }
  - call: GET kiln /pieces/\${piece}
    as: nobody
    name: read
    expect: [ status == 200, "$.id == piece || $.cone in [6, 7]" ]
    keep: { price: $.price }
results: { price: price }
`,
    });
    const exported = await batharon(own, ['export', 'arazzo', 'a.chain.yaml', '--to', 'a.arazzo.yaml']);
    expect({ code: exported.code, stderr: exported.stderr }).toEqual({
      code: 0,
      stderr: 'wrote a.arazzo.yaml\n',
    });
    const document = parse(readFileSync(join(own, 'a.arazzo.yaml'), 'utf8')) as {
      workflows: {
        steps: { operationId: string; successCriteria: { condition: string }[] }[];
        outputs: object;
      }[];
    };
    expect(document.workflows[0]!.steps.map(({ operationId }) => operationId)).toEqual([
      'createPiece',
      'readPiece',
    ]);
    expect(document.workflows[0]!.steps[1]!.successCriteria).toEqual([
      { condition: '$statusCode == 200' },
      {
        condition:
          '$response.body#/id == $steps.made.outputs.piece || $response.body#/cone == 6 || $response.body#/cone == 7',
      },
    ]);
    const imported = await batharon(own, ['import', 'arazzo', 'a.arazzo.yaml']);
    expect(imported.stderr).toBe('');
    expect(imported.stdout).toContain(`steps:
  - call: POST kiln /pieces
    name: made
    headers:
      Idempotency-Key: k1
    json:
      name: \${name}
      cone: \${cone}
    retry:
      attempts: 4
      on: [503]
      wait: 2s
    expect: status == 201 && $.price > 0
    keep:
      piece: $.id
      where: headers['location']
  - call: GET kiln /pieces/\${piece}
    name: read
    expect:
      - status == 200
      - $.id == piece || $.cone == 6 || $.cone == 7
    keep:
      price: $.price
results:
  price: price
`);
  });

  test('arazzo: a poll, another workflow, and what has no equivalent', async () => {
    const own = folderWith({
      'kiln.openapi.yaml': KILN,
      'w.arazzo.yaml': `arazzo: 1.0.1
info: { title: W, version: '1' }
sourceDescriptions: [ { name: kiln, url: kiln.openapi.yaml, type: openapi }, { name: far, url: "https://far.example/openapi.json", type: openapi } ]
workflows:
  - workflowId: waitForIt
    inputs: { type: object, properties: { id: { type: string } } }
    steps:
      - stepId: ask
        operationPath: '{$sourceDescriptions.kiln.url}#/paths/~1pieces~1{id}/get'
        parameters: [ { name: id, in: path, value: $inputs.id } ]
        successCriteria: [ { condition: $response.body#/cone == 6 }, { type: xpath, context: $response.body, condition: //a } ]
        onFailure: [ { name: again, type: retry, retryAfter: 2, retryLimit: 5, criteria: [ { condition: $response.body#/cone != 6 } ] } ]
        onSuccess: [ { name: away, type: goto, workflowId: other } ]
        outputs: { id: $response.body#/id, what: $method }
  - workflowId: outer
    steps:
      - { stepId: inner, workflowId: waitForIt, parameters: [ { name: id, value: p1 } ] }
      - { stepId: lost, operationId: nowhere }
`,
    });
    const { stderr, stdout } = await batharon(own, ['import', 'arazzo', 'w.arazzo.yaml']);
    expect(stdout).toContain('    poll:\n      until: $.cone == 6\n      every: 2s\n      within: 12s\n');
    expect(stdout).toContain(
      '- follow: wait-for-it.chain.yaml\n    name: inner\n    inputs:\n      id: p1\n',
    );
    for (const part of [
      'a criterion of ask: //a',
      'on success of ask: goto other',
      'the output what of ask: $method',
      'the step lost: no description has nowhere',
      'the description far at https://far.example/openapi.json',
    ])
      expect(stderr).toContain(`not carried over: ${part}`);
  });
});

test('shape, fits, and the contract of runs', async () => {
  const own = folderWith({});
  await batharon(own, ['demo', '--write', 'kiln']);
  const demo = join(own, 'kiln');
  writeFileSync(
    join(demo, 'a.chain.yaml'),
    'chain: A\nsteps:\n  - call: GET kiln /glazes\n    name: glazes\n  - each: one in glazes.body\n    steps:\n      - call: GET kiln /glazes/${one.name}\n        name: glaze\n',
  );
  expect((await batharon(demo, ['run', 'a.chain.yaml', 'drift.chain.yaml'])).code).toBe(0);
  const shown = await batharon(demo, ['shape', 'last:racks']);
  expect(JSON.parse(shown.stdout)).toMatchObject({ type: 'object', required: ['racks'] });
  expect((await batharon(demo, ['shape', 'last:glaze', '--from-runs', '3', '--add'])).stderr).toContain(
    "fits($, 'Glaze')",
  );
  writeFileSync(
    join(demo, 'b.chain.yaml'),
    "chain: B\nsteps:\n  - call: GET kiln /glazes/ash\n    name: ash\n    expect: fits($, 'Glaze')\n    on-fail: continue\n  - call: GET kiln /glazes\n    name: all\n    contract: off\n    expect: fits($, 'Glaze')\n",
  );
  const fits = await batharon(demo, ['run', 'b.chain.yaml']);
  expect(fits.stderr).toMatch(/passed +ash/);
  expect(fits.stderr).toContain('$ is a list, object wanted');

  const report = await batharon(demo, ['report', '--contract', '--since', '1h']);
  expect(report.stdout).toMatch(/kiln {2}\d+ of 40 operations met, \d+ of 132 statuses, 6 deviations/);
  expect(report.stdout).toContain(
    '200: $.racks[0].pieces is a text, whole number wanted (kiln.openapi.yaml:',
  );
  expect(report.stdout).toMatch(/GET \/v1\/glazes +200 ×2 +401, 429/);
  const json = JSON.parse(
    (await batharon(demo, ['report', '--contract', '--since', '1h', '--json'])).stdout,
  ) as {
    services: { deviations: unknown[]; operations: { operation: string; neverSeen: string[] }[] }[];
  };
  expect(json.services[0]!.deviations).toHaveLength(6);
  const html = (await batharon(demo, ['report', '--contract', '--since', '1h', '--html'])).stdout;
  expect(html).toContain('$.racks[1].href is missing');
  expect(html).not.toMatch(/<script|https?:\/\/(?!127)/);
  const strict = await batharon(demo, [
    'run',
    'drift.chain.yaml',
    '--contract',
    'strict',
    '--junit',
    'out.xml',
  ]);
  expect(strict.code).toBe(1);
  const xml = readFileSync(join(demo, 'out.xml'), 'utf8');
  expect([...xml.matchAll(/<failure type="not-as-described"/g)]).toHaveLength(4);
  expect(xml).toContain('name="GET /v1/racks 200 $.racks[].pieces as described"');
});

test('strict, a recorded response that is otherwise sets a wrong description aside, with a warning', async () => {
  const own = folderWith({});
  await batharon(own, ['demo', '--write', 'kiln']);
  const demo = join(own, 'kiln');
  const path = join(demo, 'kiln.openapi.yaml');
  // The description takes the members of a glaze for others than they are.
  const wrong = readFileSync(path, 'utf8').replaceAll('colour', 'color');
  writeFileSync(path, wrong);
  const project = readFileSync(join(demo, 'batharon.yaml'), 'utf8');
  writeFileSync(
    join(demo, 'batharon.yaml'),
    project.replace('description:', 'contract: strict\n    description:'),
  );
  writeFileSync(
    join(demo, 'a.chain.yaml'),
    'chain: A\nsteps:\n  - call: GET kiln /glazes/ash\n    name: ash\n    keep: { hue: $.colour }\n',
  );
  const before = await batharon(demo, ['check', 'a.chain.yaml']);
  expect(before.code).not.toBe(0);
  expect(before.stderr + before.stdout).toContain('$ has no member colour (kiln.openapi.yaml:');

  // Where nothing else helps, the contract is off for the step, and what came is recorded.
  await batharon(demo, ['send', 'GET', 'kiln', '/glazes/ash']);
  writeFileSync(
    join(demo, 'a.chain.yaml'),
    readFileSync(join(demo, 'a.chain.yaml'), 'utf8').replace(
      '    name: ash',
      '    name: ash\n    contract: off',
    ),
  );
  expect((await batharon(demo, ['run', 'a.chain.yaml'])).code).toBe(0);
  writeFileSync(
    join(demo, 'a.chain.yaml'),
    readFileSync(join(demo, 'a.chain.yaml'), 'utf8').replace('    contract: off\n', ''),
  );
  const after = await batharon(demo, ['check', 'a.chain.yaml']);
  expect(after.stderr + after.stdout).toMatch(
    /warning: \$ has no member colour \(kiln\.openapi\.yaml:\d+\), and a recorded response is otherwise/,
  );
  expect(after.code).toBe(0);
  // In the run it is told all the same.
  const run = await batharon(demo, ['run', 'a.chain.yaml']);
  expect(run.stderr).toContain('$.colour is not described');
  const evaluated = await batharon(demo, ['eval', "fits($, 'kiln#Glaze')", '--on', 'last:ash']);
  expect(evaluated.stdout).toBe('false\n');
});
