// What a credential may reach, and those that are computed or that a chain gives.
import { createHmac } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { bodyText, runChain, type RunSetting } from '../support.ts';

const credential = (lines: string, service = 'url: https://kiln.example/v1'): string =>
  `services:\n  kiln: { ${service.replace(/(url: )(\S+)/, '$1"$2"')}, as: desk }\ncredentials:\n  desk:\n${lines.replace(/^/gm, '    ')}\nsecrets: { desk: env DESK }\n`;
const secrets = { desk: 'clay-and-water-31' };
const bearer = 'kind: bearer\ntoken: ${secret.desk}';
const chain = (steps: string): string => `chain: A\nsteps:\n${steps}`;
const settings = (project: string, more: Partial<RunSetting> = {}): RunSetting => ({
  project,
  secrets,
  ...more,
});
const carries = (headers: readonly (readonly [string, string])[]): boolean =>
  JSON.stringify(headers).includes('clay-and-water');

describe('a credential stays at its origin', () => {
  test.each<[string, string, string]>([
    ['a redirect', '  - call: GET kiln /a\n', 'https://elsewhere.example/x'],
    ['a redirect to another port', '  - call: GET kiln /a\n', 'https://kiln.example:8443/v1/a'],
    ["a redirect to another scheme's host", '  - call: GET kiln /a\n', '//elsewhere.example/x'],
  ])('%s', async (_, steps, location) => {
    const { sent, exit } = await runChain(
      chain(steps),
      (request) =>
        request.url.endsWith('/v1/a') && !request.url.includes('8443')
          ? { status: 307, headers: [['location', location]] }
          : { status: 200 },
      settings(credential(bearer)),
    );
    expect([exit, sent.map(({ headers }) => carries(headers))]).toEqual([0, [true, false]]);
  });

  test('a field with a secret in it stays behind as a credential does', async () => {
    const project =
      'services:\n  kiln:\n    url: https://kiln.example/v1\n    headers: { X-Key: "${secret.desk}", X-Plain: a }\nsecrets: { desk: env DESK }\n';
    const { sent } = await runChain(
      chain('  - call: GET kiln /a\n    headers: { X-Digest: "${hex(digest(secret.desk, \'sha-256\'))}" }\n'),
      (_, nth) =>
        nth === 0 ? { status: 302, headers: [['location', 'https://elsewhere.example/x']] } : { status: 200 },
      settings(project),
    );
    const names = sent.map(({ headers }) =>
      headers.map(([name]) => name).filter((name) => name.startsWith('X-')),
    );
    expect(names).toEqual([['X-Key', 'X-Plain', 'X-Digest'], ['X-Plain']]);
  });

  test.each<[string, number, string, boolean]>([
    ['json: { key: "${secret.desk}" }', 307, 'https://elsewhere.example/x', false],
    ['json: { key: "${base64(secret.desk)}" }', 308, 'https://elsewhere.example/x', false],
    ['form: { key: "${secret.desk}" }', 307, 'https://kiln.example:8443/x', false],
    ['text: "key ${secret.desk}"', 307, 'https://elsewhere.example/x', false],
    ['multipart: { key: "${secret.desk}" }', 307, 'https://elsewhere.example/x', false],
    ['json: { key: "${secret.desk}" }', 307, '/v1/b', true],
    ['json: { key: open }', 307, 'https://elsewhere.example/x', true],
    ['json: { key: "${secret.desk}" }', 303, 'https://elsewhere.example/x', true],
  ])('a body with a secret in it is repeated nowhere else: %s after %d to %s', async (...row) => {
    const [body, status, location, goes] = row;
    const { sent, exit, of } = await runChain(
      chain(`  - call: POST kiln /a\n    ${body}\n`),
      (_, nth) => (nth === 0 ? { status, headers: [['location', location]] } : { status: 200 }),
      settings('services:\n  kiln:\n    url: https://kiln.example/v1\nsecrets: { desk: env DESK }\n'),
    );
    expect([sent.length, exit, of('step-ended')[0]!.problem?.code]).toEqual(
      goes ? [2, 0, undefined] : [1, 3, 'secret-elsewhere'],
    );
  });

  test.each([
    ['an inserted address', '{"next":"https://elsewhere.example/x"}', [], '$.next'],
    ['a Link', '{}', [['link', '<https://elsewhere.example/x>; rel="next"']], "link('next')"],
  ] as const)(
    '%s is refused without as:, and carries nothing with as: nobody',
    async (_, body, headers, expression) => {
      const steps = (as: string): string =>
        `  - call: GET kiln /a\n    keep: { next: "${expression}" }\n  - call: GET kiln \${next}\n${as}`;
      const script = () => ({
        status: 200,
        headers: [['content-type', 'application/json'], ...headers] as [string, string][],
        body: Buffer.from(body),
      });
      const refused = await runChain(chain(steps('')), script, settings(credential(bearer)));
      expect([refused.exit, refused.sent.length]).toEqual([1, 1]);
      expect(refused.of('step-ended')[1]!.problem!.code).toBe('other-origin');
      const allowed = await runChain(chain(steps('    as: nobody\n')), script, settings(credential(bearer)));
      expect(allowed.sent.map((request) => carries(request.headers))).toEqual([true, false]);
    },
  );

  test('plain http to another machine is refused by check; through an inserted URL, before sending; insecure: yes allows it', async () => {
    const http = credential(bearer, 'url: http://kiln.example/v1');
    const project = readProject('batharon.yaml', http, undefined, true);
    expect(project.findings.map(({ code }) => code)).toEqual(['plain-http']);
    const inserted = `values: { host: kiln.example }\n${credential(bearer, 'url: http://${host}/v1')}`;
    const stopped = await runChain(
      chain('  - call: GET kiln /a\n'),
      () => ({ status: 200 }),
      settings(inserted),
    );
    expect([stopped.sent.length, stopped.of('step-ended')[0]!.problem!.code]).toEqual([0, 'plain-http']);
    const allowed = await runChain(
      chain('  - call: GET kiln /a\n'),
      () => ({ status: 200 }),
      settings(http.replace('as: desk', 'as: desk, insecure: yes')),
    );
    expect(allowed.sent.length).toBe(1);
  });

  test.each([
    ['text/html', '<title>Who are you?</title>', 'a page titled "Who are you?"'],
    [
      'application/problem+json',
      '{"title":"No","detail":"this key is not known here"}',
      '"this key is not known here"',
    ],
    ['application/json', '{"error":{"code":1},"message":"line\\nbreak"}', '"line\\nbreak"'],
  ])(
    'a 401 says which credential, of what kind, and what the service said in %s',
    async (type, body, said) => {
      const { of } = await runChain(
        chain('  - call: GET kiln /a\n'),
        () => ({ status: 401, headers: [['content-type', type]], body: Buffer.from(body) }),
        settings(credential(bearer)),
      );
      expect(of('step-ended')[0]!.problem).toMatchObject({
        message: `expected status < 400, got 401, ${said}`,
        hint: 'the service did not accept the credential desk (bearer)',
      });
    },
  );
});

