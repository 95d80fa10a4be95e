import { createHash } from 'node:crypto';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { ArrivedRequest } from '../../../../src/core/ports.ts';
import { systemClock } from '../../../../src/io/world.ts';
import { Masker } from '../../../../src/core/engine/masking/masker.ts';
import { SecretNames } from '../../../../src/core/engine/masking/secret-names.ts';
import { SecretsOfRun } from '../../../../src/core/engine/masking/secrets-of-run.ts';
import { leftOf, planted, SPELLINGS, spelt } from './spellings.ts';
import { KILN, runChain } from '../support.ts';

const secret = fc.oneof(
  fc.stringMatching(/^[A-Za-z0-9+/=_-]{6,40}$/),
  fc
    .string({ minLength: 6, maxLength: 30, unit: 'grapheme' })
    .filter((text) => text.trim() === text && !/[\u0000-\u001f\u007f]/.test(text) && text.length >= 6),
);

/** Every way in which somebody might find a secret in a text. */
function isIn(text: string, hidden: string): boolean {
  const bytes = Buffer.from(hidden);
  const decoded = [...text.matchAll(/[A-Za-z0-9+/_-]{8,}={0,2}/g)].flatMap(([part]) =>
    [0, 1, 2, 3].map((skip) => Buffer.from(part.slice(skip), 'base64')),
  );
  const loose = (source: string): string => {
    try {
      return decodeURIComponent(source);
    } catch {
      return source;
    }
  };
  return (
    text.includes(hidden) ||
    text.includes(JSON.stringify(hidden).slice(1, -1)) ||
    text.toLowerCase().includes(bytes.toString('hex')) ||
    loose(text.replace(/%(?![0-9a-f]{2})/gi, '%25')).includes(hidden) ||
    decoded.some((part) => part.includes(bytes))
  );
}

test('a planted secret comes out nowhere, however it is spelt', async () => {
  await fc.assert(
    fc.asyncProperty(secret, fc.nat(9), async (hidden, seed) => {
      const echoes = [
        hidden,
        JSON.stringify({ echo: hidden }),
        `user:${hidden}`,
        Buffer.from(`${'x'.repeat(seed)}${hidden}:tail`).toString('base64'),
        Buffer.from(hidden).toString('base64url'),
        Buffer.from(hidden).toString('hex'),
        encodeURIComponent(hidden),
        `${'filler '.repeat(585)}${hidden} and more`,
      ];
      const { events, exit } = await runChain(
        `chain: Test
steps:
  - call: POST kiln /echo/\${secret.key}
    name: echo
    headers: { Kiln-Key: "\${secret.key}", Kiln-Digest: "\${base64(hmac(secret.key, 'a', 'sha-256'))}" }
    query: { key: "\${secret.key}" }
    json: { key: "\${secret.key}", signed: "\${upper(secret.key)}", other: "a \${secret.key} b" }
    on-fail: continue
    expect: [ status == 200, "$.echo == 'other'" ]
  - call: GET kiln /echo
    name: again
    keep: { kept: $, texts: $.texts }
    show: \${texts[0]}
  - call: GET kiln /fail
    expect: $.texts[0] == $.none
results: { kept: kept }
`,
        (_, nth) => ({
          json: JSON.stringify({ echo: echoes[0], texts: echoes, page: nth }),
          headers: [
            ['kiln-echo', encodeURIComponent(hidden)],
            ['set-cookie', `studio=${encodeURIComponent(hidden)}; Path=/`],
          ],
        }),
        {
          project: `${KILN}    as: desk\ncredentials:\n  desk: { kind: basic, user: anna, password: "\${secret.key}" }\nsecrets: { key: env X }\n`,
          secrets: { key: hidden },
        },
      );
      const told = JSON.stringify(events);
      expect([exit, isIn(told, hidden)]).toEqual([1, false]);
      expect(told).not.toContain(
        hidden.toUpperCase() === hidden ? hidden : JSON.stringify(hidden.toUpperCase()).slice(1, -1),
      );
    }),
    { numRuns: 150 },
  );
}, 60_000);

