// What the pages on limits, polling, paging and credentials say of requests, each with a run that shows it.
import { expect } from '@jest/globals';
import { KILN, plain, type Ran, type Reply, runChain, type RunSetting } from '../core/engine/support.ts';
import { claim } from './support.ts';

type Script = Parameters<typeof runChain>[1];

const steps = (lines: string, script: Script, setting: RunSetting = {}): Promise<Ran> =>
  runChain(`chain: A\nsteps:\n${lines}`, script, { project: KILN, ...setting });
const waits = ({ of }: Ran): number[] => of('waiting').map((one) => one.for);
const always =
  (reply: Reply): Script =>
  () =>
    reply;

const limits = 'docs/limits.md';
claim(
  limits,
  'a request that gets a 429 waits for as long as `Retry-After` asks and is sent again',
  async () => {
    const ran = await steps('  - call: POST kiln /a\n', (_, nth) =>
      nth === 0 ? { status: 429, headers: [['retry-after', '7']] } : { status: 200 },
    );
    expect([ran.exit, ran.sent.length, waits(ran)]).toEqual([0, 2, [7000]]);
  },
);
claim(limits, 'may have been processed: the step fails, and nothing is sent again.', async () => {
  const busy = always({ status: 503, headers: [['retry-after', '1']] });
  expect((await steps('  - call: POST kiln /a\n', busy)).sent).toHaveLength(1);
  expect((await steps('  - call: GET kiln /a\n', busy)).sent.length).toBeGreaterThan(1);
});
claim(limits, 'A call waits for at most a minute in total, and at most ten times', async () => {
  const minute = await steps(
    '  - call: GET kiln /a\n',
    always({ status: 429, headers: [['retry-after', '25']] }),
  );
  expect(waits(minute)).toEqual([25_000, 25_000]);
  const ten = await steps(
    '  - call: GET kiln /a\n',
    always({ status: 429, headers: [['retry-after', '1']] }),
  );
  expect(ten.sent).toHaveLength(11);
});
claim(limits, 'A wait is at least a second, even if the header says 0', async () => {
  for (const told of ['0', '-5', '0.2', 'Thu, 01 Jan 1970 00:00:00 GMT']) {
    const ran = await steps('  - call: GET kiln /a\n', (_, nth) =>
      nth === 0 ? { status: 429, headers: [['retry-after', told]] } : {},
    );
    expect([told, waits(ran)]).toEqual([told, [1000]]);
  }
});
claim(limits, 'After a 429 without `Retry-After` the waits double: 1 s, 2 s, 4 s…', async () => {
  const ran = await steps('  - call: POST kiln /a\n', always({ status: 429 }));
  expect(waits(ran).slice(0, 4)).toEqual([1000, 2000, 4000, 8000]);
});
claim(limits, '`0s` such a response is taken as it is', async () => {
  const ran = await steps(
    '  - call: GET kiln /a\n    retry: { retry-after: 0s }\n',
    always({ status: 429, headers: [['retry-after', '30']] }),
  );
  expect([ran.sent.length, ran.exit]).toEqual([1, 1]);
});
claim(limits, 'A step that expects a 429 gets it.', async () => {
  const ran = await steps('  - call: GET kiln /a\n    expect: status == 429\n', always({ status: 429 }));
  expect([ran.sent.length, ran.exit]).toEqual([1, 0]);
});
claim(limits, '`attempts` counts every request, the first one too.', async () => {
  const ran = await steps(
    '  - call: GET kiln /a\n    retry: { attempts: 3, wait: 1s, on: [500] }\n',
    always({ status: 500 }),
  );
  expect(ran.sent).toHaveLength(3);
});
claim(
  limits,
  'After a reset, a time limit or a 500 that is unknown, so it is not sent again, with a warning.',
  async () => {
    for (const reply of [{ status: 500 }, { fails: 'connection-reset' }] as const) {
      const ran = await steps(
        '  - call: POST kiln /a\n    retry: { attempts: 3, wait: 1s, on: [500, no-response] }\n',
        always(reply),
      );
      expect([ran.sent.length, ran.of('warning').map(({ code }) => code)]).toEqual([1, ['not-sent-again']]);
    }
  },
);
claim(
  limits,
  '`idempotency: yes` sends a key in the header `Idempotency-Key`, the same in every attempt',
  async () => {
    const ran = await steps(
      '  - call: POST kiln /a\n    idempotency: yes\n    retry: { attempts: 3, wait: 1s, on: [500] }\n',
      always({ status: 500 }),
    );
    const keys = ran.sent.map(
      ({ headers }) => headers.find(([name]) => name.toLowerCase() === 'idempotency-key')?.[1],
    );
    expect([keys.length, new Set(keys).size, keys[0]]).toEqual([
      3,
      1,
      expect.stringMatching(/^"[0-9a-f-]{36}"$/),
    ]);
  },
);