test('a key in a cookie goes beside the cookies of the run', async () => {
  const { sent } = await runChain(
    chain('  - call: GET kiln /a\n  - call: GET kiln /b\n'),
    () => ({ status: 200, headers: [['set-cookie', 'seen=yes; Path=/']] }),
    settings(credential('kind: cookie\nname: key\nvalue: ${secret.desk}')),
  );
  expect(sent.map(({ headers }) => headers.find(([name]) => name.toLowerCase() === 'cookie')?.[1])).toEqual([
    'key=clay-and-water-31',
    'seen=yes; key=clay-and-water-31',
  ]);
});

describe('a recipe', () => {
  const recipe = `kind: recipe
let:
  nonce: uuid()
  said: join([request.method, request.path, request.query, request.body, nonce], '|')
headers:
  Nonce: \${nonce}
  At: \${epoch(now())}
  Signature: \${hex(hmac(secret.desk, said, 'sha-256'))}`;

  test('computes its fields from the request; the key is in no event, what it signs with is not sent', async () => {
    const { exit, sent, events, of } = await runChain(
      chain('  - call: POST kiln /a b?x=1\n    query: { y: "ä" }\n    json: { cone: 6 }\n'),
      () => ({ status: 200 }),
      settings(credential(recipe)),
    );
    expect([exit, of('step-ended')[0]?.problem]).toEqual([0, undefined]);
    const headers = new Map(sent[0]!.headers.map(([name, value]) => [name, value]));
    const said = ['POST', '/v1/a%20b', 'x=1&y=%C3%A4', '{"cone":6}', headers.get('Nonce')].join('|');
    expect(headers.get('Signature')).toBe(createHmac('sha256', secrets.desk).update(said).digest('hex'));
    expect(JSON.stringify(events)).not.toContain(headers.get('Signature'));
    expect(JSON.stringify(events)).not.toContain(secrets.desk);
  });

  test('a redirect is signed anew for where it goes', async () => {
    const { sent } = await runChain(
      chain('  - call: GET kiln /a\n'),
      (_, nth) => (nth === 0 ? { status: 307, headers: [['location', '/v1/b']] } : { status: 200 }),
      settings(credential(recipe)),
    );
    const [first, second] = sent.map(({ headers }) => headers.find(([name]) => name === 'Signature')![1]);
    expect(first).not.toBe(second);
  });

  test.each([
    ['a name that is not there', 'headers:\n  A: ${nonc}', /nothing defines the name nonc/],
    ['no member of the request', 'headers:\n  A: ${request.pth}', /request has no member pth/],
    ['a response', 'headers:\n  A: ${$.id}', /there is none in the project file/],
  ])('%s is found by check', (_, lines, message) => {
    const { findings } = readProject('batharon.yaml', credential(`kind: recipe\n${lines}`), undefined, true);
    expect(findings.map((one) => one.message).join()).toMatch(message);
  });
});

