// Responses that come bit by bit: what ends them, what bounds them, and what happens where they break off.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
// The parser of another program, which is the judge here.
import { EventSourceStream } from 'undici/lib/web/eventsource/eventsource-stream.js';
import type { RunEvent } from '../../../../src/core/events.ts';
import type { HeaderList } from '../../../../src/core/ports.ts';
import { KILN, plain, type Ran, type Reply, runChain, type RunSetting } from '../support.ts';

const EVENTS: HeaderList = [['content-type', 'text/event-stream']];

/** Runs a call that streams; the lines stand below `stream`. */
function streamed(
  stream: string,
  reply: Reply | ((nth: number, headers: Map<string, string>) => Reply),
  { call = 'GET kiln /events', more = '', ...setting }: RunSetting & { call?: string; more?: string } = {},
): Promise<Ran> {
  const keys = stream === '' ? '{}' : `\n${stream.replace(/^/gm, '      ')}`;
  return runChain(
    `chain: Test
steps:
  - call: ${call}
    name: heat
    stream: ${keys}
${more.replace(/^/gm, '    ')}
    keep:
      all: $
      count: received
results:
  all: all
  count: count
`,
    (request, nth) =>
      typeof reply === 'function'
        ? reply(nth, new Map(request.headers.map(([name, value]) => [name.toLowerCase(), value])))
        : reply,
    { project: KILN, ...setting },
  );
}

const event = (nth: number, kind = 'heating'): string => `id: ${nth}\nevent: ${kind}\ndata: ${nth}\n\n`;
const problemOf = ({ of }: Ran): [string | undefined, string | undefined] => {
  const problem = of('step-ended').find((one) => one.problem)?.problem;
  return [problem?.code, problem?.message];
};
const secondsOf = ({ events }: Ran): number => (events.at(-1)!.at - events[0]!.at) / 1000;

describe('what ends a stream', () => {
  test('its condition: the connection is closed, however much would still come', async () => {
    const ran = await streamed("until: item.event == 'done'", {
      headers: EVENTS,
      pieces: [
        [100, event(1)],
        [100, `${event(2, 'done')}${event(3)}`],
      ],
      then: 'hangs',
    });
    expect(ran.exit).toBe(0);
    expect(plain(ran.results)).toEqual({
      all: [
        { data: '1', event: 'heating', id: '1' },
        { data: '2', event: 'done', id: '2' },
      ],
      count: 2,
    });
    expect(ran.of('response-received')[0]).toMatchObject({
      status: 200,
      body: { type: 'text/event-stream' },
    });
    expect(ran.of('item-received').map(({ nth, item }) => [nth, item])).toEqual([
      [1, 'heating: 1'],
      [2, 'done: 2'],
    ]);
  });

  test('without a condition the end of the response', async () => {
    const ran = await streamed('', {
      headers: [['content-type', 'application/x-ndjson']],
      pieces: [
        [10, '{"id":12345678901234567890}\n\n{"a":'],
        [10, '1.10}'],
      ],
    });
    expect(ran.exit).toBe(0);
    expect(JSON.stringify(plain(ran.results))).toContain('"count":2');
    expect(ran.of('item-received').map(({ item }) => item)).toEqual([
      '{"id": 12345678901234567890}',
      '{"a": 1.10}',
    ]);
  });

  test.each([
    [
      'ends',
      undefined,
      'stream-ended',
      "the response ended before item.event == 'done' held; 2 items came, the newest heating: 2",
    ],
    ['breaks off', 'breaks', 'connection-reset', 'it broke off'],
    ['falls silent', 'hangs', 'stream-silent', 'nothing came for 2s; 2 items came, the newest heating: 2'],
  ] as const)(
    'a response that %s before it held is a failure that says what came',
    async (_, then, code, message) => {
      const ran = await streamed("until: item.event == 'done'\nquiet: 2s", {
        headers: EVENTS,
        pieces: [[100, `${event(1)}${event(2)}`]],
        ...(then ? { then } : {}),
      });
      expect([ran.exit, ...problemOf(ran)]).toEqual([code === 'connection-reset' ? 3 : 1, code, message]);
      // What came is recorded, whatever broke it off.
      const came = ran.of('response-received')[0]?.body ?? ran.of('request-failed')[0]?.partial?.body;
      expect(came?.text).toContain('id: 2');
    },
  );

  test('what until speaks of may be in none of the items, and then that is said', async () => {
    const ran = await streamed('until: item.state == 1\nwithin: 1s', {
      headers: [['content-type', 'application/jsonl']],
      pieces: [[1, '{"status":1}\n{"status":2}\n']],
      then: 'hangs',
    });
    expect(problemOf(ran)).toEqual([
      'stream-out-of-time',
      'item.state == 1 did not hold within 1s; 2 items came, the newest {"status": 2}; until found nothing in any of them',
    ]);
  });

  test.each([
    ['within: 3s', 3],
    ['quiet: 2s\nwithin: 9s', 2.5],
    ['up-to: 3', 0.3],
  ])('%s is enough where that is said, and a failure where not', async (bound, seconds) => {
    const endless: Reply = {
      headers: EVENTS,
      pieces: Array.from({ length: bound.startsWith('up-to') ? 9 : 5 }, (_, i) => [100, event(i)] as const),
      then: 'hangs',
    };
    const enough = await streamed(`${bound}\nenough: yes`, endless);
    expect([enough.exit, secondsOf(enough)]).toEqual([0, seconds]);
    expect(plain(enough.results)).toMatchObject({ count: bound.startsWith('up-to') ? 3 : 5 });
    const failing = await streamed(bound, endless);
    expect([failing.exit, problemOf(failing)[0]]).toEqual(
      bound.startsWith('up-to')
        ? [3, 'bound-reached']
        : [1, bound.startsWith('within') ? 'stream-out-of-time' : 'stream-silent'],
    );
  });

  test('as many as up-to says are no failure', async () => {
    const ran = await streamed('up-to: 2', { headers: EVENTS, pieces: [[1, event(1) + event(2)]] });
    expect([ran.exit, plain(ran.results)]).toMatchObject([0, { count: 2 }]);
  });

  test('timeout is the time until the response begins, and ends no stream that has begun', async () => {
    const pieces = Array.from({ length: 8 }, (_, i) => [1000, event(i)] as const);
    const slow = { headers: EVENTS, pieces };
    expect((await streamed('', slow, { more: 'timeout: 3s' })).exit).toBe(0);
    const late = await streamed('', { ...slow, after: 5000 }, { more: 'timeout: 3s' });
    expect(problemOf(late)[0]).toBe('time-limit');
  });

  test('only the newest are held, and all are counted', async () => {
    const ran = await streamed('newest: 3', {
      headers: EVENTS,
      pieces: Array.from({ length: 5000 }, (_, i) => [0, event(i)] as const),
    });
    const { all, count } = plain(ran.results) as { all: { data: string }[]; count: number };
    expect([count, all.map(({ data }) => data)]).toEqual([5000, ['4997', '4998', '4999']]);
    const meanwhile = await streamed('newest: 3\nuntil: length(gathered) > 3', {
      headers: EVENTS,
      pieces: [[1, [1, 2, 3, 4, 5].map((nth) => event(nth)).join('')]],
    });
    expect(problemOf(meanwhile)[0]).toBe('stream-ended');
    // Of many only the first are told one by one.
    expect(ran.of('item-received').length).toBe(1000);
  });
});

