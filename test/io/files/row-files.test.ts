// Rows that chains write into files: other rows keep their bytes, each row is there once, whoever writes at the same time.
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { parseJson } from '../../../src/core/language/json.ts';
import { objectOf, type ValueObject } from '../../../src/core/language/values.ts';
import { putRow } from '../../../src/io/files/row-files.ts';
import { localRows } from '../../../src/io/files/rows.ts';
import { readTable } from '../../../src/io/files/row-tables.ts';
import { batharon, folderWith } from '../../cli/support.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

/** The file with one row more, or one changed. */
function put(text: string, row: ValueObject, onePer: readonly string[] = [], path = 'fired.csv'): string {
  const table = readTable(bytes(text), path);
  table.check(row, onePer);
  table.put(row, onePer);
  return table.text();
}

describe('a file of rows', () => {
  test.each([
    ['an empty file', '', 'piece,cone\np9,6\n'],
    ['a mark of UTF-8 alone', '\ufeff', '\ufeffpiece,cone\np9,6\n'],
    ['a first row without an end', 'piece,cone', 'piece,cone\np9,6\n'],
    [
      'other columns, and another order',
      'note,cone,piece\n"a, b",5,p1\n',
      'note,cone,piece\n"a, b",5,p1\n,6,p9\n',
    ],
    ['CRLF, no end, a mark', '\ufeffpiece,cone\r\np1,5', '\ufeffpiece,cone\r\np1,5\r\np9,6\r\n'],
    ['blank lines', 'piece,cone\n\np1,5\n\n', 'piece,cone\n\np1,5\np9,6\n\n'],
    [
      'a row that is there, which keeps its other columns',
      'piece,note,cone\np1,x,1\np9,"say ""no""",5\r\np2,y,2',
      'piece,note,cone\np1,x,1\np9,"say ""no""",6\r\np2,y,2',
    ],
    [
      'a row that is as it is to be, however it is quoted',
      '"piece","cone"\n"p9","6"\n',
      '"piece","cone"\n"p9","6"\n',
    ],
    [
      'columns that are called like what every object has',
      'piece,constructor,__proto__,cone\np1,a,b,5\n',
      'piece,constructor,__proto__,cone\np1,a,b,5\np9,,,6\n',
    ],
    ['a row that is too short', 'piece,note,cone\np9\np2,y,2\n', 'piece,note,cone\np9,,6\np2,y,2\n'],
  ])('CSV: %s', (_, before, after) => {
    expect(put(before, { piece: 'p9', cone: '6' }, ['piece'])).toBe(after);
  });

  test('JSON Lines: other members, their order and the digits of numbers stay', () => {
    const before = '{"n":1.50,"piece":"p1","id":12345678901234567890}\r\n\r\n{ "piece": "p2" }';
    const jsonl = (text: string, row: string): string =>
      put(text, parseJson(row) as ValueObject, ['piece'], 'fired.jsonl');
    expect(jsonl(before, '{"piece":"p1","cone":6.0}')).toBe(before.replace('890}', '890,"cone":6.0}'));
    expect(jsonl(before, '{"piece":"p3"}')).toBe(`${before}\r\n{"piece":"p3"}\r\n`);
    expect(jsonl(before, '{"piece":"p2"}')).toBe(before);
  });

  test.each([
    [
      'a column that it does not have',
      'piece,cone\n',
      { piece: 'p1', kone: '6' },
      [],
      'fired.csv has no column kone',
    ],
    [
      'two rows that could be meant',
      'piece\np1\np1\n',
      { piece: 'p1' },
      ['piece'],
      'the rows 1 and 2 of fired.csv both have piece "p1"',
    ],
    [
      'a column twice',
      'piece,piece\n',
      { piece: 'p1' },
      [],
      'the column piece occurs twice in the first row of fired.csv',
    ],
    [
      'a quote that is not closed',
      'piece\n"p1\n',
      { piece: 'p1' },
      [],
      'fired.csv is no CSV: Quote Not Closed',
    ],
  ])('is refused: %s', (_, text, row, onePer, message) => {
    expect(() => put(text, row, onePer)).toThrow(message);
  });

  test('is refused: bytes that are no text, a line that is no object', () => {
    expect(() => readTable(Uint8Array.of(0xff, 0xfe, 0x41), 'a.csv')).toThrow('a.csv is not UTF-8');
    expect(() => readTable(bytes('{}\n[1]\n'), 'a.jsonl')).toThrow('line 2 of a.jsonl is no object');
    expect(() => readTable(bytes('{}\n{"a":\n'), 'a.jsonl')).toThrow('line 2 of a.jsonl is no JSON');
  });

  const cell = fc.oneof(
    fc.string({ unit: fc.constantFrom('a', 'b', '"', ',', '\n', '\r\n', ' ', 'ü') }),
    fc.string(),
  );
  test('whatever its cells hold, it reads as the rows that were written, and rows not meant keep their text', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(
            fc.nat({ max: 5 }),
            cell.filter((text) => !/^\ufeff/.test(text)),
          ),
          { maxLength: 12 },
        ),
        fc.constantFrom('\n', '\r\n'),
        (writes, lineEnd) => {
          const model = new Map<string, string>();
          let text = `id,value${lineEnd}`;
          for (const [id, value] of writes) {
            const before = readTable(bytes(text), 'a.csv');
            text = put(text, { id: String(id), value }, ['id'], 'a.csv');
            model.set(String(id), value);
            // What is written again is not changed.
            expect(put(text, { id: String(id), value }, ['id'], 'a.csv')).toBe(text);
            expect(before.find({ id: 'none', value })).toBeUndefined();
          }
          const [, ...rows] = parse(text);
          expect(rows).toEqual([...model]);
        },
      ),
    );
  });
});