describe('a chain that signs in', () => {
  const project = `services: { kiln: { url: "https://kiln.example/v1", as: studio } }
credentials:
  studio:
    kind: chain
    file: sign-in.chain.yaml
    inputs: { user: anna }
    headers:
      Session: \${session}
secrets: { desk: env DESK }
`;
  const signIn = (as = '    as: nobody\n'): string =>
    `chain: Sign in\ninputs: { user: {} }\nsteps:\n  - call: POST kiln /login\n${as}    json: { user: "\${user}", password: "\${secret.desk}" }\n    keep: { session: $.session }\nresults: { session: session }\n`;
  const signInChains = (text: string) => {
    const { chain: read, findings } = readChain(
      'sign-in.chain.yaml',
      text,
      readProject('batharon.yaml', project, undefined, true).project,
    );
    expect(findings.filter(({ level }) => level === 'problem')).toEqual([]);
    return new Map([['studio', read!]]);
  };
  const three = chain('  - call: GET kiln /a\n  - call: GET kiln /b\n  - call: GET kiln /c\n');

  test('runs once, its result goes with each request and stands in no event', async () => {
    let logins = 0;
    const { exit, sent, events, of } = await runChain(
      three,
      (request) =>
        request.url.endsWith('/login')
          ? { status: 200, json: JSON.stringify({ session: `session-number-${++logins}` }) }
          : { status: 200, body: Buffer.from('session-number-1') },
      settings(project, { signInChains: signInChains(signIn()) }),
    );
    expect([exit, sent.map(({ url }) => new URL(url).pathname), of('signed-in').length]).toEqual([
      0,
      ['/v1/login', '/v1/a', '/v1/b', '/v1/c'],
      1,
    ]);
    expect(sent[3]!.headers).toContainEqual(['Session', 'session-number-1']);
    expect(JSON.stringify(events)).not.toContain('session-number-1');
  });

  test('its requests are told under the step, masked; its cookies go with the calls that it signs in for', async () => {
    const { events, of, sent } = await runChain(
      three,
      ({ url }) =>
        url.endsWith('/login')
          ? {
              json: `{"session":"session-number-1","pad":"${'x'.repeat(5000)}session-number-1"}`,
              headers: [['set-cookie', 'lb=machine-number-7; Path=/']],
            }
          : {},
      settings(project, { signInChains: signInChains(signIn()) }),
    );
    const [login, list] = of('request-sent');
    expect([login!.step, login!.url, list!.step]).toEqual([
      '0@studio.0',
      'https://kiln.example/v1/login',
      '0',
    ]);
    expect(sent[1]!.headers).toContainEqual(['Cookie', 'lb=machine-number-7']);
    expect(JSON.stringify(events)).not.toMatch(/session-number-1|machine-number/);
    expect(of('response-received')[0]!.body).toEqual({ size: 5055, type: 'application/json', cut: true });
  });

  test('with inputs of the call it signs in once for each set of them, and anew for that set alone', async () => {
    const logins: string[] = [];
    const seen: string[] = [];
    let refused = false;
    const text = `chain: A
inputs: { who: { default: rui } }
steps:
  - call: GET kiln /a
  - call: GET kiln /b
    as: { studio: { user: '\${who}' } }
  - call: GET kiln /c
    as: [{ studio: { user: rui } }, key]
  - call: GET kiln /d
    as: { studio: {} }
`;
    const { exit, events } = await runChain(
      text,
      (request) => {
        if (request.url.endsWith('/login')) {
          const { user } = JSON.parse(bodyText(request)) as { user: string };
          logins.push(user);
          return { json: JSON.stringify({ session: `session-of-${user}-${logins.length}` }) };
        }
        const fields = new Map(request.headers);
        seen.push(
          `${new URL(request.url).pathname.slice(-1)} ${fields.get('Session')!} ${fields.get('Key') ?? '-'}`,
        );
        // The session of rui has run out.
        if (!refused && request.url.endsWith('/c')) {
          refused = true;
          return { status: 401 };
        }
        return {};
      },
      settings(
        project.replace('secrets:', "  key: { kind: header, name: Key, value: '${secret.desk}' }\nsecrets:"),
        {
          signInChains: signInChains(signIn()),
        },
      ),
    );
    expect(exit).toBe(0);
    expect(logins).toEqual(['anna', 'rui', 'rui']);
    expect(seen).toEqual([
      'a session-of-anna-1 -',
      'b session-of-rui-2 -',
      `c session-of-rui-2 ${secrets.desk}`,
      `c session-of-rui-3 ${secrets.desk}`,
      'd session-of-anna-1 -',
    ]);
    expect(JSON.stringify(events)).not.toMatch(/session-of-/);
  });

  test('a 401 signs in again, once', async () => {
    let logins = 0;
    const { exit, sent } = await runChain(
      three,
      (request) => {
        if (request.url.endsWith('/login'))
          return { status: 200, json: JSON.stringify({ session: `session-number-${++logins}` }) };
        return {
          status: request.headers.some(([name, value]) => name === 'Session' && value.endsWith('2'))
            ? 200
            : 401,
        };
      },
      settings(project, { signInChains: signInChains(signIn()) }),
    );
    expect([exit, logins, sent.length]).toEqual([0, 2, 6]);
  });

  test.each<[string, string, number, RegExp]>([
    [
      'its step does not hold',
      signIn(),
      403,
      /studio could not sign in: POST kiln \/login \(sign-in\.chain\.yaml:4:5\): expected status < 400, got 403/,
    ],
    ['it needs itself', signIn(''), 200, /sign-in\.chain\.yaml uses studio itself/],
  ])('%s', async (_, text, status, message) => {
    const { exit, of } = await runChain(
      three,
      () => ({ status, json: '{"session":"session-number-1"}' }),
      settings(project, { signInChains: signInChains(text) }),
    );
    expect([exit, of('step-ended').at(-1)!.problem!.message]).toEqual([3, expect.stringMatching(message)]);
  });
});

