import { parse } from 'csv-parse/sync';
import { fromUtf8 } from '../../core/language/encodings.ts';
import { parseJson, writeJson } from '../../core/language/json.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import { isObject, memberOf, objectOf, type Value, type ValueObject } from '../../core/language/values.ts';
import type { WrittenRow } from '../../core/ports.ts';
import { fail } from '../../core/problems.ts';

/** A file of rows in memory. Rows that are not touched keep their text byte for byte. */
export interface RowTable {
  /** Throws `row-not-fitting` where a row can't be put in. */
  check(row: ValueObject, onePer: readonly string[]): void;
  /** Adds a row, or brings up to date the one with the same values in the columns `onePer`. */
  put(row: ValueObject, onePer: readonly string[]): WrittenRow;
  /** How many rows are like this one, and which is the last of them, from 1; undefined if none is. */
  find(row: ValueObject): { readonly count: number; readonly nth: number } | undefined;
  text(): string;
}

/** Reads a file of rows: JSON Lines where its name says so, CSV (RFC 4180) otherwise. Throws `row-not-fitting`. */
export function readTable(content: Uint8Array, path: string): RowTable {
  const text = fromUtf8(content) ?? unfit(`${path} is not UTF-8`, 'a file of UTF-8');
  return /\.(?:jsonl|ndjson)$/i.test(path) ? new JsonLinesTable(text, path) : new CsvTable(text, path);
}

function unfit(message: string, hint?: string): never {
  return fail('row-not-fitting', message, hint === undefined ? {} : { hint });
}

/** Numbers of rows by what is the same in them. */
class Index<R> {
  readonly #keyOf: (row: R) => string;
  readonly #rows = new Map<string, number[]>();

  constructor(rows: readonly R[], keyOf: (row: R) => string) {
    this.#keyOf = keyOf;
    rows.forEach((row, i) => this.add(row, i));
  }

  add(row: R, i: number): void {
    const key = this.#keyOf(row);
    const known = this.#rows.get(key);
    if (known) known.push(i);
    else this.#rows.set(key, [i]);
  }

  remove(row: R, i: number): void {
    const key = this.#keyOf(row);
    this.#rows.set(
      key,
      this.#rows.get(key)!.filter((one) => one !== i),
    );
  }

  find(row: R): readonly number[] {
    return this.#rows.get(this.#keyOf(row)) ?? [];
  }
}

/** What is the same in all files of rows: where a row goes. */
abstract class Table<R> implements RowTable {
  protected readonly path: string;
  protected rows: R[] = [];
  /** The text of each row, with what stands before it and its line end. */
  protected texts: string[] = [];
  protected lineEnd = '\n';
  readonly #indexes = new Map<string, Index<R>>();

  constructor(path: string) {
    this.path = path;
  }

  /** The row as this file has them. */
  protected abstract rowOf(row: ValueObject): R;
  /** A row with new values. */
  protected abstract changed(row: R, by: ValueObject): R;
  protected abstract write(row: R): string;
  protected abstract keyOf(row: R, columns: readonly string[]): string;
  abstract check(row: ValueObject, onePer: readonly string[]): void;
  abstract text(): string;

