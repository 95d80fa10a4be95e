import { nearest } from '../language/nearest.ts';
import type { Description, OperationHead } from './description.ts';

/** A part of a path as a chain writes it: a text, or something that is only known in the run. */
export type PathSegment = string | undefined;

/** An operation that a request goes to, or what would be the nearest. */
export type FoundOperation =
  | { readonly head: OperationHead }
  /** The path is described, with these methods. */
  | { readonly methods: readonly string[] }
  | { readonly near?: OperationHead };

interface Template {
  readonly head: OperationHead;
  readonly segments: readonly (string | RegExp)[];
  /** The same behind the path of the server. */
  readonly whole: readonly (string | RegExp)[];
}

interface Table {
  /** Paths by how many parts they have, so that of 10,000 operations few are looked at. */
  readonly table: ReadonlyMap<number, readonly Template[]>;
  /** The path of the server. */
  readonly prefix: readonly string[];
  /** Whether some operation lies below a path, by that path. */
  readonly bases: Map<string, boolean>;
}

const tables = new WeakMap<Description, Table>();

/**
 * Finds the operation of a request. `segments` is its path behind the URL of the service, `base` what stands before; either
 * may be what the description begins its paths with.
 */
export function findOperation(
  description: Description,
  method: string,
  segments: readonly PathSegment[],
  base: readonly PathSegment[] = [],
): FoundOperation {
  const { table, prefix } = tableOf(description);
  const fitting = (
    path: readonly PathSegment[],
    which: 'segments' | 'whole',
  ): { readonly head: OperationHead; readonly score: number }[] => {
    const all: { readonly head: OperationHead; readonly score: number }[] = [];
    for (const template of table.get(path.length) ?? []) {
      if (template[which].length !== path.length) continue;
      const score = scoreOf(path, template[which]);
      if (score !== undefined) all.push({ head: template.head, score });
    }
    return all;
  };
  // Where the description has the path of the service too, what stands behind it is no path of its own.
  const isBased = base.length > 0 && isPrefix(description, base, prefix);
  const found = isBased ? fitting([...base, ...segments], 'whole') : fitting(segments, 'segments');
  if (found.length === 0 && !isBased) found.push(...fitting([...base, ...segments], 'whole'));
  if (found.length > 1) found.sort((a, b) => b.score - a.score);
  const exact = found.find(({ head }) => head.method === method);
  if (exact) return { head: exact.head };
  if (found.length > 0)
    return {
      methods: [
        ...new Set(found.filter(({ score }) => score === found[0]!.score).map(({ head }) => head.method)),
      ],
    };
  return nearestOperation(
    description,
    method,
    isBased ? { path: [...base, ...segments], prefix } : { path: segments, prefix: [] },
  );
}

function isPrefix(
  description: Description,
  base: readonly PathSegment[],
  prefix: readonly string[],
): boolean {
  const { bases } = tableOf(description);
  const key = base.join('/');
  let known = bases.get(key);
  if (known === undefined) {
    known = description.operations.some(({ path, incoming }) => {
      const whole = [...prefix, ...partsOf(path)];
      return incoming === undefined && base.every((part, i) => part === whole[i]);
    });
    bases.set(key, known);
  }
  return known;
}

function tableOf(description: Description): Table {
  const known = tables.get(description);
  if (known) return known;
  const prefix = prefixOf(description.servers);
  const table = new Map<number, Template[]>();
  for (const head of description.operations) {
    if (head.incoming !== undefined) continue;
    const segments = partsOf(head.path).map(segmentOf);
    const template = {
      head,
      segments,
      whole: [...(head.servers ? prefixOf(head.servers) : prefix), ...segments],
    };
    for (const length of new Set([segments.length, template.whole.length])) {
      const list = table.get(length) ?? [];
      list.push(template);
      table.set(length, list);
    }
  }
  const made = { table, prefix, bases: new Map<string, boolean>() };
  tables.set(description, made);
  return made;
}

function prefixOf(servers: readonly string[]): string[] {
  return servers.map((url) => partsOf(pathOfServer(url))).find((parts) => parts.length > 0) ?? [];
}

/** The path of a server's address, which may be relative. */
export function pathOfServer(url: string): string {
  return /^(?:[a-z][a-z0-9+.-]*:)?(?:\/\/[^/?#]*)?([^?#]*)/i.exec(url)![1]!;
}

/** The parts of a path; a slash at its end does not count. */
export function partsOf(path: string): string[] {
  return path.replace(/\/$/, '').split('/').slice(1).map(decoded);
}

function decoded(part: string): string {
  if (!part.includes('%')) return part;
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

/** A part of a described path: a text, or a pattern with something for each `{…}`. */
function segmentOf(part: string): string | RegExp {
  if (!part.includes('{')) return part;
  const source = part
    .split(/\{[^{}]*\}/)
    .map((text) => text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'))
    .join('.+?');
  return new RegExp(`^${source}$`, 's');
}

/** How well a path fits: higher for each part that is the same text; undefined where it does not. */
function scoreOf(path: readonly PathSegment[], segments: readonly (string | RegExp)[]): number | undefined {
  let score = 0;
  for (let i = 0; i < segments.length; i++) {
    const [segment, part] = [segments[i]!, path[i]];
    if (typeof segment === 'string') {
      if (part === segment) score += 3;
      else if (part === undefined) score -= 1;
      else return undefined;
    } else if (part === undefined) score += 2;
    else if (segment.test(part)) score += 1;
    else return undefined;
  }
  return score;
}

function nearestOperation(
  { operations }: Description,
  method: string,
  { path, prefix }: { readonly path: readonly PathSegment[]; readonly prefix: readonly string[] },
): FoundOperation {
  const written = `/${path.map((part) => part ?? '{}').join('/')}`;
  const before = prefix.map((part) => `/${part}`).join('');
  const paths = new Map<string, OperationHead>();
  for (const head of operations) {
    if (head.incoming !== undefined) continue;
    const whole = before + head.path.replace(/\{[^{}]*\}/g, '{}');
    if (!paths.has(whole) || head.method === method) paths.set(whole, head);
  }
  // Of very many it would take long, and one that begins otherwise is hardly meant.
  const names = [...paths.keys()];
  const near = nearest(written, names.length > 2_000 ? names.filter((one) => one[1] === written[1]) : names);
  return near === undefined ? {} : { near: paths.get(near)! };
}
