// Whatever is inserted, what is sent has the structure that its author wrote.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { dryRun } from '../../../../src/core/engine/run/dry.ts';
import { parseJson, writeJson } from '../../../../src/core/language/json.ts';
import type { Ports } from '../../../../src/core/ports.ts';
import { KILN, runChain, bodyText } from '../support.ts';

const text = fc.oneof(
  fc.string({ unit: 'grapheme' }),
  fc.constantFrom(
    '..',
    '.',
    '',
    '/',
    '%2e%2e',
    '?a=b',
    '#x',
    'a&b=c',
    '"',
    '\\',
    '\r\nEvil: 1',
    '${x}',
    ' ',
    '+',
    '🌙',
    '://evil.example',
    '@evil.example',
  ),
);

const CHAIN = `chain: Test
steps:
  - call: GET kiln /first
    keep: { x: $.x }
  - call: POST kiln /a/\${x}/b?fixed=1
    on-fail: continue
    query: { q: "\${x}", list: ["\${x}", z] }
    json: { whole: "\${x}", part: "<\${x}>", list: ["\${x}"] }
  - call: POST kiln /form
    on-fail: continue
    form: { f: "\${x}", "a b&c": z }
  - call: GET kiln /header
    on-fail: continue
    headers: { Kiln-Name: "<\${x}>" }
`;

test('a text stays one segment, one parameter, one member, one form field, one header field', async () => {
  await fc.assert(
    fc.asyncProperty(text, async (value) => {
      const { sent } = await runChain(CHAIN, () => ({ json: JSON.stringify({ x: value }) }), {
        project: KILN,
      });
      const path = sent.find(({ url }) => url.includes('/a/'));
      if (['', '.', '..'].includes(value)) {
        expect(path).toBeUndefined();
      } else {
        const url = new URL(path!.url);
        expect(url.origin).toBe('https://kiln.example');
        const segments = url.pathname.split('/');
        expect([segments.length, segments[2], segments[4], url.hash]).toEqual([5, 'a', 'b', '']);
        expect(decodeURIComponent(segments[3]!)).toBe(value.toWellFormed());
        expect([...url.searchParams]).toEqual([
          ['fixed', '1'],
          ['q', value.toWellFormed()],
          ['list', value.toWellFormed()],
          ['list', 'z'],
        ]);
        expect(JSON.parse(bodyText(path!))).toEqual({
          whole: value,
          part: `<${value}>`,
          list: [value],
        });
      }
      const form = sent.find(({ url }) => url.endsWith('/form'))!;
      expect([...new URLSearchParams(bodyText(form))]).toEqual([
        ['f', value.toWellFormed()],
        ['a b&c', 'z'],
      ]);
      const header = sent.find(({ url }) => url.endsWith('/header'));
      const fits = /^[\t -~\u0080-\u00ff]*$/.test(value);
      expect(header?.headers.find(([name]) => name === 'Kiln-Name')?.[1]).toBe(
        fits ? `<${value}>` : undefined,
      );
    }),
    { numRuns: 300 },
  );
}, 30_000);

test('any JSON passes through whole', async () => {
  await fc.assert(
    fc.asyncProperty(fc.jsonValue({ maxDepth: 4 }), async (value) => {
      const json = JSON.stringify({ x: value });
      const { sent } = await runChain(
        'chain: Test\nsteps:\n  - call: GET kiln /first\n    keep: { x: $.x }\n  - call: POST kiln /second\n    json: { x: "${x}" }\n',
        () => ({ json }),
        { project: KILN },
      );
      expect(bodyText(sent[1]!)).toBe(writeJson(parseJson(json)));
    }),
    { numRuns: 200 },
  );
});

test.each([
  ['raw keeps reserved characters', 'GET kiln /a/${raw(x)}', 'b/c?d=e f', '/v1/a/b/c?d=e%20f'],
  ['a literal is sent as it stands', 'GET kiln /a b/é?x=%20y', 'b', '/v1/a%20b/%C3%A9?x=%20y'],
  ['$${ is a literal', 'GET kiln /$${x}/${x}', 'b', '/v1/$%7Bx%7D/b'],
])('%s', async (_, call, x, expected) => {
  const { sent } = await runChain(`chain: Test\ninputs: { x: {} }\nsteps:\n  - call: ${call}\n`, () => ({}), {
    project: KILN,
    inputs: { x },
  });
  expect(sent[0]!.url.slice('https://kiln.example'.length)).toBe(expected);
});

describe('a dry run', () => {
  const project = `${KILN}    as: desk
    headers: { Kiln-Studio: "\${studio}" }
credentials: { desk: { kind: bearer, token: "\${secret.desk}" } }
secrets: { desk: env X }
values: { studio: north }
`;
  const read = readProject('batharon.yaml', project, undefined, true).project;
  const chain = readChain(
    'a.chain.yaml',
    `chain: Test
inputs: { rack: { default: "A 3" } }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { limit: 5, day: "\${date(now())}" }
    keep: { first: "$.pieces[0].id" }
  - when: list.ok
    steps:
      - call: POST kiln /firings/\${first}
        name: load
        as: nobody
        headers: { Kiln-Sign: "\${hex(hmac(secret.desk, 'a', 'sha-256'))}" }
        json: { piece: "\${first}", rack: "\${rack}", upper: "\${upper(first)}" }
    else:
      - call: GET kiln \${list.headers.location}
`,
    read,
  ).chain!;

  test('shows what is known, marks what is not, and reads no secret', () => {
    const hmac = (): Uint8Array => new Uint8Array([1, 2]);
    const { requests } = dryRun(
      chain,
      read,
      { digests: { hmac }, clock: { now: () => 0 } } as unknown as Ports,
      { inputs: { rack: 'A 3' }, practice: '' },
    );
    expect(requests.map(({ method, url, as, when }) => [method, url, as, when])).toEqual([
      ['GET', 'https://kiln.example/v1/racks/A%203/pieces?limit=5&day=‹date(now())›', 'desk', undefined],
      ['POST', 'https://kiln.example/v1/firings/‹list: $.pieces[0].id›', undefined, 'list.ok'],
      ['GET', '‹list.headers.location›', 'desk', '!(list.ok)'],
    ]);
    expect(requests[1]!.body).toBe(
      '{"piece":"‹list: $.pieces[0].id›","rack":"A 3","upper":"‹upper(first)›"}',
    );
    expect(requests[0]!.headers).toEqual([['Kiln-Studio', 'north']]);
  });
});