const polling = 'docs/polling.md';
const states =
  (...all: string[]): Script =>
  (_, nth) => ({ json: JSON.stringify({ state: all[nth] ?? all.at(-1) }) });
const poll = (more: string): string =>
  `  - call: GET kiln /job\n    poll:\n      until: $.state == 'done'\n      ${more.replaceAll('; ', '\n      ')}\n`;
claim(polling, 'A state for which neither holds ends the poll at once, and is named', async () => {
  const ran = await steps(
    poll("while: $.state in ['waiting']; every: 1s"),
    states('waiting', 'melted', 'done'),
  );
  expect([ran.sent.length, ran.exit, ran.of('step-ended')[0]!.problem!.message]).toEqual([
    2,
    1,
    expect.stringContaining('melted'),
  ]);
});
claim(polling, 'Without `while` the poll waits through any other state.', async () => {
  const ran = await steps(poll('every: 1s'), states('waiting', 'melted', 'done'));
  expect([ran.sent.length, ran.exit]).toEqual([3, 0]);
});
claim(polling, '`Retry-After` takes precedence.', async () => {
  const ran = await steps(poll('every: 1s'), (_, nth) => ({
    json: `{"state":"${nth === 0 ? 'waiting' : 'done'}"}`,
    headers: [
      ['retry-after', '9'],
      ['content-type', 'application/json'],
    ],
  }));
  expect(waits(ran)).toEqual([9000]);
});
claim(polling, 'When the time is up it asks once more.', async () => {
  const ran = await steps(poll('every: 4s; within: 10s'), states('waiting'));
  expect([waits(ran), ran.sent.length, ran.exit]).toEqual([[4000, 4000, 2000], 4, 1]);
});

const paging = 'docs/paging.md';
claim(paging, 'nothing, null or an empty text ends the list', async () => {
  for (const next of ['null', '""', undefined]) {
    const ran = await steps(
      '  - call: GET kiln /p\n    pages: { next: $.next, items: $.items }\n    expect: length(gathered) == 2\n',
      (_, nth) => ({
        json:
          nth === 0
            ? '{"items":[1],"next":"/v1/p2"}'
            : `{"items":[2]${next === undefined ? '' : `,"next":${next}`}}`,
      }),
    );
    // What is not there is nothing only where the path says so: here the last page has to have the member.
    expect([next, ran.sent.length]).toEqual([next, 2]);
  }
});
claim(paging, 'An address at another origin is an error, unless the credential belongs there', async () => {
  const ran = await steps('  - call: GET kiln /p\n    pages: { next: $.next, items: $.items }\n', () => ({
    json: '{"items":[1],"next":"https://elsewhere.example/p2"}',
  }));
  expect([ran.sent.length, ran.of('step-ended')[0]!.problem!.code]).toEqual([1, 'other-origin']);
});
claim(paging, 'Every page must meet what the step expects of `status`', async () => {
  const ran = await steps(
    "  - call: GET kiln /p\n    pages: { next: link('next'), items: $ }\n    expect: [status == 200, length(gathered) > 5]\n",
    (_, nth) =>
      nth === 1
        ? { status: 203, json: '[2]' }
        : {
            json: '[1]',
            headers: [
              ['link', '</v1/p2>; rel="next"'],
              ['content-type', 'application/json'],
            ],
          },
  );
  expect([ran.sent.length, ran.exit]).toEqual([2, 1]);
});