describe('writing', () => {
  test('many at once: each is there once, and each is told which it is', async () => {
    const folder = folderWith({});
    const whole = join(folder, 'deep/er/fired.csv');
    const write = (n: number): Promise<{ nth: number }> =>
      putRow(whole, 'fired.csv', { row: { piece: `p${n}` }, onePer: [] });
    const written = await Promise.all(Array.from({ length: 40 }, (_, n) => write(n)));
    const lines = readFileSync(whole, 'utf8').trimEnd().split('\n').slice(1);
    expect(written.map(({ nth }) => lines[nth - 1])).toEqual(Array.from({ length: 40 }, (_, n) => `p${n}`));
    // What is there already is not written again, and somebody else's change is seen.
    const { ino } = statSync(whole);
    const again = await putRow(whole, 'fired.csv', { row: { piece: 'p7' }, onePer: ['piece'] });
    expect([again.change, statSync(whole).ino]).toEqual(['same', ino]);
    writeFileSync(whole, 'piece\nq\n');
    expect(await write(1)).toEqual({ change: 'added', nth: 2 });
    expect(readFileSync(whole, 'utf8')).toBe('piece\nq\np1\n');
    expect(readdirSync(join(folder, 'deep/er'))).toEqual(['fired.csv']);
  });

  test('one that does not fit keeps none of the others from being written; rights of the file stay', async () => {
    const folder = folderWith({ 'fired.csv': 'piece\n' });
    const whole = join(folder, 'fired.csv');
    const { mode } = statSync(whole);
    const results = await Promise.allSettled(
      ['piece', 'pice', 'piece'].map((column, n) =>
        putRow(whole, 'fired.csv', { row: objectOf([[column, `p${n}`]]), onePer: [] }),
      ),
    );
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
    expect(readFileSync(whole, 'utf8')).toBe('piece\np0\np2\n');
    expect(statSync(whole).mode).toBe(mode);
  });

  test("a place that can't be written to is said, and nothing is lost", async () => {
    const folder = folderWith({ file: 'x', 'fired.csv/a': '' });
    mkdirSync(join(folder, 'other'));
    const row = { row: { piece: 'p1' }, onePer: [] };
    await expect(putRow(join(folder, 'file/fired.csv'), 'file/fired.csv', row)).rejects.toThrow(
      'a part of the path is a file',
    );
    await expect(putRow(join(folder, 'fired.csv'), 'fired.csv', row)).rejects.toThrow(
      'a folder has this name',
    );
  });
});

const NOTE = `chain: Note
inputs: { who: { kind: text }, first: { kind: number } }
steps:
  - each: n in range(first, first + 24)
    at-once: 5
    steps:
      - write:
          to: noted.csv
          row: { piece: "p\${n}", who: "\${who}", note: "a, b" }
`;

test('two processes write into one file: all rows are there, each once', async () => {
  const folder = folderWith({ 'note.chain.yaml': NOTE });
  const ran = await Promise.all(
    ['anna', 'ben'].map((who, i) =>
      batharon(folder, ['run', 'note.chain.yaml', '--give', `who=${who}`, '--give', `first=${100 * i}`]),
    ),
  );
  expect(ran.map(({ code, stderr }) => [code, code === 0 ? '' : stderr])).toEqual([
    [0, ''],
    [0, ''],
  ]);
  const rows = parse<Record<'piece' | 'who', string>>(readFileSync(join(folder, 'noted.csv')), {
    columns: true,
  });
  const expected = [...Array(25).keys()].flatMap((n) => [`p${n} anna`, `p${n + 100} ben`]);
  expect(rows.map(({ piece, who }) => `${piece} ${who}`).sort()).toEqual(expected.sort());
});

test('what does not fit breaks its step, with the place and the nearest column; a secret is not written', async () => {
  const folder = folderWith({
    'batharon.yaml':
      'secrets: { key: env KEY }\nservices:\n  kiln: { url: "http://127.0.0.1:9", headers: { X-Key: "${secret.key}" } }\n',
    'note.chain.yaml': `chain: Note
inputs: { code: { kind: secret } }
steps:
  - write: { to: noted.csv, row: { piece: p1, code: "\${code}" } }
  - write: { to: noted.csv, row: { peice: p1 } }
`,
  });
  const { code, stderr } = await batharon(folder, [
    'run',
    'note.chain.yaml',
    '--give',
    'code=clay-and-fire-81',
  ]);
  expect(code).toBe(1);
  expect(stderr).toMatch(/noted\.csv has no column peice/);
  expect(stderr).toMatch(/hint\s+piece/);
  expect(stderr).toMatch(/note\.chain\.yaml:5:5/);
  expect(readFileSync(join(folder, 'noted.csv'), 'utf8')).toBe('piece,code\np1,‹secret code›\n');
  expect(stderr).toContain('the column code holds a secret; a mask was written for it');
});

test.each(['rows.csv', 'rows.jsonl'])('of %s it is known how much has been read', async (name) => {
  const line = (i: number): string => (name.endsWith('csv') ? `${i},x` : `{"id":${i}}`);
  const all = Array.from({ length: 20_000 }, (_, i) => line(i));
  const folder = folderWith({ [name]: `${name.endsWith('csv') ? 'id,note\n' : ''}${all.join('\n')}\n` });
  const source = await localRows.open(name, join(folder, 'a.chain.yaml'));
  const shares: number[] = [];
  let count = 0;
  for (let row = await source.next(); row; row = await source.next())
    if (++count % 1000 === 0) shares.push(source.share?.() ?? -1);
  await source.close();
  expect(count).toBe(20_000);
  expect(shares).toEqual(shares.toSorted((a, b) => a - b));
  expect([shares[0]! > 0, shares[0]! < 0.5, shares.at(-1)]).toEqual([true, true, 1]);
});
