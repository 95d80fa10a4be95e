// Responses that were made to hold a run up, to have it go on without end, or to leave something behind.
import { expect, test } from '@jest/globals';
import { describeText } from '../../../../src/core/engine/wire/read-response.ts';
import { findLink } from '../../../../src/core/language/links.ts';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import { RunFold } from '../../../../src/core/record/run-fold.ts';
import { formats } from '../../../../src/io/files/formats.ts';
import { KILN, runChain } from '../support.ts';

test.each(['0', '-5', '0.1', 'Wed, 21 Oct 2015 07:28:00 GMT', 'soon', '99999999999999999999', '', '1e9'])(
  'Retry-After: "%s" never makes a call go again at once, nor without end',
  async (field) => {
    const times: number[] = [];
    let clock: { elapsed(): number } | undefined;
    const { exit, of } = await runChain(
      'chain: Test\nsteps:\n  - call: POST kiln /a\n',
      () => {
        times.push(clock!.elapsed());
        return { status: 429, headers: [['retry-after', field]] };
      },
      {
        project: KILN,
        around: (ports) => {
          ({ clock } = ports);
          return ports;
        },
      },
    );
    expect([exit, times.length <= 11]).toEqual([3, true]);
    for (let i = 1; i < times.length; i++) expect(times[i]! - times[i - 1]!).toBeGreaterThanOrEqual(999);
    if (['0', '-5', '0.1', 'soon'].includes(field) || field.startsWith('Wed'))
      expect(of('warning').map(({ code }) => code)).toContain('retry-after-unclear');
  },
);

test('texts that were made to be read slowly are not', async () => {
  // The processor's time: a clock on the wall would also count what else the machine does.
  const began = process.cpuUsage();
  for (const field of [
    '<'.repeat(200_000),
    '<a>;'.repeat(50_000),
    `<a>; ${'x="'.repeat(50_000)}`,
    '<a>;rel=x,'.repeat(50_000),
  ])
    findLink(field, 'next');
  for (const page of [
    `<html><title>${' '.repeat(500_000)}`,
    '<title aaa'.repeat(50_000),
    '<title>a</title'.repeat(50_000),
    `<!doctype html>${'<h1>'.repeat(100_000)}`,
    ' '.repeat(500_000),
  ])
    describeText(page, 'text/html');
  const head = Array.from({ length: 100_000 }, (_, i) => `c${i}`).join(',');
  await formats.csv(`${head}\n${head}\n`);
  expect(process.cpuUsage(began).user / 1000).toBeLessThan(12_000);
});

test.each([
  ['<https://a/2>; rel="next"', 'https://a/2'],
  ['<https://a/1>; rel=prev, <https://a/2>; rel=next', 'https://a/2'],
  ['<a,b>; title="x, <c>; rel=next"; rel="next last"', 'a,b'],
  ['<a>; rel="prev"; rel="next"', undefined],
  ['<a> ; anchor="#b" ; REL = NEXT', 'a'],
  ['<a>; title="x\\"; rel=next', undefined],
  ['<a>, <b>; rel=next', 'b'],
])('Link: %s', (field, target) => {
  expect(findLink(field, 'next')).toBe(target);
});

const UNDO = `chain: Test
steps:
  - call: POST kiln /one
    name: one
    keep: { id: $.id }
    undo:
      - call: DELETE kiln /one/\${id}
      - call: DELETE kiln /one/\${id}/more
  - call: POST kiln /two
    name: two
    keep: { other: $.id }
    undo:
      - call: DELETE kiln /two/\${other}
  - call: GET kiln /broken
cleanup:
  - call: POST kiln /bye
`;
const kept = { open: (sealed: string) => sealed, body: () => undefined };
const none = { sent: () => false, notSent: () => false };

test.each([
  ['/one/1', ['one']],
  ['/one/1/more', ['one']],
  ['/two/1', ['two']],
  ['', []],
])('undo that failed at %s stays booked, and what remains is said', async (failing, still) => {
  const { events, of } = await runChain(
    UNDO,
    ({ url, method }) =>
      url.endsWith('/broken') || (failing !== '' && url.endsWith(failing) && method === 'DELETE')
        ? { status: 500 }
        : { status: 200, json: '{"id": "1"}' },
    { project: KILN },
  );
  const fold = new RunFold();
  for (const event of events) fold.take(event);
  expect(fold.run!.booked.map(({ step }) => step)).toEqual(still);
  expect(pastOf(events, kept, none).booked.map(({ step }) => step)).toEqual(still);
  expect(of('undo-left').map(({ undo }) => undo)).toEqual(still.length > 0 ? [1] : []);
});

test('cleanup that failed stays as well', async () => {
  const { of } = await runChain(
    UNDO,
    ({ url }) => (url.endsWith('/bye') ? { status: 503 } : { status: 200, json: '{"id": "1"}' }),
    { project: KILN },
  );
  expect(of('undo-left')).toMatchObject([{ undo: 0, cleanup: 1 }]);
});

test('a step that did what it is for and could not write its row is taken back like others', async () => {
  const { exit, sent } = await runChain(
    `chain: Test
steps:
  - call: POST kiln /one
    keep: { id: $.id }
    write: { to: rows.csv, row: { id: "\${id}" } }
    undo:
      - call: DELETE kiln /one/\${id}
`,
    () => ({ json: '{"id": "1"}' }),
    {
      project: KILN,
      ports: {
        rows: {
          open: () => Promise.reject(new Error('none')),
          write: () => Promise.reject(Object.assign(new Error('no space'), { code: 'ENOSPC' })),
        },
      },
      allowUnexplained: true,
    },
  );
  expect([exit !== 0, sent.map(({ method }) => method)]).toEqual([true, ['POST', 'DELETE']]);
});

test('a name of a file that would hold a secret is refused before anything is written', async () => {
  for (const step of ['save: "${hid}.json"', 'write: { to: "${token}.csv", row: { a: b } }']) {
    const { of } = await runChain(
      `chain: Test\nsteps:\n  - call: GET kiln /a\n    keep: { token: $.access_token, hid: hidden($.access_token) }\n  - call: GET kiln /b\n    ${step}\n`,
      () => ({ json: '{"access_token": "tok-0123456789"}' }),
      {
        project: KILN,
        ports: {
          rows: {
            open: () => Promise.reject(new Error('none')),
            write: async () => ({ change: 'added', nth: 1 }),
          },
        },
      },
    );
    expect(of('step-ended').map(({ problem }) => problem?.code)).toContain('secret-not-here');
  }
});
