import { createHash } from 'node:crypto';
import { realpathSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import type {
  Description,
  DescriptionHead,
  Direction,
  Operation,
  OperationHead,
} from '../../core/contract/description.ts';
import {
  dataAt,
  dataEntries,
  type DescriptionSource,
  pointerParts,
  type Ref,
  refTarget,
  textMember,
  withoutLines,
} from '../../core/contract/document.ts';
import { normalSchema } from '../../core/contract/normal-schema.ts';
import { readDescription } from '../../core/contract/read-openapi.ts';
import { readOperation } from '../../core/contract/read-operation.ts';
import type { Schema } from '../../core/contract/json-schema.ts';
import { fail, ProblemError } from '../../core/problems.ts';
import { textOfFile } from '../files/text-file.ts';
import { OWN_FOLDER, readRegularFile } from '../secrets/own-folder.ts';
import { openStored, type SourceDigest, store, storePath } from './description-store.ts';
import { parseData } from './parse-data.ts';

/** A file of a description takes no more, in bytes, and all of them together no more than twice that. */
const LARGEST_FILE = 64 * 1024 * 1024;
const MOST_FILES = 500;

/**
 * Opens the description in a file, and in the files below the project that it refers to. What is read of it is stored, so
 * that the next time only what is asked for is read. `shown` is the path for people. Throws `file-not-found`,
 * `not-a-description`.
 */
export function openDescription(path: string, shown: string, project: string): Description {
  const whole = resolve(path);
  const own = join(project, OWN_FOLDER);
  const stored = storePath(own, whole);
  const bytes = readBytes(whole, shown);
  const fileName = nameOf(shown);
  const found = openStored(stored);
  const isCurrent = found?.sources.every(
    ({ file, digest }) => digestOf(file === '' ? bytes : bytesBelow(whole, file, project)) === digest,
  );
  if (found && isCurrent) return new FileDescription(shown, found.head, found.source, fileName);
  const { files, sources } = readFiles(whole, bytes, project, fileName);
  const source: DescriptionSource = {
    at: (file, pointer) => dataAt(files.get(file), pointerParts(pointer)),
  };
  const head = readDescription(source, fileName);
  store(own, stored, { head, sources, files });
  return new FileDescription(shown, head, source, fileName);
}

class FileDescription implements Description {
  readonly file: string;
  readonly specification: string;
  readonly title: string;
  readonly version: string;
  readonly operations: DescriptionHead['operations'];
  readonly servers: DescriptionHead['servers'];
  readonly schemes: DescriptionHead['schemes'];
  readonly schemas: DescriptionHead['schemas'];
  readonly warnings: DescriptionHead['warnings'];
  readonly #source: DescriptionSource;
  readonly #fileName: (file: string) => string;
  readonly #operations = new Map<OperationHead, Operation>();
  readonly #schemas = new Map<string, Schema>();

  constructor(
    file: string,
    head: DescriptionHead,
    source: DescriptionSource,
    fileName: (file: string) => string,
  ) {
    this.file = file;
    this.specification = head.specification;
    this.title = head.title;
    this.version = head.version;
    this.operations = head.operations;
    this.servers = head.servers;
    this.schemes = head.schemes;
    this.schemas = head.schemas;
    this.warnings = head.warnings;
    this.#source = source;
    this.#fileName = fileName;
  }

  get #isOld(): boolean {
    return this.specification === '3.0';
  }

  operation(head: OperationHead): Operation {
    let operation = this.#operations.get(head);
    if (!operation) {
      // What can't be used was said when it was first read.
      const reading = {
        source: this.#source,
        isOld: this.#isOld,
        fileName: this.#fileName,
        warn: () => undefined,
      };
      this.#operations.set(head, (operation = readOperation(reading, head)));
    }
    return operation;
  }

  schema(ref: Ref, direction: Direction): Schema {
    const key = `${direction} ${ref.file}#${ref.pointer}`;
    let schema = this.#schemas.get(key);
    if (!schema) {
      const reading = {
        source: this.#source,
        isOld: this.#isOld,
        fileName: this.#fileName,
        direction,
      };
      this.#schemas.set(key, (schema = normalSchema(reading, ref)));
    }
    return schema;
  }

  data({ file, pointer }: Ref): unknown {
    return withoutLines(this.#source.at(file, pointer));
  }
}

/** A description as it was when it was last read, whatever is in the file now; undefined if it never was. */
export function lastDescription(path: string, shown: string, project: string): Description | undefined {
  const found = openStored(storePath(join(project, OWN_FOLDER), resolve(path)));
  return found && new FileDescription(shown, found.head, found.source, nameOf(shown));
}

/** What people call the files of a description. */
function nameOf(shown: string): (file: string) => string {
  return (file) => (file === '' ? shown : join(dirname(shown), file));
}

function readBytes(path: string, shown: string): Buffer {
  try {
    return readRegularFile(path, LARGEST_FILE, true);
  } catch (error) {
    return fail('file-not-found', `the description ${shown} can't be read: ${(error as Error).message}`);
  }
}

function digestOf(bytes: Buffer | undefined): string {
  return bytes ? createHash('sha256').update(bytes).digest('hex') : '';
}

/** A file that a description refers to; undefined if it is not there, or not below the project. */
function bytesBelow(first: string, file: string, project: string): Buffer | undefined {
  try {
    const real = realpathSync(resolve(dirname(first), file));
    const inside = relative(realpathSync(project), real);
    if (inside.startsWith(`..${sep}`) || inside === '..' || resolve(inside) === inside) return undefined;
    return readRegularFile(real, LARGEST_FILE);
  } catch {
    return undefined;
  }
}

/** Reads a file and those that it refers to, each once. */
function readFiles(
  path: string,
  first: Buffer,
  project: string,
  fileName: (file: string) => string,
): { readonly files: ReadonlyMap<string, unknown>; readonly sources: readonly SourceDigest[] } {
  const files = new Map<string, unknown>([['', parseData(textOfFile(fileName(''), first), fileName(''))]]);
  const sources: SourceDigest[] = [{ file: '', digest: digestOf(first) }];
  const asked = new Set(['']);
  const waiting = [''];
  let size = first.length;
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    for (const other of filesIn(files.get(file), file)) {
      if (asked.has(other) || asked.size >= MOST_FILES) continue;
      asked.add(other);
      const bytes = bytesBelow(path, other, project);
      sources.push({ file: other, digest: digestOf(bytes) });
      size += bytes?.length ?? 0;
      if (!bytes || size > 2 * LARGEST_FILE) continue;
      try {
        files.set(other, parseData(textOfFile(fileName(other), bytes), fileName(other)));
      } catch (error) {
        // What refers to it is warned about.
        if (!(error instanceof ProblemError)) throw error;
        continue;
      }
      waiting.push(other);
    }
  }
  return { files, sources };
}

/** The other files that the references of a file lead to. */
function filesIn(data: unknown, file: string): Set<string> {
  const found = new Set<string>();
  const seen = new Set<unknown>();
  const visit = (node: unknown): void => {
    if (typeof node !== 'object' || node === null || seen.has(node)) return;
    seen.add(node);
    const ref = textMember(node, '$ref');
    const target = ref === undefined || ref.startsWith('#') ? undefined : refTarget(file, ref);
    if (target && target.file !== file) found.add(target.file);
    if (Array.isArray(node)) node.forEach(visit);
    else for (const [, value] of dataEntries(node)) visit(value);
  };
  visit(data);
  return found;
}
