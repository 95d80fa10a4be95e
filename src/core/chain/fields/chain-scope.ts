import { type Kind, OBJECT, union } from '../../language/kinds.ts';
import type { StaticName, StaticScope } from '../../language/scope.ts';
import type { ReadAs } from '../model.ts';
import { GIVEN_NAMES, otherwiseCalled, responseKind, responseNameKinds } from '../keys/given-names.ts';
import { notHere, sentNames } from './names-elsewhere.ts';
import { nameList, nearest } from '../../language/nearest.ts';
import type { OwnFunction } from '../../language/tree.ts';

/** What stands before the name of a step where it is meant whatever else is called so. */
const STEP = 'steps.';

interface KnownName extends StaticName {
  readonly line: number;
}

/** How the body of a response is read, and what a description says of it. */
export type ReadResponse = ReadAs | undefined | { readonly readAs: ReadAs | undefined; readonly kind: Kind };

/** The names of a chain file while it is read from top to bottom. */
export class ChainScope {
  /** What it knows besides the scope that it branched from: copying that for each step would take time with their square. */
  readonly #names = new Map<string, KnownName>();
  readonly #from: ChainScope | undefined;
  /** Each name that was ever defined, with its line. */
  readonly #lines: Map<string, number>;
  readonly #later: Map<string, number>;
  /** Names of the steps that are being read: one, and those it stands in. */
  readonly #reading: Set<string>;
  /** Names that ended with the iterations of a loop, and the line of that loop. */
  readonly #ended: Map<string, number>;
  /** Inputs that are read row by row. */
  readonly #rows: Set<string>;
  /** Names that may be kept more than once: those that a repeat starts with. */
  readonly #again: Set<string>;
  /** The last named call, for messages about `$`. */
  lastCall: string | undefined;
  /** What the chain and the project define. */
  readonly functions: ReadonlyMap<string, OwnFunction>;

  constructor(from?: ChainScope, functions: ReadonlyMap<string, OwnFunction> = from?.functions ?? new Map()) {
    this.functions = functions;
    this.#lines = from ? from.#lines : new Map<string, number>();
    this.#later = from ? from.#later : new Map<string, number>();
    this.#reading = from ? from.#reading : new Set<string>();
    this.#ended = from ? from.#ended : new Map<string, number>();
    this.#again = new Set(from ? from.#again : []);
    this.#rows = from ? from.#rows : new Set<string>();
    this.lastCall = from?.lastCall;
    this.#from = from;
  }

