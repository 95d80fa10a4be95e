import { CHAIN, depthOf, type Frame, type DrawnItem, type Sequence } from './sequence.ts';

/** Distances in pixels. */
const MARGIN = 24;
const HEAD = 34;
const INSET = 12;
const FONT = 12;
/** About how wide a letter is. */
const LETTER = 6.6;

/** A sequence diagram as a picture that needs nothing else, in light and in dark. */
export function svg(sequence: Sequence): string {
  return new Drawing(sequence).text();
}

class Drawing {
  readonly #sequence: Sequence;
  readonly #x = new Map<string, number>();
  readonly #left: number;
  readonly #right: number;
  readonly #width: number;
  readonly #parts: string[] = [];
  #y = 0;

  constructor(sequence: Sequence) {
    this.#sequence = sequence;
    const { items, participants } = sequence;
    const depth = depthOf(items);
    const apart = participants.length > 2 ? 260 : 460;
    this.#left = MARGIN;
    const first = MARGIN + depth * INSET + 70;
    participants.forEach(({ id }, i) => this.#x.set(id, first + i * apart));
    const last = first + (participants.length - 1) * apart;
    // What the last one does by itself needs room as well.
    this.#right = last + (participants.length === 1 ? 460 : 110) + depth * INSET;
    this.#width = this.#right + MARGIN;
  }

  text(): string {
    const { items, participants, subtitle, title } = this.#sequence;
    this.#y = MARGIN + FONT;
    this.#parts.push(label(MARGIN, this.#y, title, 'sq-title'));
    if (subtitle !== undefined) {
      this.#y += 18;
      this.#parts.push(label(MARGIN, this.#y, subtitle, 'sq-quiet'));
    }
    this.#y += 18;
    const top = this.#y + HEAD;
    for (const { id, isPerson, name } of participants) this.#head(this.#x.get(id)!, name, isPerson ?? false);
    this.#y = top + 12;
    const steps: string[] = [];
    const before = this.#parts.splice(0);
    for (const item of items) this.#item(item, 0);
    steps.push(...this.#parts.splice(0));
    const bottom = this.#y + 8;
    const lifelines = [...this.#x.values()].map(
      (x) => `<line class="sq-life" x1="${x}" y1="${top}" x2="${x}" y2="${bottom}"/>`,
    );
    const height = bottom + MARGIN;
    return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${this.#width} ${height}" width="${this.#width}" height="${height}" role="img" class="sq" aria-label="${escaped(`Sequence diagram: ${title}`)}">
<style>${STYLE}</style>
<rect class="sq-ground" width="${this.#width}" height="${height}"/>
${[...before, ...lifelines, ...steps].join('\n')}
</svg>
`;
  }

  #head(x: number, name: string, isPerson: boolean): void {
    const shown = cut(name, 220);
    const width = Math.max(80, shown.length * LETTER + 20);
    const y = this.#y;
    const from = Math.max(4, x - width / 2);
    this.#parts.push(
      isPerson
        ? `<g class="sq-person"><circle cx="${x}" cy="${y + 5}" r="5"/><path d="M${x} ${y + 10}v9M${x - 8} ${y + 14}h16M${x} ${y + 19}l-6 8M${x} ${y + 19}l6 8"/></g>${label(x + 14, y + 20, shown, 'sq-name')}`
        : `<rect class="sq-head" x="${from}" y="${y}" width="${width}" height="${HEAD - 6}" rx="3"/>${label(x - (shown.length * LETTER) / 2, y + 18, shown, 'sq-name')}`,
    );
  }

  #item(item: DrawnItem, depth: number): void {
    if (item.type === 'frame') return this.#frame(item, depth);
    const mark = item.mark === undefined ? '' : ` sq-${item.mark}`;
    if (item.type === 'note') {
      this.#y += 26;
      const x = this.#x.get(item.over) ?? this.#x.get(CHAIN)!;
      const room = this.#right - x - 20;
      this.#parts.push(
        `<circle class="sq-dot${mark}" cx="${x}" cy="${this.#y - 4}" r="4"/>`,
        label(x + 12, this.#y, cut(item.text, room), `sq-note${mark}`),
      );
      return;
    }
    const [from, to] = [this.#x.get(item.from)!, this.#x.get(item.to)!];
    const isReply = item.type === 'reply';
    const left = Math.min(from, to);
    this.#y += isReply ? 24 : 34;
    const tip = from < to ? -1 : 1;
    this.#parts.push(
      label(
        left + 12,
        this.#y - 5,
        cut(item.text, this.#right - left - 20),
        `${isReply ? 'sq-reply' : 'sq-text'}${mark}`,
      ),
      `<line class="sq-arrow${isReply ? ' sq-dashed' : ''}${mark}" x1="${from}" y1="${this.#y}" x2="${to}" y2="${this.#y}"/>`,
      `<path class="sq-tip${mark}" d="M${to} ${this.#y}l${tip * 8} -4v8z"/>`,
    );
  }

  /** An interaction fragment: its operator in the corner, conditions in brackets, dashed lines between its parts. */
  #frame({ mark, operator, sections }: Frame, depth: number): void {
    this.#y += 14;
    const [x, right] = [this.#left + depth * INSET, this.#right - depth * INSET];
    const top = this.#y;
    const at = this.#parts.length;
    const tab = operator.length * LETTER + 18;
    sections.forEach(({ items, label: text }, i) => {
      if (i > 0) {
        this.#y += 12;
        this.#parts.push(`<line class="sq-part" x1="${x}" y1="${this.#y}" x2="${right}" y2="${this.#y}"/>`);
      }
      const from = i === 0 ? x + tab + 8 : x + 8;
      this.#parts.push(label(from, this.#y + 14, cut(`[${text}]`, right - from - 8), 'sq-guard'));
      this.#y += 20;
      for (const item of items) this.#item(item, depth + 1);
    });
    this.#y += 12;
    const box = `<rect class="sq-frame${mark === undefined ? '' : ` sq-${mark}`}" x="${x}" y="${top}" width="${right - x}" height="${this.#y - top}"/><path class="sq-tab" d="M${x} ${top}h${tab}v10l-7 8h-${tab - 7}z"/>${label(x + 7, top + 13, operator, 'sq-operator')}`;
    this.#parts.splice(at, 0, box);
    this.#y += 4;
  }
}

const STYLE = `.sq{--ink:#1d2430;--faint:#687080;--line:#9aa3b2;--ground:#fff;--good:#1a7f46;--bad:#c0262d;--warm:#a15c00;font:${FONT}px ui-sans-serif,system-ui,sans-serif}@media (prefers-color-scheme:dark){.sq{--ink:#e6e9ef;--faint:#98a1b3;--line:#5b6475;--ground:#14181f;--good:#4cc38a;--bad:#ff6369;--warm:#f0a94b}}.sq text{fill:var(--ink);paint-order:stroke;stroke:var(--ground);stroke-width:4px;stroke-linejoin:round}.sq-ground{fill:var(--ground)}.sq text.sq-title{font-weight:600;font-size:15px}.sq text.sq-quiet,.sq text.sq-reply,.sq text.sq-note,.sq text.sq-guard{fill:var(--faint)}.sq text.sq-name,.sq text.sq-operator{font-weight:600;stroke:none}.sq-head,.sq-tab{fill:var(--ground);stroke:var(--line)}.sq-life{stroke:var(--line);stroke-dasharray:2 4}.sq-arrow{stroke:var(--ink)}.sq-dashed{stroke-dasharray:5 4}.sq-tip,.sq-dot{fill:var(--ink)}.sq-frame{fill:none;stroke:var(--line)}.sq-part{stroke:var(--line);stroke-dasharray:6 4}.sq-person{fill:none;stroke:var(--ink)}.sq .sq-failed{fill:var(--bad);stroke:var(--bad)}.sq text.sq-failed{fill:var(--bad);stroke:var(--ground)}.sq .sq-frame.sq-failed{fill:none}.sq text.sq-passed{fill:var(--good)}.sq text.sq-accepted,.sq text.sq-interrupted{fill:var(--warm)}`;

function label(x: number, y: number, text: string, kind: string): string {
  return `<text class="${kind}" x="${round(x)}" y="${round(y)}">${escaped(text)}</text>`;
}

function round(value: number): number {
  return Math.round(value * 10) / 10;
}

/** A text that takes about so many pixels at most. */
function cut(text: string, room: number): string {
  const letters = Math.max(4, Math.floor(room / LETTER));
  const all = Array.from(text);
  return all.length <= letters ? text : `${all.slice(0, letters - 1).join('')}…`;
}

/** Without the characters that XML 1.0 (section 2.2) does not have, and with those escaped that mean something. */
function escaped(text: string): string {
  return text
    .toWellFormed()
    .replace(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '\ufffd')
    .replace(/[&<>"]/g, (char) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[char] ?? '&quot;');
}
