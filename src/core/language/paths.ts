import type { Environment } from './environment.ts';
import { boundList, visit } from './limits.ts';
import type { Segment, Selector } from './tree.ts';
import { Exact } from './numbers.ts';
import { Duration, isObject, namesOf, type Maybe, Time, type Value, type ValueObject } from './values.ts';

/** A filter selector, compiled. */
export interface Filter {
  /** Whether an item stays. */
  readonly keeps: (environment: Environment, item: Maybe) => boolean;
  /** Looks back at all items it was tried on, where warnings are wanted. */
  readonly review?: (environment: Environment, items: readonly Value[]) => void;
}
export type MakeFilter = (selector: Selector & { type: 'filter' }) => Filter;

/** Adds what it finds below a value to a list. */
export type Walk = (environment: Environment, value: Value, found: Value[]) => void;

const collect: Walk = (_, value, found) => {
  found.push(value);
};

/** Names that an object may answer to although it has no such member of its own. */
const INHERITED: ReadonlySet<string> = new Set(
  [
    Object.prototype,
    Uint8Array.prototype,
    Object.getPrototypeOf(Uint8Array.prototype) as object,
    Exact.prototype,
    Time.prototype,
    Duration.prototype,
  ].flatMap((prototype) => Object.getOwnPropertyNames(prototype)),
);

type Member = (value: Value) => Maybe;

/** Compiles the choice of one member. For most names a plain look-up is enough, and much faster than asking first. */
function compileMember(name: string): Member {
  if (INHERITED.has(name) || /^[0-9]/.test(name)) {
    return (value) => (isObject(value) && Object.hasOwn(value, name) ? value[name] : undefined);
  }
  return (value) =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? (value as ValueObject)[name]
      : undefined;
}

function item(value: Value, index: number): Maybe {
  return Array.isArray(value) ? value[index < 0 ? value.length + index : index] : undefined;
}

/** Compiles a path of names and indexes. */
export function compileSingular(segments: readonly Segment[]): (value: Maybe) => Maybe {
  const steps = segments.map(({ selectors }): Member => {
    const selector = selectors[0]!;
    if (selector.type === 'name') return compileMember(selector.name);
    const { index } = selector as { index: number };
    return (value) => item(value, index);
  });
  const [first, second] = steps;
  if (steps.length === 1) return (value) => (value === undefined ? undefined : first!(value));
  if (steps.length === 2) {
    return (value) => {
      const inner = value === undefined ? undefined : first!(value);
      return inner === undefined ? undefined : second!(inner);
    };
  }
  return (value) => {
    let current = value;
    for (let i = 0; i < steps.length && current !== undefined; i++) current = steps[i]!(current);
    return current;
  };
}

/** Compiles a path that may find several nodes (RFC 9535, section 2.1.2). */
export function compileNodes(segments: readonly Segment[], makeFilter: MakeFilter): Walk {
  return segments.reduceRight<Walk>((next, segment) => compileSegment(segment, next, makeFilter), collect);
}

function compileSegment({ descendant, selectors }: Segment, next: Walk, makeFilter: MakeFilter): Walk {
  const walks = selectors.map((selector) => compileSelector(selector, next, makeFilter));
  const select: Walk =
    walks.length === 1
      ? walks[0]!
      : (environment, value, found) => {
          for (const walk of walks) walk(environment, value, found);
        };
  if (!descendant) return select;
  const descend: Walk = (environment, value, found) => {
    select(environment, value, found);
    if (Array.isArray(value)) {
      visit(environment, value.length);
      for (const child of value)
        if (typeof child === 'object' && child !== null) descend(environment, child, found);
    } else if (isObject(value)) {
      const names = namesOf(value);
      visit(environment, names.length);
      for (const name of names) {
        const child = value[name] as Value;
        if (typeof child === 'object' && child !== null) descend(environment, child, found);
      }
    }
  };
  return (environment, value, found) => {
    if (typeof value === 'object' && value !== null) descend(environment, value, found);
  };
}

/** Goes on with each child of a value, or each that a filter keeps. */
function eachChild(filter: Filter | undefined, next: Walk): Walk {
  const last = next === collect;
  const keeps = filter?.keeps;
  return (environment, value, found) => {
    if (Array.isArray(value)) {
      visit(environment, value.length);
      if (environment.warn && filter?.review) filter.review(environment, value);
      for (const child of value) {
        if (keeps !== undefined && !keeps(environment, child)) continue;
        if (last) found.push(child);
        else next(environment, child, found);
      }
    } else if (isObject(value)) {
      const names = namesOf(value);
      visit(environment, names.length);
      if (environment.warn && filter?.review) filter.review(environment, Object.values(value));
      for (const name of names) {
        const child = value[name]!;
        if (keeps === undefined || keeps(environment, child)) next(environment, child, found);
      }
    }
    if (found.length > 1000) boundList(found.length);
  };
}

