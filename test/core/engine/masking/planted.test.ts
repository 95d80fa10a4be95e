// Secrets planted in random chains and random responses: none comes out, whatever happens; and none goes to an origin that it is not meant for.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Ports, RunRecord } from '../../../../src/core/ports.ts';
import { RunFold } from '../../../../src/core/record/run-fold.ts';
import { har } from '../../../../src/report/har.ts';
import { json } from '../../../../src/report/json.ts';
import { junit } from '../../../../src/report/junit.ts';
import { markdown } from '../../../../src/report/markdown.ts';
import type { ReportSource } from '../../../../src/report/report-source.ts';
import { leftOf, planted, type Spelling, spelt } from './spellings.ts';
import { type Ran, type Reply, runChain } from '../support.ts';

const FULL = process.env.PROVE !== undefined;

/** All that a run leaves: events, bodies, and each report of it. */
async function everything(
  { events }: Ran,
  kept: ReadonlyMap<string, string | Uint8Array>,
): Promise<string[]> {
  const fold = new RunFold();
  for (const event of events) fold.take(event);
  const source: ReportSource = {
    run: fold.run!,
    bytes: ({ body }) => {
      if (body?.digest === undefined) return body?.text === undefined ? undefined : Buffer.from(body.text);
      const found = kept.get(body.digest);
      return found === undefined ? undefined : Buffer.from(found);
    },
  };
  return [
    JSON.stringify(events),
    ...[...kept.values()].map((body) => Buffer.from(body).toString('latin1')),
    ...[...kept.values()].map((body) => Buffer.from(body).toString()),
    har([source], '0'),
    JSON.stringify(json([source])),
    junit([source]),
    markdown([source]),
  ];
}

/** How a step looks; `K` is the planted secret, `T` a name that was kept of a response. */
const STEPS = [
  'call: POST kiln /a\n    json: { key: "${secret.key}", in: "a ${secret.key} b" }',
  'call: GET kiln /a/${secret.key}',
  'call: GET kiln /a\n    query: { key: "${secret.key}" }',
  'call: POST kiln /a\n    form: { a: "${secret.key}" }',
  'call: POST kiln /a\n    text: "x ${upper(secret.key)} y"',
  'call: POST kiln /a\n    xml: <a>${secret.key}</a>',
  'call: GET kiln /a\n    headers: { A: "${base64(secret.key)}" }',
  'call: GET kiln /a\n    expect: $.echo == 1',
  'call: GET kiln /a\n    expect: [ "$ == 1", "number($.echo) == 2", "$.list == []", "$.echo.deep == 1" ]',
  'call: GET kiln /a\n    keep: { N: hidden($.echo) }\n    show: "it is ${N}"',
  'call: GET kiln /a\n    keep: { N: $.list }\n    show: ${N}',
  'call: GET kiln /a\n    poll: { until: $.echo == 1, while: $.echo != 1, every: 1s, within: 2s }',
  'call: GET kiln /a\n    pages: { next: $.next ?? nothing, items: $.list, up-to: 3 }',
  'call: GET kiln /a\n    retry: { attempts: 2, on: [5xx, no-response] }',
] as const;

interface Planned {
  readonly secret: string;
  readonly steps: readonly (typeof STEPS)[number][];
  readonly responses: readonly Response[];
}

interface Response {
  readonly layers: readonly Spelling[];
  readonly where: 'json' | 'text' | 'html' | 'xml' | 'header' | 'broken' | 'bytes';
  readonly status: number;
  readonly before: number;
  readonly filler: string;
}

const response: fc.Arbitrary<Response> = fc.record({
  layers: fc.array(spelt, { maxLength: 2 }),
  where: fc.constantFrom('json', 'text', 'html', 'xml', 'header', 'broken', 'bytes'),
  status: fc.constantFrom(200, 200, 200, 201, 400, 401, 404, 500, 503),
  before: fc.oneof(
    fc.nat(200),
    fc.integer({ min: 3900, max: 4200 }),
    fc.integer({ min: 8000, max: 100_000 }),
  ),
  filler: fc.constantFrom('x', ' ', '=', '"', '\\', '%', '&', '<'),
});

const plan: fc.Arbitrary<Planned> = fc.record({
  secret: planted,
  steps: fc.array(fc.constantFrom(...STEPS), { minLength: 1, maxLength: 5 }),
  responses: fc.array(response, { minLength: 1, maxLength: 4 }),
});

