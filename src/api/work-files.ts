import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import type { Chain } from '../core/chain/model.ts';
import { fail } from '../core/problems.ts';
import { makeOwnFolder, makeRealFolder, OWN_FOLDER, readRegularFile } from '../io/secrets/own-folder.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import { digestOfText, type Offer, type OfferedFile } from '../io/team/team-work.ts';
import { filesOf } from './files-of.ts';
import { type Loaded, readBesides } from './load.ts';

/** Files of a project take no more, in bytes. */
const LARGEST = 16 * 1024 * 1024;

/** What a chain is made of, for machines that may have other files. */
export interface ProjectFiles {
  readonly projectFile: string;
  readonly chain: string;
  readonly files: readonly OfferedFile[];
  /** The texts by their digests. */
  readonly texts: ReadonlyMap<string, string>;
}

/** The files of a chain, of those it follows or signs in with, of its project, and those that they take texts or descriptions from. */
export function filesOfWork(loaded: Loaded, chain: Chain): ProjectFiles {
  const folder = projectFolder(loaded.project);
  const inside = (path: string): string => relative(folder, resolve(path)).split(sep).join('/');
  const texts = new Map<string, string>();
  const files = new Map<string, OfferedFile>();
  const add = (path: string, text: string): void => {
    const digest = digestOfText(text);
    texts.set(digest, text);
    files.set(inside(path), { path: inside(path), digest });
  };
  for (const { path, text } of filesOf(loaded, chain)) add(path, text);
  for (const [path, text] of readBesides) add(path, text);
  for (const path of descriptionFiles(loaded, folder)) add(path, readFileSync(path, 'utf8'));
  return {
    projectFile: inside(loaded.project.file!),
    chain: inside(chain.file),
    files: [...files.values()].sort((a, b) => (a.path < b.path ? -1 : 1)),
    texts,
  };
}

/** The files of descriptions, those that were fetched from a URL included. */
function descriptionFiles({ project }: Loaded, folder: string): string[] {
  const own = [...project.services.values()].flatMap(({ description }) => {
    const path = description && resolve(folder, description.from);
    return path !== undefined && existsSync(path) ? [path] : [];
  });
  const kept = join(folder, 'descriptions');
  if (own.length === 0 && ![...project.services.values()].some(({ description }) => description)) return [];
  return [...own, ...(existsSync(kept) ? readdirSync(kept).map((name) => join(kept, name)) : [])];
}

/** Whether a folder has just the files of an offer. */
export function hasFilesOf(folder: string, { files }: Offer): boolean {
  return files.every(({ path, digest }) => {
    try {
      return digestOfText(readRegularFile(resolve(folder, path), LARGEST).toString('utf8')) === digest;
    } catch {
      return false;
    }
  });
}

/** Writes the files of an offer below a folder of the program's own; gives the folder. Throws `worker-refused`. */
export async function writeFilesOf(
  own: string,
  { files, digest }: Offer,
  textOf: (digest: string) => Promise<string | undefined>,
): Promise<string> {
  const folder = join(own, OWN_FOLDER, 'work', digest.slice(0, 24));
  makeOwnFolder(join(own, OWN_FOLDER));
  for (const { path, digest: of } of files) {
    const parts = path.split('/');
    if (
      parts.some(
        (part) => part === '' || part === '..' || part === '.' || part === OWN_FOLDER || /[\\:]/.test(part),
      )
    )
      fail(
        'worker-refused',
        `its file ${path} lies outside of the folder of the project, so it can't be sent`,
      );
    const text = await textOf(of);
    if (text === undefined || digestOfText(text) !== of)
      fail('worker-refused', `its file ${path} is not there any more, or is another one`);
    const whole = join(folder, ...parts);
    let at = join(own, OWN_FOLDER, 'work');
    makeRealFolder(at);
    for (const part of relative(at, dirname(whole)).split(sep)) makeRealFolder((at = join(at, part)));
    writeFileSync(whole, text, { mode: 0o600 });
  }
  return folder;
}