const looping = 'docs/looping.md';
claim(looping, 'A name that a step keeps ends with its iteration.', async () => {
  await expect(
    steps(
      '  - each: n in [1, 2]\n    steps:\n      - keep: { twice: n * 2 }\n  - show: ${twice}\n',
      always({}),
    ),
  ).rejects.toThrow(/twice/);
});
claim(looping, 'lists in the order of the items', async () => {
  const ran = await runChain(
    'chain: A\nsteps:\n  - each: n in [30, 10, 20]\n    at-once: 3\n    steps:\n      - call: GET kiln /${n}\n        name: one\n    gather: { urls: one.url }\nresults: { urls: urls }\n',
    ({ url }) => ({ after: Number(/\d+$/.exec(url)![0]) }),
    { project: KILN },
  );
  expect(plain(ran.results)).toEqual({ urls: [30, 10, 20].map((n) => `https://kiln.example/v1/${n}`) });
});
claim(looping, 'A loop over more than 100,000 items is refused before it starts', async () => {
  const ran = await steps(
    '  - each: n in range(1, 100001)\n    steps:\n      - call: GET kiln /${n}\n',
    always({}),
  );
  expect([ran.sent.length, ran.exit]).toEqual([0, 3]);
});
claim(
  looping,
  'By default no further iteration begins once one has failed; those under way finish.',
  async () => {
    const ran = await steps(
      '  - each: n in range(1, 9)\n    at-once: 2\n    steps:\n      - call: GET kiln /${n}\n',
      ({ url }) => ({ status: url.endsWith('/3') ? 500 : 200, after: url.endsWith('/4') ? 50 : 10 }),
    );
    expect([
      ran.sent.length,
      ran.of('iteration-ended').filter(({ outcome }) => outcome === 'passed').length,
    ]).toEqual([4, 3]);
  },
);

const credentials = 'docs/credentials/README.md';
const KEYED =
  'services:\n  kiln: { url: "https://kiln.example/v1", as: key }\ncredentials:\n  key: { kind: header, name: Kiln-Key, value: "${secret.key}" }\nsecrets: { key: env KEY }\n';
claim(credentials, 'No redirect and no address out of a response carries it elsewhere', async () => {
  const keyed = { project: KEYED, secrets: { key: 'the-key-of-clay' } };
  const redirected = await steps(
    '  - call: GET kiln /a\n',
    ({ url }) =>
      url.includes('kiln.example')
        ? { status: 302, headers: [['location', 'https://elsewhere.example/b']] }
        : {},
    keyed,
  );
  expect(redirected.sent.map(({ headers }) => headers.some(([name]) => name === 'Kiln-Key'))).toEqual([
    true,
    false,
  ]);
  const paged = await steps(
    '  - call: GET kiln /a\n    as: key\n    pages: { next: $.next, items: $.items }\n',
    () => ({ json: '{"items":[],"next":"https://elsewhere.example/b"}' }),
    keyed,
  );
  expect(paged.sent).toHaveLength(1);
});

claim(looping, 'runs its steps again until a condition holds', async () => {
  const again = (bound: string): Promise<Ran> =>
    steps(
      `  - repeat: { until: "n > 1000", every: 0s, ${bound} }\n    start: { n: "0" }\n    steps:\n      - call: GET kiln /a\n        keep: { n: "n + 1" }\n`,
      always({ after: 1000 }),
    );
  // And ends at its bounds, also where nothing is waited for in between.
  const late = await again('within: 5s');
  expect([late.sent.length, late.of('step-ended').at(-1)!.problem!.code]).toEqual([5, 'bound-reached']);
  const often = await again('within: 1h, up-to: 7');
  expect([often.sent.length, often.of('step-ended').at(-1)!.problem!.code]).toEqual([7, 'bound-reached']);
});
