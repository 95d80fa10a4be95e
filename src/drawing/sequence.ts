/** A sequence diagram as UML 2.5.1 has it (section 17, https://www.omg.org/spec/UML/2.5.1): who, and what goes between them. */
export interface Sequence {
  readonly title: string;
  /** How it ended and how long it took, where it is of a run. */
  readonly subtitle?: string;
  readonly participants: readonly Participant[];
  readonly items: readonly DrawnItem[];
}

export interface Participant {
  readonly id: string;
  readonly name: string;
  readonly isPerson?: boolean;
}

/** How what is drawn came out; nothing where it is not of a run. */
export type Mark = 'passed' | 'failed' | 'skipped' | 'interrupted' | 'accepted';

/** What goes from one to another, and what comes back. */
export interface Message {
  readonly type: 'message';
  readonly from: string;
  readonly to: string;
  readonly text: string;
  readonly mark?: Mark | undefined;
}

/** What goes back after a message. */
export interface Reply {
  readonly type: 'reply';
  readonly from: string;
  readonly to: string;
  readonly text: string;
  readonly mark?: Mark | undefined;
}

/** What one does by itself. */
export interface Note {
  readonly type: 'note';
  readonly over: string;
  readonly text: string;
  readonly mark?: Mark | undefined;
}

/** What frames are called in UML; `strict` is what happens in this order, whatever happened before. */
export type Operator = 'loop' | 'alt' | 'opt' | 'par' | 'ref' | 'strict';

/** A part that is repeated, that depends on a condition, that goes on side by side, or that stands elsewhere. */
export interface Frame {
  readonly type: 'frame';
  readonly operator: Operator;
  readonly sections: readonly { readonly label: string; readonly items: readonly DrawnItem[] }[];
  readonly mark?: Mark | undefined;
}

export type DrawnItem = Message | Reply | Note | Frame;

/** The chain and the person have these ids; services have theirs, and no name of a service is one of these. */
export const CHAIN = 'this-chain';
export const PERSON = 'this-person';

/** Gathers who takes part, in the order in which they do. */
export class Participants {
  readonly #all = new Map<string, Participant>([[CHAIN, { id: CHAIN, name: 'chain' }]]);

  person(): string {
    this.#all.set(PERSON, { id: PERSON, name: 'person', isPerson: true });
    return PERSON;
  }

  other(name: string): string {
    const id = `service-${name}`;
    if (!this.#all.has(id)) this.#all.set(id, { id, name });
    return id;
  }

  /** The person on the left, then the chain, then the others. */
  get all(): readonly Participant[] {
    const all = [...this.#all.values()];
    return [...all.filter(({ isPerson }) => isPerson), ...all.filter(({ isPerson }) => !isPerson)];
  }
}

/** How many lines items would take, about. */
export function sizeOf(items: readonly DrawnItem[]): number {
  return items.reduce(
    (sum, item) =>
      sum +
      (item.type === 'frame'
        ? item.sections.reduce((inside, section) => inside + 1 + sizeOf(section.items), 1)
        : 1),
    0,
  );
}

/** The same with the innermost frames folded to a line each, until it has no more than so many items. */
export function folded(sequence: Sequence, most: number): Sequence {
  let { items } = sequence;
  for (let depth = depthOf(items); depth > 0 && sizeOf(items) > most; depth--) items = foldedAt(items, depth);
  const left = items.length - most;
  return left > 0
    ? {
        ...sequence,
        items: [...items.slice(0, most), { type: 'note', over: CHAIN, text: `and ${left} more` }],
      }
    : { ...sequence, items };
}

/** How many frames stand inside of each other at most. */
export function depthOf(items: readonly DrawnItem[]): number {
  return Math.max(
    0,
    ...items.map((item) =>
      item.type === 'frame' ? 1 + Math.max(...item.sections.map((section) => depthOf(section.items))) : 0,
    ),
  );
}

function foldedAt(items: readonly DrawnItem[], depth: number): DrawnItem[] {
  return items.map((item) => {
    if (item.type !== 'frame') return item;
    if (depth > 1)
      return {
        ...item,
        sections: item.sections.map((section) => ({
          ...section,
          items: foldedAt(section.items, depth - 1),
        })),
      };
    return {
      ...item,
      sections: item.sections.map(({ items: inside, label }) => {
        const count = sizeOf(inside);
        return count < 3
          ? { label, items: inside }
          : { label, items: [{ type: 'note', over: CHAIN, text: `${count} lines, folded` }] };
      }),
    };
  });
}
