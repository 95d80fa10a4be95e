import { describe, expect, test } from '@jest/globals';
import { writeJson } from '../../../../src/core/language/json.ts';
import { KILN, type Reply, runChain, bodyText } from '../support.ts';

const steps = (text: string): string => `chain: Test\nsteps:\n${text.replace(/^(?=.)/gm, '  ')}`;
const project = KILN;

test('values pass from one response into the next request as they came', async () => {
  const { exit, sent, results } = await runChain(
    `${steps(`
- call: GET kiln /pieces
  keep: { serial: "$.pieces[0].serial", price: "$.pieces[0].price", name: "$.pieces[0].name" }
- call: POST kiln /firings/\${name}
  query: { serial: "\${serial}", empty: null, tag: [a, "\${serial}"] }
  headers: { Kiln-Price: "\${price}" }
  json: { serial: "\${serial}", price: "\${price}", text: "costs \${price}", list: [1, "\${nothing ?? nothing}"], none: null }
`)}results: { serial: serial }\n`,
    () => ({ json: '{"pieces": [{"serial": 9007199254740993, "price": 12.50, "name": "../a b/ü\\"?#&%"}]}' }),
    { project },
  );
  expect(exit).toBe(0);
  expect(sent[1]!.url).toBe(
    'https://kiln.example/v1/firings/..%2Fa%20b%2F%C3%BC%22%3F%23%26%25?serial=9007199254740993&tag=a&tag=9007199254740993',
  );
  expect(bodyText(sent[1]!)).toBe(
    '{"serial":9007199254740993,"price":12.50,"text":"costs 12.50","list":[1],"none":null}',
  );
  expect(sent[1]!.headers).toContainEqual(['Kiln-Price', '12.50']);
  expect(writeJson(results.get('serial')!)).toBe('9007199254740993');
});

describe("an insertion can't break what it is inserted into", () => {
  test.each<[string, string, string, RegExp]>([
    ['an empty segment', 'call: GET kiln /a/${x}/b', '""', /empty segment/],
    ['..', 'call: GET kiln /a/${x}', '".."', /segment \.\./],
    ['. by raw', 'call: GET kiln /a/${raw(x)}/b', '"."', /segment \./],
    ['%2e%2e by raw', 'call: GET kiln /a/${raw(x)}', '"%2e%2E"', /segment \.\./],
    ['.. inside raw', 'call: GET kiln /a/${raw(x)}', '"b/../../c"', /segment \.\./],
    [
      'a line break in a field',
      'call: GET kiln /a\n  headers: { A: "${x}" }',
      '"b\\r\\nEvil: c"',
      /control character/,
    ],
    ['a sign in a field', 'call: GET kiln /a\n  headers: { A: "${x}" }', '"🌙"', /holds bytes/],
    ['a list in a path', 'call: GET kiln /a/${x}', '[1]', /is a list/],
    ['null in a text', 'call: GET kiln /a\n  json: { a: "b ${x}" }', 'null', /is null/],
    ['nothing in JSON', 'call: GET kiln /a\n  json: { a: "${first.body.y}" }', '1', /found nothing/],
    [
      'a duration in JSON',
      'call: GET kiln /a\n  json: { a: "${5s}" }',
      '1',
      /duration can't be written as JSON/,
    ],
  ])('%s', async (_, step, json, message) => {
    const { exit, sent, of } = await runChain(
      steps(`\n- call: GET kiln /first\n  name: first\n  keep: { x: $.x }\n- ${step}\n`),
      () => ({ json: `{"x": ${json}}` }),
      { project },
    );
    expect(exit).toBe(1);
    expect(sent).toHaveLength(1);
    const problem = of('step-ended').at(-1)!.problem!;
    expect(problem.message).toMatch(message);
    expect(problem.place!.line).toBeGreaterThan(5);
  });

  test('an address of a response is resolved, and leads to its own service only', async () => {
    const script = (_: unknown, nth: number): Reply => ({
      json: '{}',
      headers: [['location', nth === 0 ? '../jobs/1?a=%2F' : 'https://elsewhere.example/x']],
    });
    const chain = steps(`
- call: POST kiln /racks/A3
  name: first
- call: GET kiln \${first.headers.location}
  name: second
- call: GET kiln \${second.headers.Location}
`);
    const { exit, sent, of } = await runChain(chain, script, { project });
    expect([exit, sent.length]).toEqual([1, 2]);
    expect(sent[1]!.url).toBe('https://kiln.example/v1/jobs/1?a=%2F');
    expect(of('step-ended').at(-1)!.problem).toMatchObject({ code: 'other-origin' });
  });
});

