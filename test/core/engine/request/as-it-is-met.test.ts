// Headers, cookies and connections as services want them beyond the usual.
import { describe, expect, test } from '@jest/globals';
import { isIdempotent, isSafe, METHODS } from '../../../../src/core/methods.ts';
import { KILN, plain, runChain, type Reply } from '../support.ts';

const ok: Reply = { json: '{}' };

describe('headers', () => {
  test('one is sent several times, and one has a name that is computed', async () => {
    const { exit, sent } = await runChain(
      `chain: A
inputs:
  kiln: { default: north }
steps:
  - call: GET kiln /a
    headers:
      Host: kiln.internal
      Prefer: [wait=5, 'shelf=\${1 + 1}']
      X-\${kiln}-Cone: 6
      X-Off: null
`,
      () => ok,
      { project: `${KILN}    headers: { Prefer: none, X-Off: x }\n` },
    );
    expect(exit).toBe(0);
    expect(sent[0]!.headers.filter(([name]) => /^(?:host|prefer|x-)/i.test(name))).toEqual([
      ['Host', 'kiln.internal'],
      ['Prefer', 'wait=5'],
      ['Prefer', 'shelf=2'],

      ['X-north-Cone', '6'],
    ]);
  });

  test.each([
    ['a b', '"a b" can\'t be the name of a header'],
    ['Content-Length', "Content-Length follows from the request and can't be set"],
    ['a\r\nb', "can't be the name of a header"],
  ])('a computed name that is none (%j) is refused before anything is sent', async (name, said) => {
    const { of, sent } = await runChain(
      'chain: A\ninputs:\n  name: {}\nsteps:\n  - call: GET kiln /a\n    headers:\n      ${name}: x\n',
      () => ok,
      { project: KILN, inputs: { name } },
    );
    expect(sent).toEqual([]);
    expect(of('step-ended')[0]!.problem).toMatchObject({
      code: 'bad-insertion',
      message: expect.stringContaining(said),
    });
  });

  test('each time that one came stands by itself', async () => {
    const { results } = await runChain(
      "chain: A\nsteps:\n  - call: GET kiln /a\n    keep:\n      all: fields['X-Shelf']\n      one: headers['x-shelf']\nresults: { all: all, one: one }\n",
      () => ({
        json: '{}',
        headers: [
          ['x-shelf', '1, 2'],
          ['x-shelf', '3'],
        ],
      }),
      { project: KILN },
    );
    expect(plain(results)).toEqual({ all: ['1, 2', '3'], one: '1, 2, 3' });
  });
});

describe('cookies', () => {
  const set: Reply = {
    json: '{}',
    headers: [
      ['set-cookie', 'csrf=token-1234567890; Path=/'],
      ['set-cookie', 'deep=1; Path=/v1/deep'],
    ],
  };

  test('are read from the jar before a request, and after one', async () => {
    const { exit, results, sent } = await runChain(
      `chain: A
steps:
  - call: GET kiln /a
    keep: { after: cookies }
  - call: POST kiln /b
    headers:
      X-Csrf: \${cookies.csrf}
    keep: { later: cookies.csrf }
  - call: POST kiln /deep/c
    json: { token: '\${cookies.csrf}', deep: '\${cookies.deep}' }
results: { after: after, later: later }
`,
      (_, nth) => (nth === 0 ? set : ok),
      { project: KILN },
    );
    expect(exit).toBe(0);
    expect(plain(results)).toEqual({
      after: { csrf: 'token-1234567890', deep: '1' },
      later: 'token-1234567890',
    });
    expect(new Map(sent[1]!.headers).get('X-Csrf')).toBe('token-1234567890');
    expect(Buffer.from(sent[2]!.body as Uint8Array).toString()).toBe(
      '{"token":"token-1234567890","deep":"1"}',
    );
  });

  test('one that is not there is no empty text', async () => {
    const { of, sent } = await runChain(
      'chain: A\nsteps:\n  - call: POST kiln /b\n    headers:\n      X-Csrf: ${cookies.csrf}\n',
      () => ok,
      { project: KILN },
    );
    expect([sent.length, of('step-ended')[0]!.problem?.code]).toEqual([0, 'found-nothing']);
  });

  test('new begins with an empty jar', async () => {
    const { sent } = await runChain(
      'chain: A\nsteps:\n  - call: GET kiln /a\n  - call: GET kiln /b\n  - call: GET kiln /c\n    cookies: new\n  - call: GET kiln /d\n',
      (_, nth) => (nth === 0 ? set : ok),
      { project: KILN },
    );
    const cookies = sent.map(({ headers }) => headers.some(([name]) => name === 'Cookie'));
    expect(cookies).toEqual([false, true, false, false]);
  });
});