  #index(columns: readonly string[]): Index<R> {
    const name = JSON.stringify(columns);
    let index = this.#indexes.get(name);
    if (!index) this.#indexes.set(name, (index = new Index(this.rows, (row) => this.keyOf(row, columns))));
    return index;
  }

  find(row: ValueObject): { count: number; nth: number } | undefined {
    const found = this.#index([]).find(this.rowOf(row));
    return found.length === 0 ? undefined : { count: found.length, nth: found.at(-1)! + 1 };
  }

  /** The row that is to be brought up to date. Throws `row-not-fitting` where it may be several. */
  protected same(row: ValueObject, onePer: readonly string[]): number | undefined {
    if (onePer.length === 0) return undefined;
    const [first, second] = this.#index(onePer).find(this.rowOf(row));
    if (second === undefined) return first;
    const which = onePer
      .map((column) => `${column} ${writeJson(memberOf(row, column) ?? null)}`)
      .join(' and ');
    return unfit(
      `the rows ${first! + 1} and ${second + 1} of ${this.path} both have ${which}, so it can't be told which is meant`,
      'one of them taken out, or more columns in one-row-per',
    );
  }

  put(row: ValueObject, onePer: readonly string[]): WrittenRow {
    const i = this.same(row, onePer);
    if (i === undefined) {
      const added = this.rowOf(row);
      const last = this.texts.length - 1;
      if (last >= 0 && !/[\r\n]$/.test(this.texts[last]!))
        this.texts[last] = this.texts[last]! + this.lineEnd;
      this.rows.push(added);
      this.texts.push(this.write(added) + this.lineEnd);
      for (const index of this.#indexes.values()) index.add(added, this.rows.length - 1);
      return { change: 'added', nth: this.rows.length };
    }
    const before = this.rows[i]!;
    const after = this.changed(before, row);
    if (this.write(after) === this.write(before)) return { change: 'same', nth: i + 1 };
    for (const index of this.#indexes.values()) index.remove(before, i);
    for (const index of this.#indexes.values()) index.add(after, i);
    this.rows[i] = after;
    const [, blank = '', end = ''] = /^([\ufeff\r\n]*)[^]*?([\r\n]*)$/.exec(this.texts[i]!)!;
    this.texts[i] = blank + this.write(after) + end;
    return { change: 'changed', nth: i + 1 };
  }
}

/** A record, and how many bytes were read up to its end. */
interface CsvRecord {
  readonly record: string[];
  readonly info: { readonly bytes: number };
}

/** CSV with the names of its columns in its first row; an empty file gets those of the first row that is written. */
class CsvTable extends Table<readonly string[]> {
  #columns: readonly string[] = [];
  #head = '';
  #tail = '';

  constructor(text: string, path: string) {
    super(path);
    if (text.trim() === '') {
      this.#head = text;
      return;
    }
    const bytes = Buffer.from(text);
    let from = 0;
    for (const { info, record } of this.#parse(bytes)) {
      const own = bytes.toString('utf8', from, info.bytes);
      from = info.bytes;
      if (this.#columns.length === 0) {
        this.#columns = record;
        this.#head = own;
      } else {
        this.rows.push(record);
        this.texts.push(own);
      }
    }
    this.#tail = bytes.toString('utf8', from);
    const [lineEnd] = /\r?\n/.exec(this.#head) ?? [];
    this.lineEnd = lineEnd ?? '\n';
    const seen = new Set<string>();
    const twice = this.#columns.find((name) => seen.size === seen.add(name).size);
    if (twice !== undefined) unfit(`the column ${twice} occurs twice in the first row of ${path}`);
  }

  #parse(bytes: Buffer): CsvRecord[] {
    try {
      return parse(bytes, {
        bom: true,
        info: true,
        skip_empty_lines: true,
        relax_column_count: true,
      }) as unknown as CsvRecord[];
    } catch (error) {
      return unfit(`${this.path} is no CSV: ${(error as Error).message}`);
    }
  }

  override check(row: ValueObject, onePer: readonly string[]): void {
    if (this.#columns.length === 0) {
      // What it is made with is known from here on.
      this.#columns = Object.keys(row);
      if (this.#columns.length === 0) unfit('a row has no column');
      this.#head += `${this.#columns.map(field).join(',')}${this.lineEnd}`;
    }
    for (const column of Object.keys(row)) {
      if (this.#columns.includes(column)) continue;
      const near = nearest(column, this.#columns);
      unfit(
        `${this.path} has no column ${column}${near === undefined ? `; it has ${nameList(this.#columns)}` : ''}`,
        near ?? `${column} in the first row of the file; or row: without it`,
      );
    }
    this.same(row, onePer);
  }

  protected override rowOf(row: ValueObject): readonly string[] {
    return this.#columns.map((column) => (memberOf(row, column) as string | undefined) ?? '');
  }

  protected override changed(row: readonly string[], by: ValueObject): readonly string[] {
    const cells = Array.from({ length: Math.max(row.length, this.#columns.length) }, (_, i) => row[i] ?? '');
    for (const [column, value] of Object.entries(by)) cells[this.#columns.indexOf(column)] = value as string;
    return cells;
  }

  protected override write(row: readonly string[]): string {
    // A line with nothing in it would be no row.
    return row.length === 1 && row[0] === '' ? '""' : row.map(field).join(',');
  }

  protected override keyOf(row: readonly string[], columns: readonly string[]): string {
    const cells =
      columns.length === 0
        ? this.#columns.map((_, i) => row[i] ?? '')
        : columns.map((name) => row[this.#columns.indexOf(name)] ?? '');
    return JSON.stringify(cells);
  }

  override text(): string {
    if (this.texts.length > 0 && !/[\r\n]$/.test(this.#head)) this.#head += this.lineEnd;
    return this.#head + this.texts.join('') + this.#tail;
  }
}

/** A field of CSV (RFC 4180, section 2); blanks at an end are quoted too, since some readers drop them. */
function field(text: string): string {
  return /[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** An object of JSON on each line. */
class JsonLinesTable extends Table<ValueObject> {
  constructor(text: string, path: string) {
    super(path);
    let before = '';
    for (const [i, line] of text.split(/(?<=\n)/).entries()) {
      if (line.trim() === '' || line === '\ufeff') {
        before += line;
        continue;
      }
      this.texts.push(before + line);
      before = '';
      this.rows.push(this.#read(line.replace(/^\ufeff/, ''), i + 1));
    }
    // Blank lines at the end belong to the last row.
    if (before !== '') {
      if (this.texts.length > 0) this.texts[this.texts.length - 1] = this.texts.at(-1)! + before;
      else this.#mark = before;
    }
    if (/\r\n/.test(text)) this.lineEnd = '\r\n';
  }

  #mark = '';

  #read(line: string, number: number): ValueObject {
    let value: Value;
    try {
      value = parseJson(line);
    } catch (error) {
      return unfit(`line ${number} of ${this.path} is no JSON: ${(error as Error).message}`);
    }
    return isObject(value) ? value : unfit(`line ${number} of ${this.path} is no object`);
  }

  override check(row: ValueObject, onePer: readonly string[]): void {
    this.same(row, onePer);
  }

  protected override rowOf(row: ValueObject): ValueObject {
    return row;
  }

  protected override changed(row: ValueObject, by: ValueObject): ValueObject {
    return objectOf([...Object.entries(row), ...Object.entries(by)]);
  }

  protected override write(row: ValueObject): string {
    return writeJson(row);
  }

  protected override keyOf(row: ValueObject, columns: readonly string[]): string {
    const own =
      columns.length === 0
        ? row
        : objectOf(columns.map((name): [string, Value] => [name, memberOf(row, name) ?? null]));
    return writeJson(own);
  }

  override text(): string {
    return this.#mark + this.texts.join('');
  }
}
