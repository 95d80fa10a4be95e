import type { Terminal } from '../terminal/terminal.ts';
import { fit, pad, widthOf } from '../terminal/text-width.ts';
import type { BrowseNode } from './browse-nodes.ts';

/** A node as it stands in the list of what is shown. */
interface Line {
  readonly node: BrowseNode;
  readonly depth: number;
  readonly parent: Line | undefined;
  /** Made when it is opened for the first time. */
  inside?: readonly Line[];
  isOpen: boolean;
}

/** Columns of the marks on the left. */
const MARK = 12;

/** So many nodes are looked through by one search. */
const SEARCHED = 100_000;

/** What is to be done besides drawing anew. */
export type Effect = { readonly quit: true } | { readonly copy: string } | undefined;

/** A key, as Node's readline names it. */
export interface Key {
  readonly name?: string | undefined;
  readonly sequence?: string | undefined;
  readonly ctrl?: boolean | undefined;
}

/** Moves through nodes by keys, and draws what of them fits on a screen. Does nothing to the world itself. */
export class Browser {
  readonly #title: string;
  readonly #colours: Terminal['colours'];
  readonly #top: readonly Line[];
  #shown: Line[] = [];
  #at = 0;
  #from = 0;
  #height = 20;
  /** What is being typed to search for; undefined where keys mean something else. */
  #typing: string | undefined;
  #wanted = '';
  #says = '';

  constructor(title: string, nodes: readonly BrowseNode[], colours: Terminal['colours']) {
    this.#title = title;
    this.#colours = colours;
    this.#top = nodes.map((node) => ({ node, depth: 0, parent: undefined, isOpen: false }));
    this.#list();
  }