describe('what is no stream', () => {
  test('an error is read whole', async () => {
    const ran = await streamed('', { status: 503, json: '{"message":"the kiln is closed"}' });
    expect(problemOf(ran)[1]).toContain('the kiln is closed');
  });

  test.each([
    [
      'text/html',
      '<html><title>Hello</title>',
      'a stream of events or lines was expected, and came text/html',
    ],
    ['application/x-ndjson', '{"a":1}\n{"a":\n', 'line 2: '],
    ['application/x-ndjson', Buffer.from([0x22, 0xff, 0x22, 0x0a]), 'bytes that are not UTF-8'],
  ])('%s is not what it should be', async (type, body, said) => {
    const ran = await streamed('', { headers: [['content-type', type]], pieces: [[1, body]] });
    expect(problemOf(ran)[0]).toBe('response-not-as-typed');
    expect(problemOf(ran)[1]).toContain(said);
  });

  test('an interruption ends it, and what came stays', async () => {
    const ran = await streamed(
      '',
      { headers: EVENTS, pieces: [[0, event(1)]], then: 'hangs' },
      { interruptAt: 1 },
    );
    expect(ran.exit).toBe(130);
    expect(ran.of('request-failed')[0]).toMatchObject({
      problem: { code: 'interrupted' },
      partial: { status: 200 },
    });
  });
});