test('a secret is found in every spelling, two layers deep, whatever stands around it', () => {
  fc.assert(
    fc.property(
      planted,
      fc.array(spelt, { maxLength: 2 }),
      fc.string(),
      fc.string(),
      (hidden, layers, before, after) => {
        const masker = new Masker();
        masker.add(hidden, 'secret key');
        masker.add('another-secret-entirely', 'secret other');
        const written = layers.reduce((text, layer) => layer.write(text), hidden);
        const masked = masker.text(`${before} ${written}${after}`);
        expect([
          layers.map(({ name }) => name).join('+'),
          leftOf(masked, written, Math.max(16, Math.ceil((written.length / hidden.length) * 6))),
        ]).toEqual([layers.map(({ name }) => name).join('+'), '']);
      },
    ),
    {
      numRuns: process.env.PROVE ? 20_000 : 500,
      examples: [
        [
          'aaaa "%000aaa',
          ['json', 'form'].map((name) => SPELLINGS.find((one) => one.name === name)!),
          '',
          '',
        ],
      ],
    },
  );
});

test('what holds no secret stays as it is, and what is masked is not masked again', () => {
  fc.assert(
    fc.property(
      fc.array(planted, { maxLength: 3 }),
      fc.array(fc.oneof(fc.string(), planted, fc.nat(2))),
      (secrets, parts) => {
        const masker = new Masker();
        secrets.forEach((one, i) => masker.add(one, `secret s${i}`));
        const text = parts.map((part) => (typeof part === 'number' ? (secrets[part] ?? '') : part)).join('|');
        const masked = masker.text(text);
        expect(masker.text(masked)).toBe(masked);
        if (!secrets.some((one) => text.includes(one.slice(0, 6)))) expect(masked).toBe(text);
      },
    ),
    { numRuns: 500 },
  );
});

test('any length of a secret: no exception, no end in sight, nothing of it shown', () => {
  for (const length of [6, 7, 100, 20_000, 100_000, 500_000]) {
    const masker = new Masker();
    const hidden = Array.from(
      { length },
      (_, i) => 'kS3cr-t+/=abcdefg'[Math.floor(Math.abs(Math.sin(i) * 1e6)) % 17]!,
    ).join('');
    masker.add(hidden, 'secret big');
    expect(masker.text(`a ${hidden} b`)).toBe('a ‹secret big› b');
    if (length > 100) expect(masker.text(hidden.slice(0, 90))).toBe('‹secret big›');
  }
});

test('texts and secrets that were made to take long do not', () => {
  const began = process.cpuUsage();
  const repeated = new Masker();
  for (let i = 0; i < 100; i++) repeated.add(`${'a'.repeat(1000 + 61 * i)}b`, 'secret a');
  expect(repeated.text('a'.repeat(200_000))).not.toContain('a'.repeat(70));
  const nested = new Masker();
  nested.add('%'.repeat(50_000), 'secret percent');
  const base64 = Buffer.from('kiln '.repeat(60)).toString('base64');
  for (const text of [
    `${base64}/${base64}+`.repeat(2000),
    `${Buffer.from(base64).toString('hex')}/`.repeat(1000),

    '%'.repeat(300_000),
    '\\'.repeat(300_000),
    '%25'.repeat(100_000),
    '&#37;'.repeat(60_000),
  ])
    nested.text(text);
  const names = new SecretNames({ also: new Set(), never: new Set() });
  for (const text of [
    'password"',
    'password=',
    '"password":["',
    '<password ',
    'password\\"',
    ' :"',
    '_token',
  ])
    names.places(text.repeat(10_000));
  expect(process.cpuUsage(began).user / 1000).toBeLessThan(20_000);
});

test('of what services give the latest thousand are looked for, and the rest of it costs nothing', () => {
  const masker = new Masker();
  for (let i = 0; i < 5000; i++) masker.addGiven(`session-${i}-${'x'.repeat(50)}`, 'cookie sid');
  expect(masker.text(`session-4999-${'x'.repeat(50)}`)).toBe('‹cookie sid›');
  expect(masker.text(`session-4001-${'x'.repeat(50)}`)).toBe('‹cookie sid›');
  expect(masker.text(`session-12-${'x'.repeat(50)}`)).toBe(`session-12-${'x'.repeat(50)}`);
});

const run = (): SecretsOfRun => new SecretsOfRun(new SecretNames({ also: new Set(), never: new Set() }));

