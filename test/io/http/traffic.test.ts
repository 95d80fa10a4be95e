// The ledger of budgets, files of rows, and the listener for callbacks, for real.
import { expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ValueObject } from '../../../src/core/language/values.ts';
import type { ArrivedRequest } from '../../../src/core/ports.ts';
import { CallbackListener } from '../../../src/io/callbacks.ts';
import { BudgetLedger } from '../../../src/io/budget-ledger.ts';
import { localRows } from '../../../src/io/files/rows.ts';
import { batharon, folderWith } from '../../cli/support.ts';

const DAY = 86_400_000;

test('takes at the same time are counted once each, and never beyond the limit', async () => {
  const folder = folderWith({});
  const ledgers = [1, 2, 3, 4].map(() => new BudgetLedger(folder));
  const taken = await Promise.all(
    ledgers.flatMap((ledger) => Array.from({ length: 8 }, () => ledger.take('kiln', 0, 50, 2))),
  );
  expect(taken.reduce((sum, one) => sum + one)).toBe(50);
  expect(await ledgers[0]!.used('kiln', 0)).toBe(50);
  await ledgers[1]!.giveBack('kiln', 0, 3);
  expect(await ledgers[2]!.take('kiln', 0, 50, 10)).toBe(3);
  // Another period, also an earlier one of a clock that jumped back, has a count of its own.
  expect(await ledgers[0]!.take('kiln', DAY, 50, 10)).toBe(10);
  expect(await ledgers[0]!.take('kiln', 0, 50, 10)).toBe(0);
});

test('a lock that a killed process left is broken, and a garbled ledger is said', async () => {
  const folder = folderWith({});
  mkdirSync(join(folder, '.batharon', 'budgets.json.lock'), { recursive: true });
  expect(await new BudgetLedger(folder).take('kiln', 0, 5, 1)).toBe(1);
  writeFileSync(join(folder, '.batharon', 'budgets.json'), '{"version": 1, "budg');
  await expect(new BudgetLedger(folder).take('kiln', 0, 5, 1)).rejects.toMatchObject({
    problem: { code: 'ledger-unreadable', message: expect.stringContaining('budgets.json') as unknown },
  });
});

test('two processes share a budget, one of them killed', async () => {
  const folder = folderWith({
    'batharon.yaml': 'services: { kiln: { url: "http://127.0.0.1:9", pace: { budget: 40 per day } } }\n',
    'a.chain.yaml':
      'chain: A\nsteps:\n  - repeat: { until: "1 == 2", up-to: 500 }\n    steps:\n      - call: GET kiln /a\n        on-fail: continue\n',
  });
  const program = new URL('../../../bin/batharon.cjs', import.meta.url).pathname;
  const killed = spawn(process.execPath, [program, 'run'], {
    cwd: folder,
    stdio: 'ignore',
    env: { PATH: process.env.PATH, HOME: folder },
  });
  const other = batharon(folder, ['run', '--json'], { env: { HOME: folder } });
  const ledger = join(folder, '.batharon', 'budgets.json');
  while (!existsSync(ledger)) await new Promise((resolve) => setTimeout(resolve, 5));
  killed.kill('SIGKILL');
  const { code, stdout } = await other;
  const sent = stdout.split('\n').filter((line) => line.startsWith('{"event":"request-sent"')).length;
  expect([code, stdout]).toEqual([3, expect.stringContaining('"budget-used-up"')]);
  expect(sent).toBeLessThanOrEqual(40);
  const { budgets } = JSON.parse(readFileSync(ledger, 'utf8')) as {
    budgets: Record<string, { used: number }>;
  };
  expect(Object.values(budgets).map(({ used }) => used)).toEqual([40]);
});

test.each<[string, string]>([
  ['rows.csv', 'id,name\n1,"a ""b"", c"\n2,\n'],
  ['rows.jsonl', '{"id": "1", "name": "a \\"b\\", c"}\n\n{"id": "2", "name": ""}\n'],
  ['rows.json', '[{"id": "1", "name": "a \\"b\\", c"}, {"id": "2", "name": ""}]'],
])('rows of %s', async (name, text) => {
  const folder = folderWith({ [name]: text });
  const source = await localRows.open(name, join(folder, 'a.chain.yaml'));
  const rows: ValueObject[] = [];
  for (;;) {
    const row = await source.next();
    if (!row) break;
    rows.push(row);
  }
  await source.close();
  expect(rows).toEqual([
    { id: '1', name: 'a "b", c' },
    { id: '2', name: '' },
  ]);
});