describe('a stream of events that breaks off', () => {
  const course =
    (each: number, then: Reply['then'], asked: (string | undefined)[]) =>
    (_: number, headers: Map<string, string>): Reply => {
      const last = headers.get('last-event-id');
      asked.push(last);
      const from = Number(last ?? 0);
      const ids = Array.from({ length: each }, (_, i) => from + i + 1);
      const text = ids.map((id) => event(id, id >= 7 ? 'done' : 'heating')).join('');
      return { headers: EVENTS, pieces: [[1000, `retry: 500\n\n${text}`]], ...(then ? { then } : {}) };
    };

  test.each([undefined, 'breaks'] as const)(
    'is connected to again from the last event on, after the time that it says (it %s)',
    async (then) => {
      const asked: (string | undefined)[] = [];
      const ran = await streamed("until: item.event == 'done'", course(3, then, asked), {
        more: 'retry:\n  attempts: 5',
      });
      expect([ran.exit, asked]).toEqual([0, [undefined, '3', '6']]);
      expect(plain(ran.results)).toMatchObject({ count: 7 });
      expect(ran.of('waiting').map((one) => [one.for, one.why])).toEqual([
        [500, 'retry'],
        [500, 'retry'],
      ]);
    },
  );

  test('not more often than retry says, and never where it is not safe', async () => {
    const asked: (string | undefined)[] = [];
    const often = await streamed("until: item.event == 'never'", course(1, 'breaks', asked), {
      more: 'retry:\n  attempts: 3',
    });
    expect([problemOf(often)[0], asked.length]).toEqual(['connection-reset', 3]);
    const posted: (string | undefined)[] = [];
    const post = await streamed("until: item.event == 'done'", course(1, 'breaks', posted), {
      call: 'POST kiln /events',
      more: 'retry:\n  attempts: 3\nrepeatable: yes',
    });
    expect([problemOf(post)[0], posted.length]).toEqual(['connection-reset', 1]);
  });

  test('a retry on what the response says does not begin it anew', async () => {
    const ran = await streamed(
      "until: item.event == 'done'",
      { headers: EVENTS, pieces: [[1, event(1, 'done')]], then: 'hangs' },
      { more: 'retry:\n  attempts: 3\n  when: length($) == 1' },
    );
    expect([ran.exit, ran.sent.length]).toEqual([0, 1]);
  });

  test('204 says that there is nothing more to come', async () => {
    const ran = await streamed(
      "until: item.event == 'done'",
      (nth) => (nth === 0 ? { headers: EVENTS, pieces: [[1, event(1)]] } : { status: 204, pieces: [] }),
      { more: 'retry:\n  attempts: 9' },
    );
    expect([problemOf(ran)[0], ran.sent.length]).toEqual(['stream-ended', 2]);
  });

  test('within bounds the reconnections as well', async () => {
    const ran = await streamed("until: item.event == 'never'\nwithin: 10s", course(1, 'breaks', []), {
      more: 'retry:\n  attempts: 1000',
    });
    expect([problemOf(ran)[0], secondsOf(ran)]).toEqual(['stream-out-of-time', 10]);
  });
});

test('a reconnection that brings something else than events is refused', async () => {
  const ran = await streamed(
    "until: item.event == 'done'",
    (nth) => ({ headers: nth === 0 ? EVENTS : [['content-type', 'text/plain']], pieces: [[1, event(1)]] }),
    { more: 'retry:\n  attempts: 9' },
  );
  expect(problemOf(ran)[1]).toContain('its reconnection brought text/plain; before it 1 item came');
});

test('what has come will do, also where it broke off and the time is up before the next connection', async () => {
  const ran = await streamed(
    "until: item.event == 'never'\nwithin: 5s\nenough: yes",
    { headers: EVENTS, pieces: [[1000, `retry: 60000\n\n${event(1)}`]], then: 'breaks' },
    { more: 'retry:\n  attempts: 9' },
  );
  expect([ran.exit, plain(ran.results)]).toMatchObject([0, { count: 1 }]);
});

test('events whose lines come in many pieces count as long as they are', async () => {
  const piece = `data: ${'x'.repeat(1024 * 1024)}\n`;
  const pieces = Array.from({ length: 9 }, () => [
    ...Array.from({ length: 8 }, () => [0, piece] as const),
    [0, '\n'] as const,
  ]).flat();
  const ran = await streamed('', { headers: EVENTS, pieces });
  expect(problemOf(ran)[0]).toBe('body-too-large');
});

test.each([180, 185, 190, 195])(
  'a secret at the end of what is told of an item (from %d on) is told in no part',
  async (at) => {
    const secret = 'ember-7f3a-quiet-1999';
    const project = `${KILN}    headers:\n      Kiln-Key: \${secret.desk}\nsecrets:\n  desk: env DESK\n`;
    const text = `${'-'.repeat(at)}${secret}${'-'.repeat(300)}`;
    const { events } = await streamed(
      '',
      { headers: EVENTS, pieces: [[1, `data: ${text}\n\ndata: ${text.slice(0, at + 12)}`]], then: 'breaks' },
      { project, secrets: { desk: secret } },
    );
    expect(JSON.stringify(events)).not.toMatch(/ember-/);
  },
);