test.each([
  ['{"accessToken": "abc"}', 'application/json', 'abc'],
  ['{"access-token" : "abc", "n": 1}', 'application/json', 'abc'],
  ['{"apiKey":12345}', 'application/json', '12345'],
  ['{"secret": ["abc", "x\\"yz"]}', 'application/json', 'abc'],
  ['{"secret": ["abc", "x\\"yz"]}', 'application/json', 'yz'],
  ['{"aws_secret_access_key":"abc"}', 'application/json', 'abc'],
  ['{"text": "{\\"refresh_token\\": \\"abc\\"}"}', 'application/json', 'abc'],
  ['{"text": "{\\"clientSecret\\":\\"a\\\\\\"bc\\"}"}', 'application/json', 'bc'],
  ['access_token=abc&x=1', 'application/x-www-form-urlencoded', 'abc'],
  ['https://a.example/cb?x=1&access_token=abc#f', 'text/plain', 'abc'],
  ['<a><password>abc</password></a>', 'application/xml', 'abc'],
  ['<a><n:apiKey kind="k">abc</n:apiKey></a>', 'application/xml', 'abc'],
  ['<a jwt="abc"/>', 'application/xml', 'abc'],
  ['id,password,x\n1,abc,2\n2,"a""bc",3\n', 'text/csv', 'abc'],
  ['id,password,x\n1,abc,2\n2,"a""bc",3\n', 'text/csv', '""bc'],
  ['client_secret=abc%20d', 'text/plain', 'abc'],
])('%s: a secret by its name, however short', (text, type, hidden) => {
  expect(run().body(text, type)).not.toContain(hidden);
});

test('names that only look like those of secrets hide nothing', () => {
  for (const text of [
    '{"next_page_token":"abc","tokens":3,"has_password":true,"secretary":"abc","password":null,"keyboard":"abc"}',
    'the password: is wanted',
    'token of page',
    '<secretary>abc</secretary>',
  ])
    expect(run().body(text, 'application/json')).toBe(text);
});

/** Names of secrets, and texts that look like values behind them, between signs that mean something in JSON. */
const nearlySecret = fc
  .array(
    fc.oneof(
      fc.constantFrom('jwt', 'password', '<password', 'x_token', 'a'),
      fc.constantFrom(
        ':',
        '=',
        '"',
        "'",
        '[',
        ']',
        '{',
        '}',
        ',',
        '\\',
        '>',
        '</',
        ' ',
        '&',
        '%22',
        '&quot;',
        '\n',
      ),
    ),
    { maxLength: 6 },
  )
  .map((parts) => parts.join(''));

test('JSON in which something is masked stays JSON', () => {
  fc.assert(
    fc.property(
      fc.oneof(fc.jsonValue({ stringUnit: nearlySecret }), fc.jsonValue()),
      fc.array(fc.oneof(planted, fc.integer({ min: 100_000 }).map(String))),
      (value, secrets) => {
        const one = run();
        secrets.forEach((secret) => one.masker.add(secret, 'secret x'));
        const text = JSON.stringify({
          value,
          password: 'x',
          pin: secrets.map(Number).filter(Number.isFinite),
          secrets,
        });
        expect(() => JSON.parse(one.body(text, 'application/json')) as unknown).not.toThrow();
      },
    ),
    { numRuns: 1000, examples: [[{ 'Jwt:': null }, []]] },
  );
});

test('time is linear in the text, whatever the secret', () => {
  const masker = new Masker();
  const hidden = '𝅘𝅥𝅱⏐Ꝛ'.repeat(8);
  masker.add(hidden, 'secret key');
  const almost = `${encodeURIComponent(hidden).slice(0, -1)}x `.repeat(2000);
  expect(masker.text(almost)).toBe(almost);
});

test('tokens and passwords in a response are secrets too, however short', async () => {
  const { events } = await runChain(
    'chain: Test\nsteps:\n  - call: GET kiln /a\n    keep: { token: $.access_token, all: $, pin: hidden($.pin) }\n  - call: GET kiln /b/${token}/${pin}\n',
    () => ({
      json: '{"access_token": "tok-12345678", "user": {"password": "abc", "Api_Key": "k\\"1234567"}, "pin": 739001, "next_cursor": "cursor-1234567"}',
    }),
    { project: KILN },
  );
  const told = JSON.stringify(events);
  for (const hidden of ['tok-12345678', '"abc', 'k\\\\\\"1234567', '739001'])
    expect(told).not.toContain(hidden);
  expect(told).toContain('cursor-1234567');
});