test('mask: names more members whose values are secrets, and takes away usual ones', async () => {
  const { events } = await runChain(
    chain('  - call: GET kiln /a\n    keep: { all: $ }\n'),
    () => ({
      status: 200,
      json: '{"pin":"pin-4711-0815","secret":"no-secret-at-all","access_token":"token-4711-0815"}',
    }),
    {
      project:
        'services: { kiln: { url: "https://kiln.example" } }\nmask:\n  also: [PIN]\n  never: [secret]\n',
    },
  );
  const text = JSON.stringify(events);
  expect([
    text.includes('pin-4711-0815'),
    text.includes('no-secret-at-all'),
    text.includes('token-4711-0815'),
  ]).toEqual([false, true, false]);
});

test('what a service expects of each call holds, unless the step sets it aside', async () => {
  const project =
    "services:\n  kiln:\n    url: https://kiln.example\n    expect:\n      - type == 'application/json'\n      - elapsed < 10s\n";
  const html = () => ({
    status: 200,
    headers: [['content-type', 'text/html']] as [string, string][],
    body: Buffer.from('x'),
  });
  const strict = await runChain(chain('  - call: GET kiln /a\n'), html, { project });
  expect([strict.exit, strict.of('expected').map(({ condition, passed }) => [condition, passed])]).toEqual([
    1,
    [
      ["type == 'application/json'", false],
      ['elapsed < 10s', true],
    ],
  ]);
  expect(strict.of('expected')[0]!.place).toMatchObject({ file: 'batharon.yaml', line: 5 });
  const aside = await runChain(chain('  - call: GET kiln /a\n    service-expect: no\n'), html, { project });
  expect(aside.exit).toBe(0);
});

