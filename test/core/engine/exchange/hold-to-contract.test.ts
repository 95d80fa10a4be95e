// Responses are held to the description while a chain runs: told, failing, or set aside; the same of many once.
import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { KILN } from '../../contract/support.ts';
import { runChain, type Reply, type RunSetting } from '../support.ts';

const PROJECT = `services:
  kiln: { url: "https://kiln.example/v1", description: kiln.openapi.yaml }
`;
const SETTING = { project: PROJECT, descriptions: { kiln: KILN } };
const piece = (price: unknown, more = ''): Reply => ({ json: `{"id":"p1","price":${String(price)}${more}}` });

async function said(
  steps: string,
  script: Parameters<typeof runChain>[1],
  setting: RunSetting = {},
): Promise<{ exit: number; warnings: string[]; failed: string[]; deviations: number }> {
  const { events, exit, of } = await runChain(`chain: T\nsteps:\n${steps}`, script, {
    ...SETTING,
    ...setting,
  });
  return {
    exit,
    warnings: of('warning').map(({ message }) => message),
    failed: of('expected').flatMap(({ condition, got, passed }) => (passed ? [] : [`${condition}: ${got!}`])),
    deviations: events.filter((event) => 'deviation' in event && event.deviation).length,
  };
}

const READ = '  - call: GET kiln /pieces/p1\n';