  /** Does what a key means. */
  key(key: Key): Effect {
    if (key.ctrl && key.name === 'c') return { quit: true };
    if (this.#typing !== undefined) return this.#type(this.#typing, key);
    this.#says = '';
    switch (key.name ?? key.sequence) {
      case 'q':
      case 'escape':
        return { quit: true };
      case 'up':
      case 'k':
        return this.#move(-1);
      case 'down':
      case 'j':
        return this.#move(1);
      case 'pageup':
        return this.#move(-this.#height);
      case 'pagedown':
      case 'space':
        return this.#move(this.#height);
      case 'home':
        return this.#move(-Infinity);
      case 'end':
        return this.#move(Infinity);
      case 'right':
      case 'return':
      case 'enter':
      case 'l':
        return this.#open();
      case 'left':
      case 'h':
        return this.#close();
      case 'c':
        return this.#copy();
      case 'n':
        return this.#search(this.#wanted, 1);
      case 'p':
        return this.#search(this.#wanted, -1);
      default:
        if (key.sequence === '/') this.#typing = '';
        return undefined;
    }
  }

  /** The lines of a screen, each at most `width` columns wide. */
  frame(width: number, height: number): string[] {
    this.#height = Math.max(1, height - 3);
    const colours = this.#colours;
    this.#at = Math.max(0, Math.min(this.#shown.length - 1, this.#at));
    if (this.#at < this.#from) this.#from = this.#at;
    if (this.#at >= this.#from + this.#height) this.#from = this.#at - this.#height + 1;
    const rows = this.#shown
      .slice(this.#from, this.#from + this.#height)
      .map((line, i) => this.#row(line, this.#from + i === this.#at, width));
    while (rows.length < this.#height) rows.push('');
    const place = `${this.#at + 1} of ${this.#shown.length}`;
    const title = fit(this.#title, Math.max(8, width - widthOf(place) - 2));
    return [
      `${colours.bold(pad(title, Math.max(0, width - widthOf(place))))}${colours.dim(place)}`,
      ...rows,
      '',
      colours.dim(fit(this.#foot(), width)),
    ].slice(0, height);
  }

  #foot(): string {
    if (this.#typing !== undefined) return `search: ${this.#typing}▏  return searches, escape ends`;
    if (this.#says !== '') return this.#says;
    const again = this.#wanted === '' ? '' : ' · n p next, previous';
    return `↑ ↓ move · → open · ← close · c copy · / search${again} · q quit`;
  }

  #row({ depth, isOpen, node }: Line, isAt: boolean, width: number): string {
    const colours = this.#colours;
    const { inside, mark = '', text } = node;
    const fold = inside === undefined ? ' ' : isOpen ? '▾' : '▸';
    const room = Math.max(4, width - MARK);
    const body = fit(`${'  '.repeat(Math.min(depth, 20))}${fold} ${text.replace(/\s+/g, ' ')}`, room);
    const painted =
      mark === 'failed' || mark === 'problem'
        ? colours.red
        : mark === 'passed'
          ? colours.green
          : mark === 'interrupted' || mark === 'warning' || mark === 'accepted'
            ? colours.yellow
            : colours.dim;
    const left = painted(pad(fit(mark, MARK - 1), MARK));
    // Told apart without colours, too.
    return isAt ? `${left}${colours.bold(colours.cyan(`>${body.slice(1)}`))}` : `${left}${body}`;
  }

  #list(): void {
    const shown: Line[] = [];
    const add = (lines: readonly Line[]): void => {
      for (const line of lines) {
        shown.push(line);
        if (line.isOpen) add(this.#insideOf(line));
      }
    };
    add(this.#top);
    this.#shown = shown;
  }

  #insideOf(line: Line): readonly Line[] {
    return (line.inside ??= (line.node.inside?.() ?? []).map((node) => ({
      node,
      depth: line.depth + 1,
      parent: line,
      isOpen: false,
    })));
  }

  #move(by: number): undefined {
    this.#at = Math.max(0, Math.min(this.#shown.length - 1, this.#at + by));
  }

  #open(): undefined {
    const line = this.#shown[this.#at];
    if (!line?.node.inside) return;
    if (line.isOpen) return this.#move(1);
    line.isOpen = true;
    this.#list();
    // What stands alone in it is meant.
    const [only, ...others] = this.#insideOf(line);
    if (only?.node.inside && others.length === 0) {
      only.isOpen = true;
      this.#list();
    }
  }

  #close(): undefined {
    const line = this.#shown[this.#at];
    if (!line) return;
    if (line.isOpen) line.isOpen = false;
    else if (line.parent) {
      line.parent.isOpen = false;
      this.#at = this.#shown.indexOf(line.parent);
    }
    this.#list();
  }

  #copy(): Effect {
    const text = this.#shown[this.#at]?.node.copy;
    if (text === undefined) {
      this.#says = 'there is nothing to copy here';
      return undefined;
    }
    this.#says = `copied ${text}`;
    return { copy: text };
  }

  #type(typed: string, { name, sequence }: Key): undefined {
    if (name === 'escape') this.#typing = undefined;
    else if (name === 'return' || name === 'enter') {
      this.#typing = undefined;
      this.#wanted = typed;
      return this.#search(typed, 1);
    } else if (name === 'backspace') this.#typing = Array.from(typed).slice(0, -1).join('');
    else if (sequence !== undefined && sequence >= ' ' && !sequence.startsWith('\u001b'))
      this.#typing = (typed + sequence).slice(0, 200);
    return undefined;
  }

  /** Opens what stands around the node whose address is this one, and goes there; stays where there is none. */
  goTo(address: string): void {
    this.#search(address, 1, ({ copy }) => copy === address);
    this.#open();
  }

  /** Goes to the next node, or the one before, in which a text stands, opened or not; once around. */
  #search(
    wanted: string,
    step: 1 | -1,
    isMeant = ({ text }: BrowseNode): boolean => text.toLowerCase().includes(wanted.toLowerCase()),
  ): undefined {
    if (wanted === '') return;
    const all: Line[] = [];
    const visit = (lines: readonly Line[]): void => {
      for (const line of lines) {
        if (all.length >= SEARCHED) return;
        all.push(line);
        if (line.node.inside) visit(this.#insideOf(line));
      }
    };
    visit(this.#top);
    const here = this.#shown[this.#at];
    const from = here ? all.indexOf(here) : 0;
    for (let i = 1; i <= all.length; i++) {
      const line = all[(from + i * step + all.length * 2) % all.length]!;
      if (!isMeant(line.node)) continue;
      for (let at = line.parent; at; at = at.parent) at.isOpen = true;
      this.#list();
      this.#at = this.#shown.indexOf(line);
      return;
    }
    this.#says = `nothing has ${wanted} in it`;
  }
}