function replyOf(secret: string, { before, filler, layers, status, where }: Response): [Reply, string] {
  const written = layers.reduce((text, layer) => layer.write(text), secret);
  const echo = `${filler.repeat(before)} ${written} `;
  const list = [written, { [written]: echo, a: echo }];
  const body = JSON.stringify({ echo, list, message: echo, n: 1 });
  const plain = (type: string, text: string): Reply => ({
    status,
    headers: [['content-type', type]],
    body: new TextEncoder().encode(text),
  });
  switch (where) {
    case 'json':
      return [{ status, json: body }, written];
    case 'broken':
      return [{ status, json: `${body.slice(0, -3)} ${written}` }, written];
    case 'text':
      return [plain('text/plain', echo), written];
    case 'html':
      return [plain('text/html', `<html><title>${echo}</title><p>${echo}</p></html>`), written];
    case 'xml':
      return [plain('application/xml', `<a b="${written}">${echo}</a>`), written];
    case 'bytes':
      return [plain('application/octet-stream', `\u0000${echo}`), written];
    case 'header':
      return [
        {
          status,
          json: '{}',
          headers: [
            [
              'x-echo',
              Buffer.from(written)
                .toString('latin1')
                .replace(/[\r\n]/g, ''),
            ],
            ['location', `/next?x=${encodeURIComponent(written)}`],
          ],
        },
        written,
      ];
  }
}

async function runPlan(
  { responses, secret, steps }: Planned,
  around?: (ports: Ports) => Ports,
): Promise<[texts: string[], written: Set<string>]> {
  const kept = new Map<string, string | Uint8Array>();
  const record: RunRecord = {
    keep: (digest, body) => void kept.set(digest, body),
    durable: async () => undefined,
  };
  const written = new Set<string>([secret]);
  const chain = `chain: Test\nsteps:\n${steps
    .map((step, i) => `  - ${step.replaceAll('N', `n${i}`)}\n    name: s${i}\n    on-fail: continue\n`)
    .join('')}`;
  const ran = await runChain(
    chain,
    (_, nth) => {
      const [reply, text] = replyOf(secret, responses[nth % responses.length]!);
      written.add(text);
      return reply;
    },
    {
      project:
        'services:\n  kiln:\n    url: https://kiln.example/v1\n    headers: { Key: "${secret.key}" }\nsecrets: { key: env X }\n',
      secrets: { key: secret },
      ports: { record, sealer: { seal: (text) => `sealed ${text.length}` } },
      allowUnexplained: true,
      ...(around ? { around } : {}),
    },
  );
  return [await everything(ran, kept), written];
}

function leaks(texts: readonly string[], written: ReadonlySet<string>, secret: string): string[] {
  return [...written].flatMap((one) => {
    const length = Math.max(16, Math.ceil((one.length / secret.length) * 6));
    return texts.flatMap((text) => leftOf(text, one, length) || []);
  });
}

// A field holds bytes of Latin-1, so that is where a key of other characters can't stand.
const fits = ({ secret }: Planned): boolean =>
  /^[\u0020-\u007e]+$/.test(secret) && secret.trim() === secret && !/^[./]/.test(secret);

test('no output, record or report of a run holds a planted secret, whatever comes in whatever spelling', async () => {
  await fc.assert(
    fc.asyncProperty(plan.filter(fits), async (planned) => {
      const [texts, written] = await runPlan(planned);
      expect(leaks(texts, written, planned.secret)).toEqual([]);
    }),
    { numRuns: FULL ? 2000 : 40 },
  );
}, 3_600_000);

test('the same where any call of any port fails in a way that nobody has foreseen', async () => {
  await fc.assert(
    fc.asyncProperty(plan.filter(fits), fc.integer({ min: 20, max: 200 }), async (planned, nth) => {
      let calls = 0;
      const [texts, written] = await runPlan(
        planned,
        (ports) =>
          Object.fromEntries(
            Object.entries(ports).map(([name, port]) => [
              name,
              new Proxy(port as object, {
                get: (target, key) => {
                  const value = Reflect.get(target, key) as unknown;
                  if (typeof value !== 'function') return value;
                  return (...args: unknown[]): unknown => {
                    if (++calls === nth) throw new TypeError(`${name}: ${JSON.stringify(planned.secret)}`);
                    return (value as (...all: unknown[]) => unknown).apply(target, args);
                  };
                },
              }),
            ]),
          ) as unknown as Ports,
      );
      expect(leaks(texts, written, planned.secret)).toEqual([]);
    }),
    { numRuns: FULL ? 2000 : 40 },
  );
}, 3_600_000);

/** Four origins; each has a service with a credential of its own, the last two share one. */
const ORIGINS = [
  'https://a.example',
  'https://b.example',
  'https://c.example:8443',
  'https://c.example:9443',
] as const;
const NAMES = ['a', 'b', 'c', 'd'] as const;
const PROJECT = `services:
  a: { url: "https://a.example", as: ka, headers: { X-Svc: "\${secret.sa}" } }
  b: { url: "https://b.example", as: kb }
  c: { url: "https://c.example:8443", as: kc }
  d: { url: "https://c.example:9443", as: kc }
credentials:
  ka: { kind: bearer, token: "\${secret.ka}" }
  kb: { kind: header, name: X-Key, value: "\${secret.kb}", origins: ["https://c.example:8443"] }
  kc: { kind: basic, user: anna, password: "\${secret.kc}" }
secrets: { ka: env A, kb: env B, kc: env C, sa: env S }
`;
const SECRETS = {
  ka: 'key-of-a-0123456789',
  kb: 'key-of-b-0123456789',
  kc: 'key-of-c-0123456789',
  sa: 'field-of-a-01234567',
};
/** To which origins each may go, besides where a step names the host itself. */
const MEANT: Readonly<Record<keyof typeof SECRETS, readonly number[]>> = {
  ka: [0],
  kb: [1, 2],
  kc: [2, 3],
  sa: [0],
};