test.each<[string, string, RegExp]>([
  ['a.csv', 'id,name\n1\n', /can't be read: .*(?:column|record)/i],
  ['b.csv', 'id,id\n1,2\n', /the column id occurs twice in its first row/],
  ['c.jsonl', '{"id": 1}\n[2]\n', /c\.jsonl:2 can't be read: a row is an object/],
  ['d.json', '{"id": 1}', /it is no list of objects/],
])("rows that can't be read: %s", async (name, text, message) => {
  const folder = folderWith({ [name]: text });
  const reading = async (): Promise<void> => {
    const source = await localRows.open(name, join(folder, 'a.chain.yaml'));
    while (await source.next());
  };
  await expect(reading()).rejects.toThrow(message);
  await expect(localRows.open('none.csv', join(folder, 'a.chain.yaml'))).rejects.toThrow(/no file none\.csv/);
});

test('rows in a run: kinds of columns, what is wrong by row and column, more than once over one file', async () => {
  const chain = `chain: Rows
inputs:
  pieces: { kind: rows, columns: { cone: number, glazed: yes-no } }
steps:
  - each: row, i in pieces
    at-once: 3
    steps:
      - keep: { higher: row.cone + 1 }
    gather: { all: "{ id: row.id, cone: higher, glazed: row.glazed, i: i }" }
  - each: row in pieces
    steps:
      - show: \${row.id}
results: { all: all }
`;
  const good = 'id,cone,glazed\np1,6,yes\np2,7,no\n';
  const folder = folderWith({ 'a.chain.yaml': chain, 'good.csv': good, 'bad.csv': good + 'p3,high,no\n' });
  const { code, stdout, stderr } = await batharon(folder, ['run', '--give', 'pieces=good.csv']);
  expect([code, JSON.parse(stdout)]).toEqual([
    0,
    {
      all: [
        { id: 'p1', cone: 7, glazed: true, i: 0 },
        { id: 'p2', cone: 8, glazed: false, i: 1 },
      ],
    },
  ]);
  expect(stderr).toMatch(/shows\s+p2/);
  const bad = await batharon(folder, ['run', '--give', 'pieces=bad.csv']);
  expect([bad.code, bad.stderr]).toEqual([
    1,
    expect.stringMatching(/row 3 of pieces, column cone: 'high' is not a number/),
  ]);
  const elsewhere = folderWith({
    'a.chain.yaml': 'chain: A\ninputs: { pieces: { kind: rows } }\nsteps:\n  - show: ${length(pieces)}\n',
  });
  expect((await batharon(elsewhere, ['check'])).stderr).toMatch(/pieces is read row by row, by each only/);
});

test('the listener: an address of its own for each, a body bounded, a port that is taken', async () => {
  const listener = new CallbackListener();
  const arrived: ArrivedRequest[] = [];
  const opened = await listener.open(async (request) => {
    arrived.push(request);
    return 204;
  });
  const { url } = opened;
  const other = await listener.open(async () => 204);
  expect(new URL(url).pathname).not.toBe(new URL(other.url).pathname);
  const response = await fetch(`${url}/more?a=1`, { method: 'PUT', body: 'text' });
  expect([
    response.status,
    arrived[0]!.method,
    arrived[0]!.url,
    Buffer.from(arrived[0]!.body).toString(),
  ]).toEqual([204, 'PUT', `${url}/more?a=1`, 'text']);
  expect((await fetch(new URL('/0123456789abcdef01234567', url))).status).toBe(404);
  opened.close();
  expect((await fetch(url)).status).toBe(404);
  const port = Number(new URL(url).port);
  await expect(new CallbackListener({ host: '127.0.0.1', port }).open(async () => 204)).rejects.toMatchObject(
    {
      problem: { code: 'listener-failed' },
    },
  );
  const elsewhere = new CallbackListener({
    host: '127.0.0.1',
    port: 0,
    publicUrl: 'https://desk.example/hooks/',
  });
  expect((await elsewhere.open(async () => 204)).url).toMatch(
    /^https:\/\/desk\.example\/hooks\/[0-9a-f]{24}$/,
  );
  await listener.close();
  await elsewhere.close();
});
