import { eastAsianWidth } from 'get-east-asian-width';
import { visible } from '../core/language/show.ts';
import { CHAIN, depthOf, type Frame, type DrawnItem, type Mark, PERSON, type Sequence } from './sequence.ts';

/** A line of a drawing, and how what it shows came out. */
export interface DrawnLine {
  readonly text: string;
  readonly mark?: Mark | undefined;
  /** It names who takes part. */
  readonly isHead?: true;
}

/** Lanes are at least so many columns apart; with more of them, all services share one. */
const NARROWEST = 22;
const WIDEST = 56;

/** So many frames inside of each other are drawn as boxes. */
const DEEPEST = 6;

/** A sequence diagram in lines of text, so many columns wide. */
export function drawnText(sequence: Sequence, width: number): DrawnLine[] {
  return new TextDrawing(sequence, width).lines();
}

class TextDrawing {
  readonly #sequence: Sequence;
  readonly #width: number;
  readonly #depth: number;
  /** The column of each lifeline. */
  readonly #lanes = new Map<string, number>();
  readonly #heads: readonly (readonly [column: number, name: string])[];
  readonly #shared: boolean;
  readonly #lines: DrawnLine[] = [];
  #open: number[] = [];

  constructor(sequence: Sequence, width: number) {
    this.#sequence = sequence;
    this.#depth = Math.min(DEEPEST, depthOf(sequence.items));
    const { participants } = sequence;
    const left = this.#depth * 2 + 1;
    const room = width - left * 2 - 2;
    const own = participants.filter(({ id }) => id === CHAIN || id === PERSON);
    const others = participants.filter(({ id }) => id !== CHAIN && id !== PERSON);
    this.#shared = others.length > 1 && room / (participants.length - 1) < NARROWEST;
    const names = [
      ...own.map(({ name }) => name),
      ...(this.#shared ? ['services'] : others.map(({ name }) => name)),
    ];
    const apart = Math.max(8, Math.min(WIDEST, Math.floor(room / Math.max(1, names.length - 1))));
    const column = (i: number): number => left + i * apart;
    own.forEach(({ id }, i) => this.#lanes.set(id, column(i)));
    others.forEach(({ id }, i) => this.#lanes.set(id, column(own.length + (this.#shared ? 0 : i))));
    this.#heads = names.map((name, i) => [column(i), name] as const);
    const last = column(names.length - 1);
    // What the chain does by itself needs room as well.
    this.#width =
      names.length === 1
        ? width
        : Math.min(width, last + left + Math.max(4, width - last - left > 30 ? 12 : 4));
  }

  lines(): DrawnLine[] {
    const { items, subtitle, title } = this.#sequence;
    this.#lines.push({ text: visible(title), isHead: true });
    if (subtitle !== undefined) this.#lines.push({ text: visible(subtitle) });
    this.#lines.push({ text: '' });
    const heads = new Row(this.#width);
    this.#heads.forEach(([column, name], i) => {
      const next = this.#heads[i + 1]?.[0] ?? this.#width + 1;
      const from =
        i === this.#heads.length - 1 && i > 0
          ? Math.max(0, Math.min(column - Math.floor(widthOf(name) / 2), this.#width - widthOf(name)))
          : Math.max(0, column - 2);
      heads.put(from, name, Math.max(4, next - from - 2));
    });
    this.#lines.push({ text: heads.text, isHead: true });
    this.#blank();
    for (const item of items) this.#item(item);
    this.#blank();
    return this.#lines;
  }

  /** A row with the lifelines, and the sides of the frames that are open. */
  #row(): Row {
    const row = new Row(this.#width);
    for (const column of this.#lanes.values()) row.put(column, '│');
    for (const inset of this.#open) {
      row.put(inset, '┃');
      row.put(this.#width - 1 - inset, '┃');
    }
    return row;
  }

  #blank(): void {
    this.#lines.push({ text: this.#row().text });
  }

  get #end(): number {
    return this.#width - 2 - (this.#open.at(-1) ?? -2);
  }

  #item(item: DrawnItem): void {
    if (item.type === 'frame') return this.#frame(item);
    const { mark } = item;
    const text = this.#shared && item.type === 'message' ? `${item.text}${this.#toWhom(item.to)}` : item.text;
    const row = this.#row();
    if (item.type === 'note') {
      const column = this.#lanes.get(item.over) ?? 0;
      row.put(column, '●');
      row.put(column + 2, text, this.#end - column - 3);
      this.#lines.push({ text: row.text, mark });
      return;
    }
    const [from, to] = [this.#lanes.get(item.from)!, this.#lanes.get(item.to)!];
    const [left, right] = [Math.min(from, to), Math.max(from, to)];
    const line = item.type === 'reply' ? '╌' : '─';
    const arrow = line.repeat(Math.max(0, right - left - 2));
    const drawn = from < to ? `├${arrow}▶│` : `│◀${arrow}┤`;
    const fits = widthOf(text) <= right - left - 8;
    if (item.type === 'reply' && fits) {
      row.put(left, drawn);
      row.put(left + 4, ` ${text} `);
      this.#lines.push({ text: row.text, mark });
      return;
    }
    row.put(left + 2, text, this.#end - left - 3);
    this.#lines.push({ text: row.text, mark });
    const second = this.#row();
    second.put(left, drawn);
    this.#lines.push({ text: second.text, mark });
  }

  #toWhom(id: string): string {
    const name = this.#sequence.participants.find((one) => one.id === id)?.name;
    return id === CHAIN || id === PERSON || name === undefined ? '' : `  (${name})`;
  }

  #frame({ mark, operator, sections }: Frame): void {
    const inset = Math.min(this.#open.length, DEEPEST - 1) * 2;
    const width = this.#width - inset * 2;
    sections.forEach(({ items, label }, i) => {
      const row = this.#row();
      const line = (i === 0 ? '━' : '╍').repeat(Math.max(0, width - 2));
      row.put(inset, i === 0 ? `┏${line}┓` : `┣${line}┫`);
      row.put(inset + 2, i === 0 ? ` ${operator}  ${label} ` : ` ${label} `, width - 4);
      this.#lines.push({ text: row.text, mark });
      this.#open = [...this.#open, inset];
      for (const item of items) this.#item(item);
      this.#open = this.#open.slice(0, -1);
    });
    const row = this.#row();
    row.put(inset, `┗${'━'.repeat(Math.max(0, width - 2))}┛`);
    this.#lines.push({ text: row.text });
  }
}

/** Cells of a line. A character that takes two of them leaves the second one empty. */
class Row {
  readonly #cells: string[];

  constructor(width: number) {
    this.#cells = Array.from({ length: width }, () => ' ');
  }

  /** Writes a text from a column on, over what stands there, in so many columns at most. */
  put(column: number, text: string, most = Infinity): void {
    let at = column;
    const end = Math.min(this.#cells.length, column + most);
    const shown = visible(text);
    const isWhole = widthOf(shown) <= end - column;
    for (const char of shown) {
      const width = eastAsianWidth(char.codePointAt(0)!);
      if (at + width > (isWhole ? end : end - 1)) break;
      this.#cells[at] = char;
      for (let i = 1; i < width; i++) this.#cells[at + i] = '';
      at += width;
    }
    if (!isWhole && at < this.#cells.length) this.#cells[at] = '…';
  }

  get text(): string {
    return this.#cells.join('').trimEnd();
  }
}

function widthOf(text: string): number {
  let width = 0;
  for (const char of text) width += eastAsianWidth(char.codePointAt(0)!);
  return width;
}