describe('a text that is shown while it comes', () => {
  const words = (pieces: readonly string[]): Reply => ({
    headers: EVENTS,
    pieces: pieces.map((text) => [100, `data: ${JSON.stringify({ text })}\n\n`] as const),
  });
  const live = 'live: ${parse(item.data).text}';
  const shown = ({ events }: { events: readonly RunEvent[] }): string[] =>
    events.flatMap((one) => (one.event === 'text-received' ? [one.text] : []));

  test('grows with each item', async () => {
    expect(shown(await streamed(live, words(['Cone ', '6 ', 'suits'])))).toEqual([
      'Cone ',
      'Cone 6 ',
      'Cone 6 suits',
    ]);
  });

  test('never shows a secret, not even one that comes in pieces', async () => {
    const secret = 'ember-7f3a-quiet-1999';
    const project = `${KILN}    headers:\n      Kiln-Key: \${secret.desk}\nsecrets:\n  desk: env DESK\n`;
    await fc.assert(
      fc.asyncProperty(fc.array(fc.nat(secret.length), { maxLength: 8 }), async (cuts) => {
        const text = `the key is ${secret}, keep it`;
        const at = [...new Set(cuts)].sort((a, b) => a - b).map((cut) => cut + 11);
        const pieces = [0, ...at].map((from, i) => text.slice(from, at[i] ?? text.length));
        const ran = await streamed(live, words(pieces), { project, secrets: { desk: secret } });
        expect(shown(ran).at(-1)).toBe('the key is ‹secret desk›, keep it');
        // Not even its first characters.
        for (const one of shown(ran)) expect('the key is ‹secret desk›, keep it'.startsWith(one)).toBe(true);
      }),
      { numRuns: 60 },
    );
  });

  test('is warned about where no item gives one', async () => {
    const ran = await streamed('live: ${parse(item.data).word}', words(['a']));
    expect(ran.of('warning').map(({ code }) => code)).toContain('live-empty');
  });
});

// https://html.spec.whatwg.org/multipage/server-sent-events.html#event-stream-interpretation
describe('events are those that another parser finds', () => {
  // Of an event field without a value the judge keeps the one before, where the standard has it emptied; so it gets none.
  const line = fc.oneof(
    fc.constantFrom(
      '',
      ': ping',
      'data',
      'data:',
      'data:  two',
      'event: fired',
      'id: 4',
      'id',
      'id: \0',
      'retry: 10',
      'retry: x',
      'daten: 1',
      'data: kiln 窯 🔥',
    ),
    fc.string({ maxLength: 12 }).map((text) => `data: ${text.replace(/[\r\n]/g, '')}`),
  );
  const text = fc
    .array(fc.tuple(line, fc.constantFrom('\n', '\r\n', '\r')), { maxLength: 24 })
    .map((lines) => lines.flat().join(''))
    // Its CR at the end of a piece may be half of an end of line; both read a line that ends so at once only later.
    .map((whole) => `${whole}\n`);

  async function found(bytes: Buffer): Promise<unknown[]> {
    const events: unknown[] = [];
    const state = { lastEventId: '', origin: 'https://kiln.example', reconnectionTime: 0 };
    const stream = new EventSourceStream({
      eventSourceSettings: state,
      push: (event) => {
        if (event) events.push([event.type, event.options.data]);
      },
    });
    await new Promise<void>((resolve, reject) => {
      stream.write(bytes, (error) => (error ? reject(error) : resolve()));
    });
    return events;
  }

  test('wherever they are cut', async () => {
    await fc.assert(
      fc.asyncProperty(text, fc.array(fc.nat(200), { maxLength: 6 }), async (whole, cuts) => {
        const bytes = Buffer.from(whole);
        const at = [...new Set(cuts)].filter((cut) => cut < bytes.length).sort((a, b) => a - b);
        const pieces = [0, ...at].map((from, i) => [0, bytes.subarray(from, at[i] ?? bytes.length)] as const);
        const ran = await streamed('', { headers: EVENTS, pieces });
        const { all } = plain(ran.results) as { all: { data: string; event?: string }[] };
        expect(all.map((one) => [one.event ?? 'message', one.data])).toEqual(await found(bytes));
      }),
      { numRuns: 150 },
    );
  });

  test('at every byte', async () => {
    const bytes = Buffer.from('id: 1\r\nevent: fired\rdata: 窯\ndata: 🔥\r\n\r\ndata: b\r\rdata: lost');
    const pieces = [...bytes].map((_, i) => [0, bytes.subarray(i, i + 1)] as const);
    const ran = await streamed('', { headers: EVENTS, pieces });
    expect(plain(ran.results)).toEqual({
      all: [{ data: '窯\n🔥', event: 'fired', id: '1' }, { data: 'b' }],
      count: 2,
    });
  });
});