test('all expectations are tried, keep comes between them, and a failed step stops the run', async () => {
  const { exit, sent, of } = await runChain(
    steps(`
- call: GET kiln /a
  expect:
    - status == 200
    - $.cone > 8
    - twice == 12
    - { holds: "$.glaze == 'ash'", because: the kiln wants ash }
  keep: { twice: $.cone * 2 }
- call: GET kiln /never
`),
    () => ({ json: '{"cone": 6, "glaze": "oak"}' }),
    { project },
  );
  expect([exit, sent.length]).toEqual([1, 1]);
  expect(
    of('expected').map(({ condition, passed, got, because }) => [condition, passed, got, because]),
  ).toEqual([
    ['status == 200', true, undefined, undefined],
    ['$.cone > 8', false, '6', undefined],
    ["$.glaze == 'ash'", false, "'oak'", 'the kiln wants ash'],
  ]);
  expect(of('kept')).toEqual([]);
});

test('a call that does not speak of status expects one below 400', async () => {
  const failing = await runChain(
    steps('\n- call: GET kiln /a\n'),
    () => ({
      status: 503,
      headers: [['content-type', 'text/html']],
      body: Buffer.from('<html><title>Kiln closed</title>'),
    }),
    { project },
  );
  expect(failing.exit).toBe(1);
  expect(failing.of('expected')).toMatchObject([
    { condition: 'status < 400', got: '503, a page titled "Kiln closed"' },
  ]);
  const speaking = await runChain(
    steps('\n- call: GET kiln /a\n  expect: status in [200, 404]\n'),
    () => ({ status: 404 }),
    { project },
  );
  expect(speaking.exit).toBe(0);
});

test.each([
  [
    'a page',
    '<!doctype html><html><head><title>Kiln closed</title>',
    'a page titled "Kiln closed" (application/json)',
  ],
  ['half of it', '{"a": [1, ', 'not JSON: a value was expected, line 1, column 11, at its end'],
])('JSON was expected, and %s came', async (_, body, got) => {
  const { exit, of } = await runChain(steps('\n- call: GET kiln /a\n'), () => ({ json: body }), { project });
  expect(exit).toBe(1);
  expect(of('expected')).toMatchObject([
    { condition: 'JSON, as its content type application/json says', got },
  ]);
});

test('steps can be skipped, and passed when they fail; what depends on them is skipped too', async () => {
  const { exit, of, results } = await runChain(
    `${steps(`
- call: GET kiln /a
  name: a
  on-fail: continue
  expect: status == 200
  keep: { x: $.x }
- call: GET kiln /b/\${x}
  name: b
- when: a.failed
  name: c
  steps:
    - name: d
      keep: { y: "'kept'" }
  else:
    - name: e
      keep: { y: "'other'" }
- when: a.ok
  name: f
  show: never
`)}results: { y: y, skipped: f.skipped }\n`,
    () => ({ status: 500, json: '{}' }),
    { project },
  );
  expect(exit).toBe(1);
  expect(of('step-ended').map(({ step, outcome }) => `${step} ${outcome}`)).toEqual([
    'a failed',
    'b skipped',
    'c.d passed',
    'c passed',
    'f skipped',
  ]);
  expect(of('step-ended')[1]!.reason).toBe('it needs x, and a failed');
  expect([...results]).toEqual([
    ['y', 'kept'],
    ['skipped', true],
  ]);
});

test('each step that ends has begun, also where its condition could not be told', async () => {
  const { exit, of } = await runChain(
    steps(`
- call: GET kiln /a
  name: a
- name: outer
  steps:
    - name: inner
      when: a.body.missing == 1
      steps:
        - show: never
`),
    () => ({ json: '{}' }),
    { project },
  );
  expect(exit).toBe(1);
  expect(of('step-ended').map(({ step, outcome }) => `${step} ${outcome}`)).toEqual([
    'a passed',
    'outer.inner failed',
    'outer failed',
  ]);
  expect(
    of('step-began')
      .map(({ step }) => step)
      .toSorted(),
  ).toEqual(
    of('step-ended')
      .map(({ step }) => step)
      .toSorted(),
  );
  expect(of('step-ended')[1]!.problem).toMatchObject({
    code: 'found-nothing',
    message: 'a.body.missing found nothing: a.body is an object without members',
  });
});

