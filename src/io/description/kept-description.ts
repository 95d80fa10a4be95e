import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { isRealFolder, makeRealFolder } from '../secrets/own-folder.ts';

/** Where descriptions that were fetched are kept, below the folder of a project. */
const KEPT_FOLDER = 'descriptions';

/** The description of a service as it was fetched last. */
export interface KeptDescription {
  readonly path: string;
  /** Somebody has changed the file since: it is not what its name says. */
  readonly isAltered: boolean;
}

/** What is kept of a service; undefined if nothing is. The name of the file says the digest of what is in it. */
export function keptDescription(project: string, service: string): KeptDescription | undefined {
  const name = keptNames(project, service)[0];
  if (name === undefined) return undefined;
  const path = join(project, KEPT_FOLDER, name);
  return { path, isAltered: !name.startsWith(`${service}-${digestOf(readFileSync(path))}.`) };
}

/**
 * Keeps a description that was fetched, in place of the one before. Returns its path. Throws as the system does where the
 * folder is a link or the file can't be written.
 */
export function keepDescription(project: string, service: string, bytes: Uint8Array): string {
  const folder = join(project, KEPT_FOLDER);
  makeRealFolder(folder);
  const isJson = /^\s*[{[]/.test(Buffer.from(bytes.subarray(0, 64)).toString('utf8'));
  const name = `${service}-${digestOf(bytes)}.${isJson ? 'json' : 'yaml'}`;
  const before = keptNames(project, service);
  const temporary = join(folder, `.${name}.${process.pid}`);
  try {
    writeFileSync(temporary, bytes, { flag: 'wx' });
    renameSync(temporary, join(folder, name));
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
  for (const old of before) if (old !== name) rmSync(join(folder, old), { force: true });
  return join(folder, name);
}

function keptNames(project: string, service: string): string[] {
  const folder = join(project, KEPT_FOLDER);
  if (!isRealFolder(folder)) return [];
  return readdirSync(folder).filter(
    (name) =>
      name.startsWith(`${service}-`) && /^[0-9a-f]{16}\.(?:json|yaml)$/.test(name.slice(service.length + 1)),
  );
}

function digestOf(bytes: Uint8Array): string {
  return createHash('sha256').update(bytes).digest('hex').slice(0, 16);
}
