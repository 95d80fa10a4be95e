import type { Program } from './program.ts';

/** How many states are kept before the automaton forgets them and begins anew. */
const MAXIMUM_STATES = 2000;

interface State {
  /** Instructions that consume, in order. */
  readonly threads: readonly number[];
  /** The whole pattern is found here, whatever follows. */
  readonly accepts: boolean;
  /** It is found if the text ends here. */
  readonly acceptsAtEnd: boolean;
  /** By class of the next character. */
  readonly next: (State | undefined)[];
}

/**
 * Responses whether a text matches, in time linear in its length: runs all ways through the program at once and keeps the
 * sets of places it met as states of a deterministic automaton, made when first needed.
 */
export class Automaton {
  readonly #program: Program;
  readonly #unanchored: boolean;
  #states = new Map<string, State>();
  #first: State | undefined;
  readonly #classOf = new Map<number, number>();
  readonly #asciiClasses = new Int32Array(128).fill(-1);
  readonly #classes = new Map<string, number>();
  readonly #members: boolean[][] = [];

  /** `search`: the match may begin and end anywhere; otherwise it is the whole text. */
  constructor(program: Program, mode: 'match' | 'search') {
    this.#program = program;
    this.#unanchored = mode === 'search';
  }

  test(text: string): boolean {
    let state = (this.#first ??= this.#state([0], true));
    const end = text.length;
    for (let i = 0; i < end; i++) {
      if (this.#unanchored && state.accepts) return true;
      let point = text.charCodeAt(i);
      if (point >= 0xd800 && point <= 0xdbff) {
        point = text.codePointAt(i)!;
        if (point > 0xffff) i++;
      }
      const known = point < 128 ? this.#asciiClasses[point]! : -1;
      const kind = known >= 0 ? known : this.#class(point);
      state = state.next[kind] ?? this.#step(state, kind);
      if (!this.#unanchored && state.threads.length === 0 && !state.acceptsAtEnd) return false;
    }
    return state.acceptsAtEnd;
  }

  /** Characters that no set tells apart are of one class. */
  #class(point: number): number {
    const known = this.#classOf.get(point);
    if (known !== undefined) return known;
    const members = this.#program.sets.map((set) => set(point));
    const key = members.map((member) => (member ? '1' : '0')).join('');
    let number = this.#classes.get(key);
    if (number === undefined) {
      number = this.#members.length;
      this.#members.push(members);
      this.#classes.set(key, number);
    }
    if (point < 128) this.#asciiClasses[point] = number;
    else if (this.#classOf.size < 10_000) this.#classOf.set(point, number);
    return number;
  }

  #step(state: State, kind: number): State {
    const members = this.#members[kind]!;
    const targets: number[] = [];
    for (const thread of state.threads) {
      const instruction = this.#program.instructions[thread]!;
      if (instruction.type === 'consume' && members[instruction.set]) targets.push(thread + 1);
    }
    if (this.#unanchored) targets.push(0);
    if (this.#states.size > MAXIMUM_STATES) {
      this.#states = new Map();
      this.#first = undefined;
      return this.#state(targets, false); // not linked from the old state, so that the old ones can go
    }
    return (state.next[kind] = this.#state(targets, false));
  }

  #state(targets: readonly number[], atStart: boolean): State {
    const threads: number[] = [];
    const accepts = this.#close(targets, atStart, false, threads);
    const acceptsAtEnd = accepts || this.#close(targets, atStart, true, []);
    const key = `${atStart ? '^' : ''}${acceptsAtEnd ? '$' : ''}${accepts ? '!' : ''}${threads.join(',')}`;
    const known = this.#states.get(key);
    if (known) return known;
    const state: State = { threads, accepts, acceptsAtEnd, next: [] };
    this.#states.set(key, state);
    return state;
  }

  /** Follows all instructions that consume nothing. */
  #close(targets: readonly number[], atStart: boolean, atEnd: boolean, threads: number[]): boolean {
    const seen = new Set<number>();
    const open = [...targets].reverse();
    let accepts = false;
    while (open.length > 0) {
      const at = open.pop()!;
      if (seen.has(at)) continue;
      seen.add(at);
      const instruction = this.#program.instructions[at]!;
      switch (instruction.type) {
        case 'consume':
          threads.push(at);
          break;
        case 'fork':
          open.push(instruction.second, instruction.first);
          break;
        case 'jump':
          open.push(instruction.to);
          break;
        case 'remember':
          open.push(at + 1);
          break;
        case 'start':
          if (atStart) open.push(at + 1);
          break;
        case 'end':
          if (atEnd) open.push(at + 1);
          break;
        case 'accept':
          accepts = true;
      }
    }
    return accepts;
  }
}