test('a secret that is too short to be found is masked where it is put, and said to be', async () => {
  const { events, exit, sent, of } = await runChain(
    `chain: Test
steps:
  - call: POST kiln /a
    headers: { Pin: "\${secret.pin}" }
    query: { code: "\${secret.pin}" }
    json: { door: { combination: "\${secret.pin}" }, other: 4711 }
    keep: { nip: hidden($.nip), same: $.nip, next: $.nip + 1 }
    show: \${nip}
  - call: GET kiln /b
    query: { n: "\${nip}" }
    expect: [ nip == 1 ]
results: { nip: nip, more: "nip * 2" }
`,
    () => ({ json: '{"nip": 5309}' }),
    {
      project: `${KILN}    as: desk\ncredentials:\n  desk: { kind: basic, user: anna, password: "\${secret.pin}" }\nsecrets: { pin: env X }\n`,
      secrets: { pin: '4712' },
    },
  );
  expect([exit, sent.length]).toEqual([1, 2]);
  expect(sent[0]!.url).toContain('code=4712');
  const told = JSON.stringify(events);
  for (const hidden of ['4712', '5309', '5310', '10618']) expect(told).not.toContain(hidden);
  expect(told).toContain('4711');
  expect(of('warning').map(({ code }) => code)).toContain('secret-too-short');
});

test('a secret that is too short is refused where no name tells of its place', async () => {
  const { sent, of } = await runChain(
    'chain: Test\nsteps:\n  - call: GET kiln /a/${secret.pin}\n',
    () => ({}),
    { project: `${KILN}secrets: { pin: env X }\n`, secrets: { pin: 'abc' } },
  );
  expect(sent).toHaveLength(0);
  expect(of('step-ended')[0]!.problem!.code).toBe('secret-too-short');
});

test('what is computed from a secret is one, also from such as only its name tells', async () => {
  const { events } = await runChain(
    `chain: Test
steps:
  - call: GET kiln /a
    name: sign
    keep: { p: hidden($.p), q: upper($.p), token: $.access_token }
    expect: [ upper($.p) == 'x' ]
    on-fail: continue
  - call: GET kiln /b
    name: again
    expect: [ upper(sign.body.access_token) == 'x', "replace(upper(sign.body.access_token), 'T', 'z') == 'y'" ]
    on-fail: continue
  - call: GET kiln /pages
    name: pages
    pages: { next: $.none ?? nothing, items: $.list }
    keep:
      keys: hidden(gathered[*].k)
results: { u: upper(sign.body.access_token), r: "slice(sign.body.access_token, 2)" }
`,
    ({ url }) => ({
      json: url.endsWith('/pages')
        ? '{"list": [{"k": "key-of-a-page"}]}'
        : '{"p": "hidden-value-p", "access_token": "tok-abcdefgh"}',
    }),
    { project: KILN },
  );
  const told = JSON.stringify(events);
  for (const hidden of [
    'hidden-value-p',
    'HIDDEN-VALUE-P',
    'TOK-ABCDEFGH',
    'zOK-ABCDEFGH',
    'k-abcdefgh',
    'key-of-a-page',
  ])
    expect(told).not.toContain(hidden);
});

test('texts are masked before they are cut, wherever the cut falls', async () => {
  const hidden = 'live-4f9Qe7Zt2mBv8Ls1Xc6Wd3Rk5Hn0Jp';
  for (let offset = 0; offset < 130; offset += 7) {
    const filler = 'y'.repeat(offset);
    const { events } = await runChain(
      `chain: Test
steps:
  - call: GET kiln /a
    name: a
    expect:
      - $.text == 'x'
      - $.list == [1]
      - "$.object == { a: 1 }"
      - number($.text) == 1
      - $.text.deep == 2
      - time($.text) == now()
    on-fail: continue
  - call: GET kiln /b
    show: \${$.rows}
    on-fail: continue
  - each: item in a.body.names
    steps:
      - expect: item == 1
        on-fail: continue
  - call: GET kiln /poll
    poll: { until: $.text == 'x', while: $.text != 'x', every: 1s, within: 2s }
    on-fail: continue
  - call: GET kiln /error
    on-fail: continue
  - call: GET kiln /broken
`,
      ({ url }) => {
        const text = `${filler}${hidden}${'z'.repeat(60)}`;
        if (url.endsWith('/broken')) return { json: `{"a": ${text}` };
        return {
          status: url.endsWith('/error') ? 401 : 200,
          json: JSON.stringify({
            text,
            list: [text],
            object: { [text]: text, a: text },
            rows: [{ a: text, [text]: 1 }],
            names: [text, { name: text }],
            message: text,
          }),
        };
      },
      {
        project: `${KILN}    headers: { Key: "\${secret.key}" }\nsecrets: { key: env X }\n`,
        secrets: { key: hidden },
      },
    );
    expect(leftOf(JSON.stringify(events), hidden, 4)).toBe('');
  }
});

