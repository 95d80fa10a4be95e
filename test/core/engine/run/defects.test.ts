import { expect, test } from '@jest/globals';
import type { Ports } from '../../../../src/core/ports.ts';
import { KILN, runChain } from '../support.ts';

const SECRET = 'planted-secret-4711';

const CHAIN = `chain: Test
steps:
  - call: POST kiln /pieces
    name: piece
    as: desk
    headers: { Key: "\${secret.key}" }
    keep:
      id: $.id
      token: hidden($.token)
      made: now()
      lot: uuid()
      sum: hex(digest($.id, 'sha-256'))
    undo:
      - call: DELETE kiln /pieces/\${id}
  - each: x in [1, 2]
    at-once: 2
    steps:
      - call: GET kiln /a/\${x}
        retry: { attempts: 2 }
  - call: GET kiln /file
    save: a.bin
  - wait: 1s
  - name: row
    write: { to: rows.csv, row: { id: "\${id}" } }
cleanup:
  - call: GET kiln /cleanup
results: { id: id }
`;

/** Ports of which the nth call of all fails in a way that nobody has foreseen, with a secret in what it says. */
function faulty(ports: Ports, nth: number, met: (name: string) => void): Ports {
  let calls = 0;
  const around = (port: object, name: string): object =>
    new Proxy(port, {
      get: (target, key) => {
        const value = Reflect.get(target, key) as unknown;
        if (typeof value !== 'function') return value;
        return (...args: unknown[]): unknown => {
          if (++calls === nth) {
            met(`${name}.${String(key)}`);
            throw new TypeError(`cannot read properties of ${SECRET}`);
          }
          return (value as (...all: unknown[]) => unknown).apply(target, args);
        };
      },
    });
  return Object.fromEntries(
    Object.entries(ports).map(([name, port]) => [name, around(port as object, name)]),
  ) as unknown as Ports;
}

test('a defect at any call of any port is a failure like others: what was made is taken back, no secret is shown', async () => {
  const seen = new Set<string>();
  for (let nth = 1; ; nth++) {
    let at: string | undefined;
    const { exit, events, sent, of } = await runChain(
      CHAIN,
      ({ method, url }) =>
        method === 'POST'
          ? {
              status: 201,
              json: `{"id": "p-1", "token": "${SECRET}-2"}`,
              headers: [['set-cookie', 'sid=0123456789abcdef']],
            }
          : { json: url.endsWith('/file') ? '"x"' : '{}' },
      {
        project: `${KILN}credentials: { desk: { kind: bearer, token: "\${secret.key}" } }\nsecrets: { key: env X }\n`,
        secrets: { key: SECRET },
        files: {
          open: () => Promise.reject(new Error('no files here')),
          create: async () => ({
            write: async () => undefined,
            commit: async () => undefined,
            discard: async () => undefined,
          }),
        },
        ports: {
          rows: {
            open: () => Promise.reject(new Error('none')),
            write: async () => ({ change: 'added', nth: 1 }),
          },
          record: { keep: () => undefined, durable: async () => undefined },
          sealer: { seal: (text) => `sealed ${text.length}` },
        },
        around: (ports) => faulty(ports, nth, (name) => (at = name)),
        allowUnexplained: true,
      },
    );
    if (at === undefined) {
      expect(exit).toBe(0);
      break;
    }
    seen.add(at);
    const told = JSON.stringify(events);
    expect([at, nth, exit, events.filter(({ event }) => event === 'run-ended').length]).toEqual([
      at,
      nth,
      4,
      1,
    ]);
    // Before the secret is fetched nobody can know that it is one.
    if (of('step-began').length > 0) expect([at, nth, told.includes(SECRET)]).toEqual([at, nth, false]);
    // What reached the service is taken back, unless just that is what failed.
    const made = of('response-received').some(({ step, status }) => step === 'piece' && status === 201);
    const passed = of('step-ended').some(({ step, outcome }) => step === 'piece' && outcome === 'passed');
    const undoing = of('step-ended').some(
      ({ step, problem }) => /undo/.test(step) && problem?.code === 'defect',
    );
    if (made && passed && !undoing)
      expect([at, nth, sent.some(({ method }) => method === 'DELETE')]).toEqual([at, nth, true]);
  }
  for (const name of [
    'transport.send',
    'clock.timer',
    'chance.next',
    'secrets.get',
    'credentials.authorise',
    'cookies.store',
  ])
    expect([...seen]).toContain(name);
}, 120_000);