  /** The line on which a name was defined before; undefined if it is new. */
  define(name: string, known: StaticName, line: number): number | undefined {
    const found = this.lookup(name);
    const before = (found?.given ? undefined : found?.line) ?? this.#lines.get(name);
    if (before !== undefined && !this.#again.has(name)) return before;
    this.set(name, known, line);
    return undefined;
  }

  set(name: string, known: StaticName, line: number): void {
    this.#names.set(name, { ...known, ...(GIVEN_NAMES.has(name) ? { own: true } : {}), line });
    this.#lines.set(name, line);
  }

  /** A name that the language gives, where the chain has none of its own that is called so. */
  give(name: string, kind: Kind): void {
    if (this.#hasOwn(name)) return;
    this.#names.set(name, { kind, given: true, line: 0 });
  }

  /** Whether the chain gives a name, here or further down. */
  #hasOwn(name: string): boolean {
    const known = this.lookup(name);
    return known ? !known.given : this.#later.has(name);
  }

  /** Names that the file defines further down, for messages. */
  announce(name: string, line: number): void {
    this.#later.set(name, line);
  }

  /** A step with a name begins or ends; inside it the name is not known yet. */
  reading(name: string | undefined, isBegin: boolean): void {
    if (name === undefined) return;
    if (isBegin) this.#reading.add(name);
    else this.#reading.delete(name);
  }

  /** An input of rows is no list that expressions could hold: only each goes over it. */
  defineRows(name: string, line: number): void {
    this.#lines.set(name, line);
    this.#rows.add(name);
  }

  /** These names may be kept again by the steps of this scope. */
  keepAnew(names: readonly string[]): void {
    for (const name of names) {
      this.#again.add(name);
      this.#later.delete(name);
    }
  }

  /** The names of an iteration end with it; later loops may use them again. */
  end(names: Iterable<string>, loop: number): void {
    for (const name of names) {
      this.#lines.delete(name);
      this.#later.delete(name);
      this.#ended.set(name, loop);
    }
  }

  lookup(name: string): KnownName | undefined {
    return this.#names.get(name) ?? this.#from?.lookup(name);
  }

  names(): string[] {
    return [...this.entries().keys()];
  }

  entries(): Map<string, KnownName> {
    const all = this.#from?.entries() ?? new Map<string, KnownName>();
    for (const [name, known] of this.#names) all.set(name, known);
    return all;
  }

  /** The names that it knows and the scope that it branched from does not. */
  added(): [string, KnownName][] {
    return [...this.#names].filter(([name]) => !this.#from?.lookup(name));
  }

  /** Another way through the chain: what it defines is forgotten by the other branch. */
  branch(): ChainScope {
    return new ChainScope(this);
  }

  /** Lets a second branch define names that the first one defined. */
  forget(names: Iterable<string>): void {
    for (const name of names) this.#lines.delete(name);
  }

  /** Names of two branches become names after the group. */
  join(first: ChainScope, second: ChainScope | undefined, why: string): void {
    for (const [name, known] of first.added()) {
      if (this.lookup(name)) continue;
      const other = second?.lookup(name);
      if (other)
        this.set(
          name,
          { kind: union(known.kind, other.kind), secret: Boolean(known.secret ?? other.secret) },
          known.line,
        );
      else
        this.set(
          name,
          { ...known, mayBeNothing: known.mayBeNothing ?? `${why} (line ${known.line})` },
          known.line,
        );
    }
    for (const [name, known] of second?.added() ?? []) {
      if (!this.lookup(name))
        this.set(
          name,
          { ...known, mayBeNothing: known.mayBeNothing ?? `${why} (line ${known.line})` },
          known.line,
        );
    }
    this.lastCall = first.lastCall ?? second?.lastCall ?? this.lastCall;
  }

  // ---- as expressions see it

  #scope(
    response: StaticScope['response'],
    more: (name: string) => StaticName | undefined,
    extra: readonly string[],
    whyNot: StaticScope['whyNot'],
  ): StaticScope {
    return {
      lookup: (name) => {
        const own = this.lookup(name);
        if (own && !own.given) return own;
        // What a chain calls by a name that the language gives is called so everywhere in it.
        if (GIVEN_NAMES.has(name) && this.#later.has(name)) return undefined;
        return more(name) ?? own;
      },
      names: () => [...extra, ...this.names().filter((name) => !name.startsWith(STEP))],
      functions: this.functions,
      response,
      whyNot: (name) => {
        if (name === 'steps' || name.startsWith(STEP)) return this.#whyNoStep(name);
        const why = whyNot?.(name);
        if (why) return why;
        if (this.#rows.has(name))
          return {
            message: `${name} is read row by row, by each only`,
            hint: `each: row in ${name}`,
          };
        const loop = this.#ended.get(name);
        if (loop !== undefined && !this.lookup(name))
          return {
            message: `${name} is kept in the iterations of the loop on line ${loop}, and ends with each of them`,
            hint: `gather: { ${name}: ${name} } on the loop gives the list of all`,
          };
        const line = this.#later.get(name);
        if (line === undefined || this.lookup(name)) return undefined;
        if (this.#reading.has(name))
          return {
            message: `${name} is the step this is part of; its name can be used only below it`,
            hint: 'in the step itself what it gives stands bare: a result, a gathered or kept name',
          };
        const other = otherwiseCalled(name);
        return GIVEN_NAMES.has(name) && (more(name) ?? this.lookup(name))
          ? {
              message: `${name} is defined further down, on line ${line}, and means that in the whole chain`,
              hint: other ?? 'another name there',
            }
          : {
              message: `${name} is defined further down, on line ${line}`,
              hint: 'a step uses what steps above it keep',
              ...('missing' in response ? {} : { replace: `$.${name}` }),
            };
      },
    };
  }

  #whyNoStep(name: string): { message: string; hint?: string } {
    const known = this.names().filter((one) => one.startsWith(STEP));
    if (name === 'steps')
      return {
        message: 'steps stands before the name of a step: steps.NAME',
        ...(known.length > 0 ? { hint: known[0]! } : {}),
      };
    const step = name.slice(STEP.length);
    const loop = this.#ended.get(name);
    if (loop !== undefined)
      return {
        message: `${step} is a step inside the loop on line ${loop}, and ends with each of its iterations`,
        hint: `gather: { ${step}: ${step}.ok } on the loop gives a list`,
      };
    const line = this.#later.get(step);
    if (line !== undefined && !this.lookup(step))
      return {
        message: `${step} is defined further down, on line ${line}`,
        hint: 'a step uses steps above it',
      };
    const near = nearest(name, known);
    return {
      message: `no step above has the name ${step}`,
      hint:
        near ??
        (known.length > 0
          ? `steps with names: ${nameList(known.map((one) => one.slice(STEP.length)))}`
          : 'name: on the step'),
    };
  }

  /** Where there is no response: a group, a wait, results; `more` names are there in this step only. */
  outside(more: ReadonlyMap<string, StaticName> = new Map()): StaticScope {
    const { lastCall } = this;
    return this.#scope(
      {
        missing: '$ is the response of its own step, and this step sends nothing',
        ...(lastCall === undefined
          ? { hint: 'use the name of the step that sends: NAME.body' }
          : { hint: `${lastCall}.body`, replace: `${lastCall}.body` }),
      },
      (name) => more.get(name),
      [...more.keys()],
      (name) => notHere(name, 'this step sends nothing', lastCall),
    );
  }

  /** Fields that are read before the request of the step is sent; `sent` fields may hold secrets. */
  before(
    sent: boolean,
    secrets: readonly string[],
    services: readonly string[],
    more: Readonly<Record<string, Kind>> = {},
  ): StaticScope {
    const { lastCall } = this;
    const given = sent ? sentNames(secrets, services) : { lookup: () => undefined, names: [] };
    const all: Readonly<Record<string, Kind>> = sent ? { cookies: OBJECT, ...more } : more;
    const names = [...given.names, ...Object.keys(all)];
    const lookup = (name: string): StaticName | undefined =>
      Object.hasOwn(all, name) ? { kind: all[name]!, given: true } : given.lookup(name);
    return this.#scope(
      {
        missing: 'there is no response yet: this is read before the request is sent',
        hint:
          lastCall === undefined
            ? 'name an earlier step: NAME.body'
            : `${lastCall}.body is the response of the step before`,
      },
      lookup,
      names,
      (name) =>
        sent && (name === 'secret' || name === 'services' || name === 'cookies')
          ? undefined
          : notHere(name, 'there is no response yet', lastCall),
    );
  }

  /** Fields that are read when the response is there; `more` names are there in this step only. */
  after(response: ReadResponse, more: Readonly<Record<string, Kind>> = {}): StaticScope {
    const readAs = typeof response === 'object' ? response.readAs : response;
    const described = typeof response === 'object' ? response.kind : undefined;
    const own = responseNameKinds(readAs, described);
    const kinds: Readonly<Record<string, Kind>> = Object.keys(more).length === 0 ? own : { ...own, ...more };
    return this.#scope(
      described ?? responseKind(readAs),
      (name) =>
        Object.hasOwn(kinds, name)
          ? { kind: kinds[name]!, given: true, ...(name === 'item' ? { item: true } : {}) }
          : undefined,
      Object.keys(kinds),
      (name) => notHere(name, '', undefined),
    );
  }
}