test('what the program wrote itself is not masked: addresses, names, files', async () => {
  const { of, events } = await runChain(
    'chain: Test\nsteps:\n  - call: GET kiln /a\n    name: things\n    keep: { orders: $.orders }\n',
    () => ({ json: '{"orders": "things"}' }),
    {
      project: `${KILN}    headers: { A: "\${secret.a}", B: "\${secret.b}", C: "\${secret.c}" }\nsecrets: { a: env A, b: env B, c: env C }\n`,
      secrets: { a: 'things', b: 'orders', c: 'test.chain.yaml' },
    },
  );
  expect(of('step-began')[0]).toMatchObject({ step: 'things', title: 'things' });
  expect(of('kept')[0]).toMatchObject({ step: 'things', name: 'orders', value: '"‹secret a›"' });
  expect(events[0]).toMatchObject({ file: 'test.chain.yaml' });
});

test('a digest is that of what is kept, so that it tells nothing of what is masked', async () => {
  const kept = new Map<string, string>();
  const { of } = await runChain(
    'chain: Test\nsteps:\n  - call: GET kiln /a\n',
    () => ({ json: JSON.stringify({ pin: '123456', password: '123456', filler: 'x'.repeat(6000) }) }),
    {
      project: KILN,
      ports: {
        record: {
          keep: (digest, content) => void kept.set(digest, Buffer.from(content).toString()),
          durable: () => Promise.resolve(),
        },
      },
    },
  );
  const { digest } = of('response-received')[0]!.body;
  const whole = kept.get(digest!)!;
  expect(whole).not.toContain('123456');
  expect(createHash('sha256').update(whole).digest('hex')).toBe(digest);
});

test('hidden holds for what came by callback, by a Link, and for numbers, which can be sent', async () => {
  let take: ((arrived: ArrivedRequest) => Promise<number>) | undefined;
  const { events, exit, sent } = await runChain(
    `chain: Test
steps:
  - call: POST kiln /a
    json: { to: "\${callback}" }
    callback: { within: 5s }
    keep:
      got: hidden(arrived.body.token_of_door)
      field: hidden(arrived.headers['x-door'])
  - call: GET kiln /b
    keep:
      next: hidden(link('next'))
      door: hidden($.door)
  - call: GET kiln /c/\${door}
    query: { next: "\${next}", got: "\${got}" }
`,
    ({ method }) => {
      if (method === 'POST')
        setTimeout(
          () =>
            void take!({
              method: 'POST',
              url: 'http://127.0.0.1:1/x',
              headers: [
                ['content-type', 'application/json'],
                ['x-door', 'field-of-a-door'],
              ],
              body: Buffer.from('{"token_of_door": "came-by-callback"}'),
            }),
          5,
        );
      return method === 'POST'
        ? {}
        : { json: '{"door": 739001224}', headers: [['link', '</pages/hidden-page-2>; rel="next"']] };
    },
    {
      project: KILN,
      ports: {
        callbacks: {
          open: async (given) => {
            take = given;
            return { url: 'http://127.0.0.1:1/x', close: () => undefined };
          },
        },
        clock: systemClock,
      },
    },
  );
  expect([exit, sent[2]!.url.includes('/c/739001224')]).toEqual([0, true]);
  const told = JSON.stringify(events);
  for (const hidden of ['came-by-callback', 'field-of-a-door', 'hidden-page-2', '739001224'])
    expect(told).not.toContain(hidden);
});

test('what looks like a label is none, unless it is one of ours', () => {
  const masker = new Masker();
  masker.add('celadon-ash', 'secret desk');
  for (const text of ['‹celadon-ash›', '‹secret celadon-ash›', '‹a›celadon-ash‹b›'])
    expect(masker.text(text)).not.toContain('celadon-ash');
  expect(masker.text('‹secret desk›')).toBe('‹secret desk›');
});

test('a key in a field of a response is one wherever it turns up', async () => {
  const { events, of } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n  - call: GET kiln /b\n    show: ${$.note}\n',
    ({ url }) =>
      url.endsWith('/a')
        ? { headers: [['x-api-key', 'celadon-ash-4417']] }
        : { json: '{"note":"you came with celadon-ash-4417"}' },
    { project: KILN },
  );
  expect(JSON.stringify(events)).not.toContain('celadon-ash-4417');
  expect(of('shown')[0]!.text).toBe('you came with ‹x-api-key›');
});

test('names that the project says are none are left as they are', () => {
  const names = new SecretNames({ also: new Set(['glaze']), never: new Set(['token', 'secret_key']) });
  expect(['token', 'next_token', 'secretKey', 'glaze', 'password'].map((name) => names.has(name))).toEqual([
    false,
    false,
    false,
    true,
    true,
  ]);
});
