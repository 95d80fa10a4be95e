import { createHash } from 'node:crypto';
import {
  closeSync,
  fstatSync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import type { DescriptionHead } from '../../core/contract/description.ts';
import {
  dataAt,
  dataEntries,
  type DescriptionSource,
  isData,
  LINE,
  pointerPart,
  pointerParts,
  setOwn,
} from '../../core/contract/document.ts';
import { makeOwnFolder } from '../secrets/own-folder.ts';

/** Changes with the form of what is stored, and with what is made of a description. */
const FORMAT = 2;
/** The first line says how long the header is. */
const FIRST_LINE = 16;

/** A file that a description was read from. */
export interface SourceDigest {
  /** As its path from the first one; `''` for that. */
  readonly file: string;
  /** SHA-256, in hexadecimal digits; empty for one that was not there. */
  readonly digest: string;
}

interface Header {
  readonly format: number;
  readonly sources: readonly SourceDigest[];
  readonly head: DescriptionHead;
  /** Where each piece stands behind the header, in bytes: `file#pointer` to offset and length. */
  readonly pieces: Readonly<Record<string, readonly [offset: number, length: number]>>;
}

/** A description as it was stored: its head, and a source that reads a piece of it when it is asked for. */
export interface StoredDescription {
  readonly sources: readonly SourceDigest[];
  readonly head: DescriptionHead;
  readonly source: DescriptionSource;
}

/** The file in which what was read of a description is stored. */
export function storePath(folder: string, description: string): string {
  return join(
    folder,
    'descriptions',
    `${createHash('sha256').update(description).digest('hex').slice(0, 32)}.json`,
  );
}

/** Opens what was stored; undefined if there is nothing, or nothing that can be used. */
export function openStored(path: string): StoredDescription | undefined {
  try {
    const file = openSync(path, 'r');
    try {
      const length = Number(read(file, 0, FIRST_LINE));
      if (!(length > 0) || length > fstatSync(file).size) return undefined;
      const header = JSON.parse(read(file, FIRST_LINE, length)) as Header;
      if (header.format !== FORMAT) return undefined;
      return {
        sources: header.sources,
        head: header.head,
        source: new StoredSource(path, FIRST_LINE + length, header.pieces),
      };
    } finally {
      closeSync(file);
    }
  } catch {
    // It is made anew.
    return undefined;
  }
}

function read(file: number, offset: number, length: number): string {
  const bytes = Buffer.alloc(length);
  return bytes.toString('utf8', 0, readSync(file, bytes, 0, length, offset));
}

class StoredSource implements DescriptionSource {
  readonly #path: string;
  readonly #start: number;
  readonly #pieces: Header['pieces'];
  readonly #read = new Map<string, unknown>();

  constructor(path: string, start: number, pieces: Header['pieces']) {
    this.#path = path;
    this.#start = start;
    this.#pieces = pieces;
  }

  at(file: string, pointer: string): unknown {
    const parts = pointerParts(pointer);
    for (let length = Math.min(parts.length, DEEPEST); length >= 0; length--) {
      const key = `${file}#${parts
        .slice(0, length)
        .map((part) => `/${pointerPart(part)}`)
        .join('')}`;
      if (Object.hasOwn(this.#pieces, key)) return dataAt(this.#piece(key), parts.slice(length));
    }
    return undefined;
  }

  #piece(key: string): unknown {
    if (this.#read.has(key)) return this.#read.get(key);
    const [offset, length] = this.#pieces[key]!;
    let piece: unknown;
    const file = openSync(this.#path, 'r');
    try {
      piece = JSON.parse(read(file, this.#start + offset, length));
    } finally {
      closeSync(file);
    }
    this.#read.set(key, piece);
    return piece;
  }
}

/** Members of the root that are stored piece by piece, and how deep. */
const PIECES: Readonly<Record<string, number>> = { paths: 1, webhooks: 1, components: 2 };
const DEEPEST = 3;

/** Stores what was read of a description. That it can't be stored only means that it is read again. */
export function store(
  folder: string,
  path: string,
  {
    sources,
    head,
    files,
  }: Omit<StoredDescription, 'source'> & { readonly files: ReadonlyMap<string, unknown> },
): void {
  const pieces: Record<string, readonly [number, number]> = {};
  const texts: Buffer[] = [];
  let offset = 0;
  const add = (key: string, piece: unknown): void => {
    const text = Buffer.from(JSON.stringify(piece));
    pieces[key] = [offset, text.length];
    texts.push(text);
    offset += text.length;
  };
  for (const [file, data] of files) add(`${file}#`, split(data, file === '' ? PIECES : {}, `${file}#`, add));
  const header = Buffer.from(JSON.stringify({ format: FORMAT, sources, head, pieces } satisfies Header));
  const temporary = `${path}.${process.pid}`;
  try {
    makeOwnFolder(folder);
    mkdirSync(join(folder, 'descriptions'), { recursive: true });
    writeFileSync(
      temporary,
      Buffer.concat([Buffer.from(String(header.length).padEnd(FIRST_LINE)), header, ...texts]),
      { flag: 'wx' },
    );
    renameSync(temporary, path);
  } catch {
    rmSync(temporary, { force: true });
  }
}

/** What is left of an object when its pieces are stored on their own. */
function split(
  data: unknown,
  levels: Readonly<Record<string, number>>,
  key: string,
  add: (key: string, piece: unknown) => void,
): unknown {
  if (!isData(data)) return data;
  const rest: Record<string, unknown> = { [LINE]: data[LINE] };
  for (const [name, value] of dataEntries(data)) {
    const depth = Object.hasOwn(levels, name) && isData(value) ? levels[name]! : 0;
    setOwn(rest, name, depth === 0 ? value : apart(value, depth, `${key}/${pointerPart(name)}`, add));
  }
  return rest;
}

function apart(
  data: unknown,
  depth: number,
  key: string,
  add: (key: string, piece: unknown) => void,
): unknown {
  if (!isData(data)) return data;
  const rest: Record<string, unknown> = { [LINE]: data[LINE] };
  for (const [name, value] of dataEntries(data)) {
    const below = `${key}/${pointerPart(name)}`;
    if (depth > 1) setOwn(rest, name, apart(value, depth - 1, below, add));
    else add(below, value);
  }
  return rest;
}
