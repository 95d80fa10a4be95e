// Places where a mistake in the engine would not be seen otherwise: each of these was found by changing it.
import { expect, test } from '@jest/globals';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import { ProblemError } from '../../../../src/core/problems.ts';
import { bodyText, KILN, runChain } from '../support.ts';

test('bytes in which a secret stands are not kept', async () => {
  const kept: string[] = [];
  const record = {
    keep: (_: string, whole: string | Uint8Array) => void kept.push(Buffer.from(whole).toString('latin1')),
    durable: () => Promise.resolve(),
  };
  const bytes = (text: string): Uint8Array => Buffer.from(`\u00ff\u00fe${text}`, 'latin1');
  await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /plain\n  - call: GET kiln /secret\n',
    ({ url }) => ({
      headers: [['content-type', 'image/png']],
      body: bytes(url.endsWith('/secret') ? 'celadon-ash-4417' : 'a picture'),
    }),
    {
      project:
        'services:\n  kiln: { url: "https://kiln.example/v1", headers: { X: "${secret.key}" } }\nsecrets: { key: env KEY }\n',
      secrets: { key: 'celadon-ash-4417' },
      ports: { record },
    },
  );
  expect(kept.filter((one) => one.includes('a picture'))).toHaveLength(1);
  expect(kept.join('')).not.toContain('celadon-ash');
});

test('what only its name tells to be a secret is not written into the name of a file either', async () => {
  const { of } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { x: $.access_token }\n  - call: GET kiln /b\n    save: out/${x}.bin\n',
    () => ({ json: '{"access_token":"celadon-ash-4417"}' }),
    { project: KILN },
  );
  expect(of('step-ended').at(-1)!.problem!.code).toBe('secret-not-here');
});

test('a response of 400 or more ends a poll, whatever it says of the state', async () => {
  const { sent, exit } = await runChain(
    "chain: A\nsteps:\n  - call: GET kiln /a\n    poll: { until: $.state == 'done', every: 1s }\n",
    () => ({ status: 500, json: '{"state":"waiting"}' }),
    { project: KILN },
  );
  expect([sent.length, exit]).toEqual([1, 1]);
});

test('a repetition tells how many iterations passed', async () => {
  const { of } = await runChain(
    'chain: A\nsteps:\n  - repeat: { until: "n == 3" }\n    start: { n: "0" }\n    steps:\n      - keep: { n: "n + 1" }\n',
    () => ({}),
  );
  expect(of('step-ended').at(-1)!.iterations).toEqual({ passed: 3, failed: 0 });
});

test('whoever says that a request was not sent means one that was answered, too', async () => {
  const chain = 'chain: A\nsteps:\n  - call: POST kiln /a\n    name: a\n    expect: $.n == 2\n';
  const first = await runChain(chain, () => ({ json: '{"n":1}' }), { project: KILN });
  const kept = { open: () => '', body: () => undefined };
  const again = async (notSent: boolean): Promise<number> => {
    const { past } = pastOf(first.events, kept, { sent: () => false, notSent: () => notSent });
    return (await runChain(chain, () => ({ json: '{"n":2}' }), { project: KILN, past })).sent.length;
  };
  expect([await again(false), await again(true)]).toEqual([0, 1]);
});

test('a step whose request passed and whose row could not be written is taken back', async () => {
  const { sent } = await runChain(
    'chain: A\nsteps:\n  - call: POST kiln /a\n    write: { to: out.csv, row: { a: 1 } }\n    undo:\n      - call: DELETE kiln /a\n',
    () => ({}),
    {
      project: KILN,
      ports: {
        rows: {
          open: () => Promise.reject(new Error('none')),
          write: () => Promise.reject(new ProblemError({ code: 'row-not-fitting', message: 'no room' })),
        },
      },
    },
  );
  expect(sent.map(({ method }) => method)).toEqual(['POST', 'DELETE']);
});

test('texts stand in the order of their code points, not of their UTF-16 units', async () => {
  const { results } = await runChain(
    "chain: A\nsteps:\n  - expect: 1 < length([1, 2])\nresults: { sorted: \"sort(['\\uD83D\\uDE00', '\\uFFFD', 'z'])\" }\n",
    () => ({}),
  );
  expect(results.get('sorted')).toEqual(['z', '\uFFFD', '\u{1F600}']);
});

test('a value can break no XML, as text or in an attribute', async () => {
  const { sent } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { x: $.x }\n  - call: POST kiln /b\n    xml: \'<a b="${x}">${x}</a>\'\n',
    () => ({ json: JSON.stringify({ x: `<c d='"'>&amp;` }) }),
    { project: KILN },
  );
  const escaped = '&lt;c d=&apos;&quot;&apos;&gt;&amp;amp;';
  expect(bodyText(sent[1]!)).toBe(`<a b="${escaped}">${escaped}</a>`);
});