// https://www.iana.org/assignments/http-methods
test('methods are what the registry says', () => {
  const all = [...METHODS];
  expect(all.filter(isSafe)).toEqual('GET HEAD OPTIONS PRI PROPFIND QUERY REPORT SEARCH TRACE'.split(' '));
  expect(all.filter((one) => !isIdempotent(one))).toEqual(['CONNECT', 'LOCK', 'PATCH', 'POST']);
  expect([isSafe('FIRE'), isIdempotent('FIRE')]).toEqual([false, false]);
});

describe('another service of the project', () => {
  const project = `services:
  kiln:
    url: https://kiln.example/v1
    address: 10.0.0.1:8443
    as: desk
  store:
    url: https://store.example
    address: 10.0.0.2:443
    tls: { ca: store.pem, key-password: '\${secret.store}', cert: store.crt }
credentials:
  desk: { kind: bearer, token: '\${secret.desk}', origins: [https://store.example] }
secrets: { desk: env DESK, store: env STORE }
`;
  const secrets = { desk: 'desk-token-4711', store: 'store-password-4711' };
  const chain = (steps: string): string => `chain: A\nsteps:\n${steps}`;

  test('is connected to in its own way after a redirect, and back again', async () => {
    const { exit, sent, of } = await runChain(
      chain('  - call: GET kiln /a\n    headers: { Host: kiln.internal }\n  - call: GET store /d\n'),
      ({ url }) =>
        url.endsWith('/a')
          ? { status: 302, headers: [['location', 'https://store.example/b']] }
          : url.endsWith('/b')
            ? { status: 302, headers: [['location', 'https://kiln.example/c']] }
            : ok,
      { project, secrets },
    );
    expect([exit, of('step-ended')[0]!.problem]).toEqual([0, undefined]);
    expect(sent.slice(0, 3).map(({ connection }) => connection)).toMatchObject([
      { address: '10.0.0.1:8443' },
      {
        address: '10.0.0.2:443',
        tls: { ca: 'store.pem', cert: 'store.crt', password: 'store-password-4711' },
      },
      { address: '10.0.0.1:8443' },
    ]);
    const names = sent.slice(0, 3).map(({ headers }) => headers.map(([name]) => name.toLowerCase()));
    expect(names.map((one) => [one.includes('authorization'), one.includes('host')])).toEqual([
      [true, true],
      [false, false],
      [false, false],
    ]);
  });

  test('is not, where its connection needs a secret that the chain does not use', async () => {
    const { of, sent } = await runChain(
      chain('  - call: GET kiln /a\n'),
      () => ({ status: 302, headers: [['location', 'https://store.example/b']] }),
      { project, secrets },
    );
    expect([sent.length, of('step-ended')[0]!.problem]).toMatchObject([
      1,
      { code: 'secret-missing', message: expect.stringContaining('leads to the service store') },
    ]);
  });

  test('and after an address of a response', async () => {
    const { exit, sent } = await runChain(
      chain(
        '  - call: GET kiln /a\n    keep: { next: $.next }\n  - call: GET kiln ${next}\n  - call: GET store /d\n',
      ),
      (_, nth) => (nth === 0 ? { json: '{"next":"https://store.example/b"}' } : ok),
      { project, secrets },
    );
    expect([exit, sent[1]?.connection?.address]).toEqual([0, '10.0.0.2:443']);
  });
});
