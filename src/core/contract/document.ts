/**
 * The data of a description while it is read: plain JSON, in which each object carries the line on which it begins under
 * {@link LINE}. A description may consist of several files; `''` is the first, others are named by their paths from it.
 */
export interface DescriptionSource {
  /** What stands at a JSON pointer (RFC 6901, section 4) in one of its files; undefined if nothing does. */
  at(file: string, pointer: string): unknown;
}

/** The member under which an object carries its line. No name in a file is this: the readers leave such a one out. */
export const LINE = '\u0000';

/** A place in the files of a description. */
export interface Ref {
  readonly file: string;
  readonly pointer: string;
}

/** A place in a description as people are told it. Lines count from 1. */
export interface Spot {
  readonly file: string;
  readonly line: number;
}

export type DataObject = Readonly<Record<string, unknown>>;

export function isData(node: unknown): node is DataObject {
  return typeof node === 'object' && node !== null && !Array.isArray(node);
}

/** The members of an object as they are written, in their order. */
export function dataEntries(node: unknown): [string, unknown][] {
  return isData(node) ? Object.entries(node).filter(([name]) => name !== LINE) : [];
}

/** A member that an object itself has. */
export function dataMember(node: unknown, name: string): unknown {
  return isData(node) && Object.hasOwn(node, name) ? node[name] : undefined;
}

/** A member that is a text; undefined if there is none. */
export function textMember(node: unknown, name: string): string | undefined {
  const value = dataMember(node, name);
  return typeof value === 'string' ? value : undefined;
}

/** The line on which an object begins; that of `around` for anything else. */
export function lineOfData(node: unknown, around = 1): number {
  const line = isData(node) ? node[LINE] : undefined;
  return typeof line === 'number' ? line : around;
}

/** A value without the lines: what is written there. At most 100 levels. */
export function withoutLines(node: unknown, depth = 0): unknown {
  if (depth > 100) return null;
  if (Array.isArray(node)) return node.map((item) => withoutLines(item, depth + 1));
  if (!isData(node)) return node;
  const bare: Record<string, unknown> = {};
  for (const [name, value] of dataEntries(node)) setOwn(bare, name, withoutLines(value, depth + 1));
  return bare;
}

/** Sets a member, also one named `__proto__`. */
export function setOwn(object: Record<string, unknown>, name: string, value: unknown): void {
  if (name === '__proto__')
    Object.defineProperty(object, name, { value, enumerable: true, configurable: true, writable: true });
  else object[name] = value;
}

/** A name as a part of a JSON pointer (RFC 6901, section 3). */
export function pointerPart(name: string): string {
  return name.replaceAll('~', '~0').replaceAll('/', '~1');
}

/** The names that a JSON pointer goes through. */
export function pointerParts(pointer: string): string[] {
  return pointer === ''
    ? []
    : pointer
        .slice(1)
        .split('/')
        .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** What stands at a pointer below some data. */
export function dataAt(node: unknown, parts: readonly string[]): unknown {
  let at = node;
  for (const part of parts) {
    if (Array.isArray(at))
      at = /^(?:0|[1-9]\d{0,8})$/.test(part) ? (at as unknown[])[Number(part)] : undefined;
    else at = dataMember(at, part);
    if (at === undefined) return undefined;
  }
  return at;
}

/**
 * Where a `$ref` that stands in a file leads; undefined for an address elsewhere, for a name in place of a pointer, and for
 * what is no reference at all.
 */
export function refTarget(from: string, ref: string): Ref | undefined {
  const [, path = '', fragment = ''] = /^([^#]*)(?:#(.*))?$/s.exec(ref) ?? [];
  if (/^[a-z][a-z0-9+.-]*:|^\/\//i.test(path) || path.startsWith('/')) return undefined;
  let pointer: string;
  try {
    pointer = decodeURIComponent(fragment);
  } catch {
    return undefined;
  }
  if (pointer !== '' && !pointer.startsWith('/')) return undefined;
  return { file: path === '' ? from : joined(from, path), pointer };
}

/** A path that begins at the folder of a file. */
function joined(from: string, path: string): string {
  const parts = from.split('/').slice(0, -1);
  for (const part of path.split('/')) {
    if (part === '' || part === '.') continue;
    if (part === '..' && parts.length > 0 && parts.at(-1) !== '..') parts.pop();
    else parts.push(part);
  }
  return parts.join('/');
}

/** What stands at a place, with every `$ref` on the way followed; at most 100 of them. */
export function followed(
  source: DescriptionSource,
  ref: Ref,
): { readonly ref: Ref; readonly node: unknown } | { readonly lost: string } {
  let at = ref;
  for (let i = 0; i < 100; i++) {
    const node = source.at(at.file, at.pointer);
    const next = textMember(node, '$ref');
    if (next === undefined)
      return node === undefined ? { lost: `${at.file}#${at.pointer}` } : { ref: at, node };
    const target = refTarget(at.file, next);
    if (!target) return { lost: next };
    at = target;
  }
  return { lost: `${ref.file}#${ref.pointer}` };
}

/** What reading a description needs besides its data. */
export interface DescriptionReading {
  readonly source: DescriptionSource;
  readonly isOld: boolean;
  readonly fileName: (file: string) => string;
  /** What could not be used as written. */
  readonly warn: (ref: Ref, line: number, message: string) => void;
}

/** Something in a description that could not be used as it is written. */
export interface DescriptionWarning {
  readonly message: string;
  readonly at: Spot;
}