describe('time', () => {
  test('a wait of an hour takes an hour of the clock, and none of ours', async () => {
    const { events } = await runChain(
      steps('\n- wait: 1h\n- name: half\n  keep: { n: 2 }\n- wait: ${n * 30s}\n'),
      () => ({}),
    );
    expect(events.at(-1)!.at - events[0]!.at).toBe(3_660_000);
  });

  test.each([
    ['timeout: 2s', '2s in all'],
    ['timeout: { response: 300ms }', '300ms for the response to begin'],
  ])('%s', async (timeout, what) => {
    const { exit, of } = await runChain(
      steps(`\n- call: GET kiln /slow\n  ${timeout}\n`),
      () => ({ after: 10_000, json: '{}' }),
      { project },
    );
    expect(exit).toBe(3);
    expect(of('request-failed')[0]!.problem).toMatchObject({ code: 'time-limit' });
    expect(of('request-failed')[0]!.problem.message).toContain(
      `no response within ${what}; it was waiting for the first byte`,
    );
  });
});

describe('the end of a run', () => {
  const chain = `${steps(`
- call: POST kiln /pieces
  keep: { id: $.id }
- call: GET kiln /slow
- call: GET kiln /other
  keep: { other: $.id }
`)}cleanup:
  - call: DELETE kiln /others/\${other}
  - call: DELETE kiln /pieces/\${id}
`;

  test('an interruption ends the request and carries out the cleanup', async () => {
    const script = (request: { url: string }): Reply => ({
      json: '{"id": 7}',
      after: request.url.endsWith('slow') ? 50_000 : 1,
    });
    const { exit, sent, of } = await runChain(chain, script, { project, interruptAt: 2 });
    expect(exit).toBe(130);
    expect(sent.map(({ method, url }) => `${method} ${url.slice(23)}`)).toEqual(
      ['POST /pieces', 'GET /slow', 'DELETE /pieces/7'].map((one) => one.replace(/^(\w+) /, '$1 ')),
    );
    expect(of('step-ended').map(({ outcome }) => outcome)).toEqual([
      'passed',
      'interrupted',
      'skipped',
      'passed',
    ]);
    expect(of('step-ended')[2]!.reason).toBe('other was never kept');
  });

  test('a missing secret stops before anything is sent', async () => {
    const { exit, sent, of } = await runChain(
      steps('\n- call: GET kiln /a\n  headers: { Kiln-Key: "${secret.desk}" }\n'),
      () => ({}),
      { project: `${KILN}secrets: { desk: env X }\n` },
    );
    expect([exit, sent.length]).toEqual([2, 0]);
    expect(of('run-ended')[0]!.problem!.code).toBe('secret-missing');
  });
});

describe('redirects', () => {
  const withKey = `${KILN}    as: key\ncredentials:\n  key: { kind: bearer, token: "\${secret.key}" }\nsecrets: { key: env X }\n`;
  const secrets = { key: 'a-long-secret-token' };
  const to =
    (location: string, status: number) =>
    (_: unknown, nth: number): Reply =>
      nth === 0 ? { status, headers: [['location', location]] } : { json: '{}' };

  test('the credential stays behind at another origin', async () => {
    const { exit, sent, of } = await runChain(
      steps('\n- call: GET kiln /a\n'),
      to('https://elsewhere.example/b', 302),
      { project: withKey, secrets },
    );
    expect(exit).toBe(0);
    expect(sent.map(({ headers }) => headers.some(([name]) => name === 'authorization'))).toEqual([
      true,
      false,
    ]);
    expect(of('redirected')).toMatchObject([{ to: 'https://elsewhere.example/b', credential: 'removed' }]);
  });

  test.each([
    ['POST', 303, 'GET', false],
    ['POST', 302, 'GET', false],
    ['POST', 307, 'POST', true],
    ['PUT', 301, 'PUT', true],
    ['DELETE', 308, 'DELETE', true],
  ])('%s after %d is %s', async (method, status, then, body) => {
    const { sent } = await runChain(
      steps(`\n- call: ${method} kiln /a\n  json: { a: 1 }\n`),
      to('b', status),
      { project: withKey, secrets },
    );
    expect(sent[1]).toMatchObject({ method: then, url: 'https://kiln.example/v1/b' });
    expect(sent[1]!.body !== undefined).toBe(body);
    expect(sent[1]!.headers.some(([name]) => name === 'authorization')).toBe(true);
  });

  test.each([
    [
      'a chain of them ends after five',
      '',
      (nth: number) => `/v1/a${nth}`,
      6,
      /redirected more than 5 times/,
    ],
    [
      'or after as many as the step says',
      '  redirects: 2\n',
      (nth: number) => `/v1/a${nth}`,
      3,
      /more than 2/,
    ],
    [
      'a circle is named',
      '',
      (nth: number) => `/v1/${'ab'[nth % 2]!}`,
      2,
      /in a circle: .*\/b, then to .*\/a, then to .*\/b/,
    ],
  ])('%s', async (_, keys, location, calls, message) => {
    const { exit, sent, of } = await runChain(
      steps(`\n- call: GET kiln /b\n${keys}`),
      (_request, nth) => ({ status: 302, headers: [['location', location(nth)]] }),
      { project },
    );
    expect([exit, sent.length]).toEqual([3, calls]);
    expect(of('step-ended')[0]!.problem).toMatchObject({
      code: 'too-many-redirects',
      message: expect.stringMatching(message) as unknown,
    });
  });

  test('redirects: 0 takes the redirect as the response', async () => {
    const { exit, sent } = await runChain(
      steps(
        "\n- call: POST kiln /a\n  redirects: 0\n  expect:\n    - status == 303\n    - headers.location == '/v1/b'\n",
      ),
      () => ({ status: 303, headers: [['location', '/v1/b']] }),
      { project },
    );
    expect([exit, sent.length]).toEqual([0, 1]);
  });

  test('a key in the query is neither carried elsewhere nor sent twice, even where Location repeats it', async () => {
    const keyed = `${KILN}    as: key\ncredentials:\n  key: { kind: query, name: key, value: "\${secret.key}" }\nsecrets: { key: env X }\n`;
    const urls = async (location: string): Promise<string[]> =>
      (
        await runChain(steps('\n- call: GET kiln /a\n'), to(location, 302), { project: keyed, secrets })
      ).sent.map(({ url }) => url);
    expect(await urls(`https://elsewhere.example/b?x=%20&key=${secrets.key}`)).toEqual([
      `https://kiln.example/v1/a?key=${secrets.key}`,
      'https://elsewhere.example/b?x=%20',
    ]);
    expect((await urls(`/v1/b?key=${secrets.key}`))[1]).toBe(`https://kiln.example/v1/b?key=${secrets.key}`);
  });

  test('not from https to http', async () => {
    const { of } = await runChain(steps('\n- call: GET kiln /a\n'), to('http://kiln.example/v1/b', 302), {
      project,
    });
    expect(of('step-ended')[0]!.problem!.code).toBe('redirect-invalid');
  });
});

