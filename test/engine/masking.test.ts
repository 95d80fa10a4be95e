import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Masker, MaskStream } from '../../src/core/engine/masking.ts';
import { KILN, runChain } from './support.ts';

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

test('a text that comes in pieces is masked as a whole one is', () => {
  fc.assert(
    fc.property(
      fc.array(secret, { minLength: 1, maxLength: 3 }),
      fc.array(fc.oneof(fc.string({ maxLength: 8 }), fc.nat(2)), { maxLength: 12 }),
      fc.array(fc.nat(9)),
      (secrets, parts, cuts) => {
        const masker = new Masker();
        secrets.forEach((one, i) => masker.add(one, `secret s${i}`));
        const text = parts
          .map((part) => (typeof part === 'number' ? secrets[part % secrets.length]! : part))
          .join('');
        const stream = new MaskStream(masker);
        let shown = '';
        let at = 0;
        for (const cut of cuts) {
          shown += stream.push(text.slice(at, at + cut));
          at += cut;
        }
        shown += stream.push(text.slice(at)) + stream.end();
        expect(shown).toBe(masker.text(text));
      },
    ),
    { numRuns: 1000 },
  );
});

test('time is linear in the text, whatever the secret', () => {
  const masker = new Masker();
  const hidden = '𝅘𝅥𝅱⏐Ꝛ'.repeat(8);
  masker.add(hidden, 'secret key');
  const almost = `${encodeURIComponent(hidden).slice(0, -1)}x `.repeat(2000);
  expect(masker.text(almost)).toBe(almost);
});

test('tokens and passwords in an answer are secrets too, however short', async () => {
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

test('a secret that is too short is refused, and so is a short part of one', async () => {
  const project = `${KILN}secrets: { key: env X }\n`;
  const chain = (header: string): string =>
    `chain: Test\nsteps:\n  - call: GET kiln /a\n    headers: { A: "\${${header}}" }\n`;
  const short = await runChain(chain('secret.key'), () => ({}), { project, secrets: { key: 'abc' } });
  expect([short.exit, short.sent.length]).toEqual([2, 0]);
  const found = await runChain(
    'chain: Test\nsteps:\n  - call: GET kiln /a\n    keep: { pin: hidden($.pin) }\n',
    () => ({ json: '{"pin": 739}' }),
    { project },
  );
  expect(found.of('step-ended')[0]!.problem).toMatchObject({ code: 'secret-too-short', place: { line: 4 } });
  const part = await runChain(chain('slice(secret.key, 0, 3)'), () => ({}), {
    project,
    secrets: { key: 'a-long-secret' },
  });
  expect(part.sent).toHaveLength(0);
  expect(part.of('step-ended')[0]!.problem!.code).toBe('secret-too-short');
});