describe('a secret as it is copied by hand', () => {
  const header = 'kind: header\nname: Kiln-Key\nvalue: ${secret.desk}';
  const cookie = 'kind: cookie\nname: session\nvalue: ${secret.desk}';
  const trim = 'the secret without it, or ${trim(…)} around it';
  const right = 'is it the right secret?';
  test.each<[string, string, string, string, string]>([
    [
      'a line end',
      bearer,
      'clay-and-water\n',
      "the control character \\n at an end, which a header field can't hold",
      trim,
    ],
    [
      'a control character',
      header,
      'clay\r\nX: water',
      "the control character \\r, which a header field can't hold",
      right,
    ],
    [
      'more than bytes',
      header,
      'clay-and-水',
      "a character that is no single byte, which a header field can't hold",
      right,
    ],
    ['a blank', bearer, ' clay-and-water', 'a blank at an end', trim],
    ['quotes', bearer, '"clay-and-water"', 'quotes around it', 'the secret without them'],
    [
      'its scheme',
      bearer,
      'bearer clay-and-water',
      'the word Bearer at its beginning, which its kind puts there itself',
      'the secret without it',
    ],
    [
      'another scheme',
      `${bearer}\nscheme: Token`,
      'Token clay-and-water',
      'the word Token at its beginning, which its kind puts there itself',
      'the secret without it',
    ],
    ['a semicolon in a cookie', cookie, 'clay;and=water', 'a semicolon, which ends a cookie', right],
  ])('%s', async (_, lines, desk, what, hint) => {
    const { events, exit, of, sent } = await runChain(
      chain('  - call: GET kiln /a\n'),
      () => ({}),
      settings(credential(lines), { secrets: { desk } }),
    );
    const problem = of('step-ended')[0]!.problem!;
    const name = lines.includes('token') ? 'token' : 'value';
    expect([sent.length, exit, problem.message, problem.hint]).toEqual([
      0,
      1,
      `the ${name} of the credential desk has ${what}`,
      hint,
    ]);
    expect(JSON.stringify(events)).not.toMatch(/clay|water|水/);
  });

  test.each([
    [bearer, 'clay|and/water=='],
    [`${bearer}\nscheme: Token`, 'token-of-clay'],
    [header, ' clay and "water" '],
    [cookie, 'clay=and%20water'],
  ])('what may be so is sent as it is: %s, %s', async (lines, desk) => {
    const { exit, sent } = await runChain(
      chain('  - call: GET kiln /a\n'),
      () => ({}),
      settings(credential(lines), { secrets: { desk } }),
    );
    expect([exit, sent[0]!.headers.some(([, value]) => value.endsWith(desk))]).toEqual([0, true]);
  });
});

test('cookies: none sends none, and takes none from the response', async () => {
  const { sent } = await runChain(
    chain(
      '  - call: GET kiln /set\n  - call: GET kiln /without\n    cookies: none\n  - call: GET kiln /with\n',
    ),
    ({ url }) => ({
      headers: [
        ['set-cookie', url.endsWith('/without') ? 'place=two-of-clay; Path=/' : 'place=one-of-clay; Path=/'],
      ],
    }),
    settings('services:\n  kiln: { url: "https://kiln.example/v1" }\n'),
  );
  const cookies = sent.map(({ headers }) => headers.find(([name]) => name.toLowerCase() === 'cookie')?.[1]);
  expect(cookies).toEqual([undefined, undefined, 'place=one-of-clay']);
});

test('an address leads elsewhere without a credential only where the step itself says nobody', async () => {
  const run = async (as: string): Promise<[number, string | undefined]> => {
    const { of, sent } = await runChain(
      chain(`  - call: GET kiln /first\n    keep: { next: $.next }\n  - call: GET kiln \${next}\n${as}`),
      () => ({ json: '{"next":"https://elsewhere.example/x"}' }),
      settings('services:\n  kiln: { url: "https://kiln.example/v1", as: nobody }\n'),
    );
    return [sent.length, of('step-ended').at(-1)!.problem?.code];
  };
  expect(await run('')).toEqual([1, 'other-origin']);
  expect(await run('    as: nobody\n')).toEqual([2, undefined]);
});