describe('a response', () => {
  test('as described says nothing', async () => {
    expect(await said(READ, () => piece(12.5))).toEqual({ exit: 0, warnings: [], failed: [], deviations: 0 });
  });

  test('otherwise is warned about, with its path and the place in the description', async () => {
    expect(await said(READ, () => piece('"12"', ',"cone":7.5'))).toMatchObject({
      exit: 0,
      warnings: [
        'GET /pieces/{id}, 200: $.price is a text, number wanted (kiln.openapi.yaml:63)',
        'GET /pieces/{id}, 200: $.cone is 7.5, whole number wanted (kiln.openapi.yaml:64)',
      ],
    });
  });

  test.each([
    ['a status that is not described', { status: 418, json: '{}' }, 'status is 418, which is not described'],
    [
      'another content type',
      { json: '{}', headers: [['content-type', 'application/xml']] },
      'content type is application/xml, application/json wanted',
    ],
    ['no body', { json: '' }, 'body is empty, application/json wanted'],
    [
      'a number that no double holds',
      { json: '{"id":9007199254740993,"price":1}' },
      '$.id is a number, text wanted',
    ],
  ] as const)('%s', async (_, reply, what) => {
    const { warnings } = await said(`${READ}    expect: status > 0\n`, () => reply);
    expect(warnings.map((one) => one.replace(/^[^:]*: | \(kiln.*/g, ''))).toContain(what);
  });

  test('a header that has to be there, and one of another kind', async () => {
    const list = '  - call: GET kiln /pieces?state=fired\n    as: nobody\n';
    const of = (headers: Reply['headers']) =>
      said(list, () => ({ json: '{"pieces":[]}', headers: headers! }));
    expect((await of([])).warnings[0]).toContain('header Total is missing (kiln.openapi.yaml:16)');
    expect((await of([['total', 'many']])).warnings[0]).toContain(
      'header Total is a text, whole number wanted',
    );
    expect((await of([['total', '12']])).warnings).toEqual([]);
  });
});

describe('how it is held', () => {
  const wrong = (): Reply => piece('"12"');

  test('strict fails the step, and says all that is otherwise', async () => {
    const found = await said(`${READ}    contract: strict\n`, () => ({ json: '{"price":"12","cone":"x"}' }));
    expect(found).toMatchObject({ exit: 1, warnings: [], deviations: 3 });
    expect(found.failed).toEqual([
      'the response as described (kiln.openapi.yaml:58): $.id is missing, text wanted',
      'the response as described (kiln.openapi.yaml:63): $.price is a text, number wanted',
      'the response as described (kiln.openapi.yaml:64): $.cone is a text, whole number wanted',
    ]);
  });

  test.each([
    ['off on the step', `${READ}    contract: off\n`, {}, 0, 0],
    [
      'strict for the run, whatever the step says',
      `${READ}    contract: off\n`,
      { contract: 'strict' },
      1,
      1,
    ],
    ['off for the run', READ, { contract: 'off' }, 0, 0],
    ['what must fail with it', `${READ}    contract: strict\n    must-fail: not-as-described\n`, {}, 0, 1],
  ] as const)('%s', async (_, steps, setting, exit, deviations) => {
    expect(await said(steps, wrong, setting)).toMatchObject({ exit, deviations });
  });

  test('what a step fails for otherwise does not hide it', async () => {
    const found = await said(`${READ}    contract: strict\n    keep: { x: number($.id) }\n`, wrong);
    expect(found.exit).toBe(1);
    expect(found.deviations).toBe(1);
  });
});

describe('each response', () => {
  test('of a loop: the same one once', async () => {
    const loop = `  - each: id in ['p1', 'p2', 'p3']\n    steps:\n      - call: GET kiln /pieces/\${id}\n`;
    const { warnings } = await said(loop, (_, nth) => piece(nth === 1 ? 'null' : '"12"'));
    expect(warnings).toHaveLength(2);
  });

  test('of the items of a list: the same one once, with how many more', async () => {
    const list = '  - call: GET kiln /pieces?state=fired\n';
    const { warnings } = await said(list, () => ({
      headers: [['total', '3']],
      json: '{"pieces":[{"id":"a","price":1},{"id":"b","price":"1"},{"id":"c","price":"2"}]}',
    }));
    expect(warnings.filter((one) => one.includes('price'))).toEqual([
      'GET /pieces, 200: $.pieces[1].price is a text, number wanted, and so in 1 more item (kiln.openapi.yaml:63)',
    ]);
  });

  test('of a poll, of pages and of a chain that is followed', async () => {
    const poll = `${READ}    poll: { until: "exists($.cone)", every: 1s, within: 10s }\n`;
    expect(
      (await said(poll, (_, nth) => (nth === 0 ? piece('null') : piece(1, ',"cone":6')))).warnings,
    ).toHaveLength(1);
    const pages = `  - call: GET kiln /pieces?state=fired\n    pages: { next-query: { limit: "\${page}" }, items: $.pieces, until: page == 2, up-to: 3 }\n`;
    const paged = await said(pages, (_, nth) => ({
      headers: [['total', '3']],
      json: nth === 0 ? '{"pieces":[{"id":"a","price":1}]}' : '{"pieces":[{"id":"b","price":"1"}]}',
    }));
    expect(paged.warnings.filter((one) => one.includes('price'))).toHaveLength(1);
    const followed = await said('  - follow: other.chain.yaml\n', wrongPrice, {
      chains: { 'other.chain.yaml': `chain: O\nsteps:\n${READ}` },
    });
    expect(followed.warnings).toHaveLength(1);
  });

  test('of an address that a response gave: what is not described there', async () => {
    const steps = `${READ}    keep: { next: "'/v1/nowhere'" }\n  - call: GET kiln \${next}\n`;
    const { warnings } = await said(steps, () => piece(1));
    expect(warnings.some((one) => one.includes('GET /v1/nowhere, sent: operation is not described'))).toBe(
      true,
    );
  });

  const wrongPrice = (): Reply => piece('"1"');
});

describe('a request', () => {
  test('whose inserted values are otherwise is said too', async () => {
    const steps = `${READ}    keep: { many: "'99'", name: "12" }
  - call: GET kiln /pieces
    query: { state: fired, limit: "\${many}" }
  - call: POST kiln /pieces
    as: nobody
    headers: { Idempotency-Key: k }
    json: { name: "\${name}", cone: 6 }
`;
    const { warnings } = await said(steps, (request) =>
      request.method === 'POST'
        ? { ...piece(1), status: 201 }
        : request.url.includes('?')
          ? { json: '{"pieces":[]}', headers: [['total', '0']] }
          : piece(1),
    );
    expect(warnings).toEqual([
      'GET /pieces, sent: query limit is 99, at most 50 wanted (kiln.openapi.yaml:10)',
      'POST /pieces, sent: $.name is a number, text wanted (kiln.openapi.yaml:71)',
    ]);
  });
});

test('of a path and of headers what was inserted is looked at', async () => {
  const steps = `${READ}    keep: { id: "'p'" }
  - call: GET kiln /pieces/\${id}
  - call: POST kiln /pieces
    as: nobody
    contract: warn
    headers: "\${{}}"
    json: { name: Bowl }
`;
  const { warnings } = await said(steps, (request) => ({
    ...piece(1),
    status: request.method === 'POST' ? 201 : 200,
  }));
  expect(warnings).toEqual([
    'GET /pieces/{id}, sent: path id has 1 character, at least 2 wanted (kiln.openapi.yaml:44)',
    'POST /pieces, sent: header Idempotency-Key is missing (kiln.openapi.yaml:29)',
  ]);
});

test('a chain that signs in is looked at as well', async () => {
  const project = `services:
  kiln: { url: "https://kiln.example/v1", as: desk, description: kiln.openapi.yaml }
credentials:
  desk: { kind: chain, file: in.chain.yaml, headers: { Kiln-Key: "\${key}" } }
`;
  const read = readProject('batharon.yaml', project, undefined, true);
  const signIn = readChain(
    'in.chain.yaml',
    `chain: In\nsteps:\n${READ}    as: nobody\n    keep: { key: $.id }\nresults: { key: key }\n`,
    read.project,
  ).chain!;
  const { warnings } = await said(
    '  - call: GET kiln /pieces?state=fired\n',
    (request) =>
      request.url.includes('?') ? { json: '{"pieces":[]}', headers: [['total', '0']] } : piece('"1"'),
    {
      project,
      signInChains: new Map([['desk', signIn]]),
    },
  );
  expect(warnings).toEqual([
    'GET /pieces/{id}, 200: $.price is a text, number wanted (kiln.openapi.yaml:63)',
  ]);
});

test('no secret stands in what is said', async () => {
  const project = `${PROJECT}secrets: { desk: env DESK }\n`;
  const { warnings } = await said(
    `${READ}    headers: { Emberfold-Note: "\${secret.desk}" }\n    expect: status > 0\n`,
    () => ({
      json: '{"id":"p1","price":"clay-and-water-31"}',
      headers: [['content-type', 'text/clay-and-water-31']],
    }),
    { project, secrets: { desk: 'clay-and-water-31' } },
  );
  expect(warnings.join()).not.toContain('clay-and-water-31');
  expect(warnings.join()).toContain('‹secret desk›');
});