function compileSelector(selector: Selector, next: Walk, makeFilter: MakeFilter): Walk {
  switch (selector.type) {
    case 'name': {
      const member = compileMember(selector.name);
      return (environment, value, found) => {
        const child = member(value);
        if (child !== undefined) next(environment, child, found);
      };
    }
    case 'index': {
      const { index } = selector;
      return (environment, value, found) => {
        const child = item(value, index);
        if (child !== undefined) next(environment, child, found);
      };
    }
    case 'wildcard':
      return eachChild(undefined, next);
    case 'filter':
      return eachChild(makeFilter(selector), next);
    case 'slice':
      return (environment, value, found) => {
        if (!Array.isArray(value)) return;
        for (const index of sliceIndexes(selector, value.length)) {
          visit(environment, 1);
          next(environment, value[index]!, found);
        }
      };
  }
}

/** The indexes that a slice selects, in its order (RFC 9535, section 2.3.4.2). */
export function* sliceIndexes(
  { start, end, step = 1 }: Selector & { type: 'slice' },
  length: number,
): Generator<number> {
  if (step === 0) return;
  const normal = (place: number): number => (place >= 0 ? place : length + place);
  if (step > 0) {
    const lower = Math.min(Math.max(normal(start ?? 0), 0), length);
    const upper = Math.min(Math.max(normal(end ?? length), 0), length);
    for (let i = lower; i < upper; i += step) yield i;
  } else {
    const upper = Math.min(Math.max(normal(start ?? length - 1), -1), length - 1);
    const lower = Math.min(Math.max(end === undefined ? -1 : normal(end), -1), length - 1);
    for (let i = upper; i > lower; i += step) yield i;
  }
}

/** A node with its place: the names and indexes that lead to it. */
export interface LocatedNode {
  readonly path: readonly (string | number)[];
  readonly value: Value;
}

/** The nodes of a path with their places; slower than a compiled path, for messages and listings. */
export function locate(
  environment: Environment,
  value: Value,
  segments: readonly Segment[],
  makeFilter: MakeFilter,
): LocatedNode[] {
  let nodes: LocatedNode[] = [{ path: [], value }];
  for (const { descendant, selectors } of segments) {
    if (descendant) nodes = nodes.flatMap(withDescendants);
    nodes = nodes.flatMap((node) =>
      selectors.flatMap((selector) => {
        if (selector.type === 'name')
          return childNodes(node).filter(({ path }) => path.at(-1) === selector.name);
        if (selector.type === 'wildcard') return childNodes(node);
        if (selector.type === 'filter') {
          const { keeps } = makeFilter(selector);
          return childNodes(node).filter((child) => keeps(environment, child.value));
        }
        const items = Array.isArray(node.value) ? childNodes(node) : [];
        if (selector.type === 'slice')
          return [...sliceIndexes(selector, items.length)].map((index) => items[index]!);
        const found = items.at(selector.index);
        return found && Math.abs(selector.index) <= items.length ? [found] : [];
      }),
    );
  }
  return nodes;
}

function childNodes({ path, value }: LocatedNode): LocatedNode[] {
  if (Array.isArray(value)) return value.map((child, i) => ({ path: [...path, i], value: child }));
  if (!isObject(value)) return [];
  return namesOf(value).map((name) => ({ path: [...path, name], value: value[name]! }));
}

function withDescendants(node: LocatedNode): LocatedNode[] {
  return [node, ...childNodes(node).flatMap(withDescendants)];
}

/** A normalised path (RFC 9535, section 2.7). */
export function normalisedPath(path: readonly (string | number)[]): string {
  return `$${path.map((key) => (typeof key === 'number' ? `[${key}]` : `['${escapeName(key)}']`)).join('')}`;
}

const NAMED_ESCAPES: Readonly<Record<string, string>> = {
  '\b': 'b',
  '\f': 'f',
  '\n': 'n',
  '\r': 'r',
  '\t': 't',
  "'": "'",
  '\\': '\\',
};

function escapeName(name: string): string {
  return name.replace(/[\u0000-\u001f'\\]/g, (char) => {
    const named = NAMED_ESCAPES[char];
    return `\\${named ?? `u${char.charCodeAt(0).toString(16).padStart(4, '0')}`}`;
  });
}