interface Hop {
  readonly service: number;
  readonly as: 'ka' | 'kb' | 'kc' | 'nobody' | undefined;
  readonly how: 'redirect' | 'pages' | 'poll' | 'inserted';
  readonly to: number;
  readonly status: 301 | 302 | 303 | 307 | 308;
  readonly body: boolean;
}

const hop: fc.Arbitrary<Hop> = fc.record({
  service: fc.nat(3),
  as: fc.constantFrom('ka' as const, 'kb' as const, 'kc' as const, 'nobody' as const, undefined, undefined),
  how: fc.constantFrom('redirect' as const, 'pages' as const, 'poll' as const, 'inserted' as const),
  to: fc.nat(3),
  status: fc.constantFrom(301, 302, 303, 307, 308),
  body: fc.boolean(),
});

test('redirects, pages, polls and inserted addresses over four origins: no origin sees a secret that is not its own', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(hop, { minLength: 1, maxLength: 5 }), async (hops) => {
      const steps = hops.map(({ as, body, how, service }, i) => {
        const name = NAMES[service]!;
        const more = [
          ...(as === undefined ? [] : [`    as: ${as}\n`]),
          '    on-fail: continue\n',
          ...(how === 'pages'
            ? ['    pages: { next: $.next ?? nothing, items: $.items, up-to: 3, enough: yes }\n']
            : []),
          ...(how === 'poll'
            ? ['    poll: { at: headers.location, until: $.done == true, every: 1s, within: 3s }\n']
            : []),
          // What this call is authorised with may be in what it sends, too.
          ...(body && how !== 'pages' ? [`    json: { token: "\${token${i}}" }\n`] : []),
          `    headers: { X-Kept: "\${token${i}}" }\n`,
        ].join('');
        const method = body || how === 'poll' ? 'POST' : 'GET';
        const first = `  - call: GET ${name} /token/${service}\n    keep: { token${i}: $.access_token, next${i}: $.next }\n`;
        return how === 'inserted'
          ? `${first}  - call: ${method} ${name} \${next${i}}\n${more}`
          : `${first}  - call: ${method} ${name} /${how}/${i}\n${more}`;
      });
      const seen: string[][] = ORIGINS.map(() => []);
      // Where a step names the host itself, its credential may go; what is named is what it calls.
      const named = Object.fromEntries(
        Object.entries(MEANT).map(([key, origins]) => [key, new Set(origins)]),
      ) as Record<string, Set<number>>;
      for (const { as, service } of hops) if (as !== undefined && as !== 'nobody') named[as]!.add(service);
      let token = -1;
      await runChain(
        `chain: Test\nsteps:\n${steps.join('')}`,
        ({ body, headers, url }) => {
          const { origin, pathname } = new URL(url);
          const at = ORIGINS.indexOf(origin as (typeof ORIGINS)[number]);
          seen[at]!.push(
            JSON.stringify([url, headers, body instanceof Uint8Array ? Buffer.from(body).toString() : '']),
          );
          if (pathname.startsWith('/token/')) {
            token++;
            return {
              json: JSON.stringify({
                access_token: `token-of-${NAMES[at]!}-${token}-0123456789`,
                next: `${ORIGINS[hops[token % hops.length]!.to]!}/elsewhere`,
              }),
              headers: [['set-cookie', `session=cookie-of-${NAMES[at]!}-0123456789; Path=/`]],
            };
          }
          const [, how, nth] = /^\/(\w+)\/(\d+)/.exec(pathname) ?? [];
          const { status = 302, to = 0 } = hops[Number(nth)] ?? {};
          const next = `${ORIGINS[to]!}/elsewhere`;
          if (how === 'redirect') return { status, headers: [['location', next]] };
          if (how === 'poll') return { status: 202, headers: [['location', next]], json: '{"done": false}' };
          if (how === 'pages') return { json: JSON.stringify({ items: [1], next }) };
          return { json: '{"items": [1], "done": true}' };
        },
        { project: PROJECT, secrets: SECRETS, allowUnexplained: true },
      );
      seen.forEach((requests, at) => {
        const told = requests.join('\n');
        for (const [name, secret] of Object.entries(SECRETS)) {
          if (named[name]!.has(at)) continue;
          const basic = Buffer.from(`anna:${secret}`).toString('base64');
          expect([name, ORIGINS[at], told.includes(secret) || told.includes(basic)]).toEqual([
            name,
            ORIGINS[at],
            false,
          ]);
        }
        for (const [i, name] of NAMES.entries()) {
          if (i === at) continue;
          expect([ORIGINS[at], told.includes(`cookie-of-${name}-`)]).toEqual([ORIGINS[at], false]);
          expect([ORIGINS[at], told.includes(`token-of-${name}-`)]).toEqual([ORIGINS[at], false]);
        }
      });
    }),
    { numRuns: FULL ? 2000 : 200 },
  );
}, 3_600_000);