describe('OAuth 2', () => {
  const signing = `${KILN}    as: desk\ncredentials:\n  desk: { kind: oauth2, grant: client-credentials, token-url: "\${services.kiln.url}/token", client-id: studio, client-secret: "\${secret.desk}" }\nsecrets: { desk: env X }\n`;
  const secrets = { desk: 'the-client-secret' };
  const three = steps('\n- call: GET kiln /a\n- call: GET kiln /b\n- wait: 400s\n- call: GET kiln /c\n');

  test('a token is fetched once, renewed before it ends and once after a 401', async () => {
    let tokens = 0;
    const { exit, sent, of } = await runChain(
      three,
      ({ url, headers }) => {
        if (url.endsWith('/token'))
          return {
            json: `{"access_token": "token-number-${++tokens}", "token_type": "Bearer", "expires_in": 300}`,
          };
        const token = headers.find(([name]) => name === 'authorization')?.[1];
        return { status: url.endsWith('/b') && token === 'Bearer token-number-1' ? 401 : 200, json: '{}' };
      },
      { project: signing, secrets },
    );
    expect(exit).toBe(0);
    expect(sent.map(({ url }) => url.slice(23))).toEqual([
      '/token',
      '/a',
      '/b',
      '/token',
      '/b',
      '/token',
      '/c',
    ]);
    expect(of('signed-in')).toHaveLength(3);
  });

  test.each<[string, Reply, string, RegExp]>([
    [
      'another secret',
      { status: 401, json: '{"error": "invalid_client", "error_description": "no such client"}' },
      'sign-in-refused',
      /refused the credential desk with 401: invalid_client, "no such client"/,
    ],
    [
      'an unknown scope',
      { status: 400, json: '{"error": "invalid_scope"}' },
      'sign-in-refused',
      /invalid_scope/,
    ],
    [
      'a page',
      { status: 200, headers: [['content-type', 'text/html']], body: Buffer.from('<html>') },
      'sign-in-failed',
      /did not answer as RFC 6749 says/,
    ],
    [
      'no response',
      { after: 100_000 },
      'time-limit',
      /no token for the credential desk.*no response within 30s/,
    ],
  ])('%s', async (_, reply, code, message) => {
    const { exit, of } = await runChain(three, () => reply, { project: signing, secrets });
    expect(exit).toBe(3);
    expect(of('step-ended')[0]!.problem).toMatchObject({ code });
    expect(of('step-ended')[0]!.problem!.message).toMatch(message);
  });
});
