import { callsIn, checkAsInputs } from '../core/chain/read/check-as-inputs.ts';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import type { Finding } from '../core/chain/source/finding.ts';
import type { Chain } from '../core/chain/model.ts';
import type { Project } from '../core/chain/project.ts';
import { type ReadFile, readChain } from '../core/chain/read/read-chain.ts';
import { checkSignInResults } from '../core/chain/read/sign-in-results.ts';
import { NO_PROJECT, readProject } from '../core/chain/read/read-project.ts';
import type { SourceFile } from '../core/chain/source/source-file.ts';
import { fail, ProblemError } from '../core/problems.ts';
import { textOfFile } from '../io/files/text-file.ts';
import { descriptionsOf } from './descriptions.ts';
import { descriptionReader } from './prepare-descriptions.ts';
import { readRegularFile } from '../io/secrets/own-folder.ts';

export const PROJECT_FILE = 'batharon.yaml';
export const CHAIN_ENDING = '.chain.yaml';

/** A file that a person wrote takes no more, in bytes. */
const LARGEST_FILE = 16 * 1024 * 1024;

/** A project and its chains as read, with all that was found, in the order of the files. */
export interface Loaded {
  readonly project: Project;
  readonly chains: readonly Chain[];
  readonly findings: readonly { readonly file: SourceFile; readonly finding: Finding }[];
  readonly files: readonly SourceFile[];
  /** The chains of credentials of kind chain, by the names of the credentials. */
  readonly signInChains: ReadonlyMap<string, Chain>;
}

/** The project file in a folder, or in the nearest one above it. */
export function findProjectFile(folder: string): string | undefined {
  for (let at = resolve(folder); ; at = dirname(at)) {
    const path = join(at, PROJECT_FILE);
    if (existsSync(path)) return path;
    if (dirname(at) === at) return undefined;
  }
}

/** Chain files by their names; a folder stands for every chain below it. Throws `file-not-found`. */
export function findChains(names: readonly string[]): string[] {
  const found = names.flatMap((name) => {
    if (!existsSync(name))
      return fail('file-not-found', `there is no file ${name}`, {
        hint: existsSync(name + CHAIN_ENDING) ? name + CHAIN_ENDING : 'batharon run FILE.chain.yaml',
      });
    return statSync(name).isDirectory() ? chainsBelow(name) : [name];
  });
  if (found.length === 0)
    fail('file-not-found', `no file below ${names.join(', ')} ends in ${CHAIN_ENDING}`, {
      hint: 'batharon demo --write kiln writes some to begin with, batharon import one from a curl line',
    });
  return [...new Set(found)];
}

function chainsBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((entry) => {
      const path = join(folder, entry.name);
      if (entry.isDirectory())
        return entry.name.startsWith('.') || entry.name === 'node_modules' ? [] : chainsBelow(path);
      return entry.name.endsWith(CHAIN_ENDING) ? [path] : [];
    });
}

function readText(path: string): string {
  try {
    return textOfFile(path, readRegularFile(path, LARGEST_FILE));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    return fail('file-not-found', `${path} can't be read: ${(error as Error).message}`);
  }
}

/** As a person in the working folder would write a path. */
export function shownPath(path: string): string {
  const short = relative(process.cwd(), resolve(path));
  return short.startsWith('..') ? resolve(path) : short;
}

/** Reads the project alone, from a folder or above (the working folder by default), or from `near`; an empty one where there is none. */
export function loadProject(
  environment: string | undefined,
  choose: boolean,
  { near, from = process.cwd() }: { readonly near?: string | undefined; readonly from?: string } = {},
): Loaded {
  const path = findProjectFile(from) ?? (near === undefined ? undefined : findProjectFile(near));
  return loadTexts(
    path === undefined ? undefined : readProject(shownPath(path), readText(path), environment, choose),
    [],
  );
}

/**
 * Reads and checks chain files and their project, which is looked for in a folder and above, the working folder by default.
 * `choose` says that an environment is needed.
 */
export function load(
  names: readonly string[],
  environment: string | undefined,
  choose: boolean,
  from = process.cwd(),
): Loaded {
  const paths = findChains(names);
  const projectPath = findProjectFile(from) ?? findProjectFile(dirname(resolve(paths[0]!)));
  const read =
    projectPath === undefined
      ? undefined
      : readProject(shownPath(projectPath), readText(projectPath), environment, choose);
  if (!read && environment !== undefined)
    fail(
      'unknown-environment',
      `there is no ${PROJECT_FILE} that could describe the environment ${environment}`,
    );
  return loadTexts(
    read,
    paths.map((path) => ({ path: shownPath(path), text: readText(path) })),
  );
}

interface SignInRead {
  readonly name: string;
  readonly read: ReturnType<typeof readChain>;
  readonly findings: Loaded['findings'];
}

/** Reads the chains of credentials of kind chain, and holds what they send to what those chains give. */
function loadSignIns(project: Project): SignInRead[] {
  return [...project.credentials.values()].flatMap(({ name, signIn, at }) => {
    // Without a file the project has a problem of its own.
    if (!signIn || signIn.file === '' || project.file === undefined) return [];
    const path = resolve(dirname(resolve(project.file)), signIn.file);
    if (!existsSync(path))
      fail(
        'file-not-found',
        `the credential ${name} signs in with the chain ${signIn.file}, which does not exist`,
        {
          place: at,
          hint: 'a path begins at the folder of the project file',
        },
      );
    const read = readChain(shownPath(path), readText(path), project, { files: readNear });
    const unknown = read.chain ? checkSignInResults(signIn, read.chain, project) : [];
    const findings = unknown.map((finding) => ({ file: read.file, finding }));
    return [{ name, read, findings }];
  });
}

/** The texts of the files that chains take parts of themselves from, by their paths. */
export const readBesides = new Map<string, string>();

/** Reads a file by a path that begins at the folder of another one. */
export const readNear: ReadFile = Object.assign(
  (path: string, near: string) => {
    const whole = resolve(dirname(resolve(near)), path);
    if (!existsSync(whole) || !statSync(whole).isFile()) return undefined;
    const text = readText(whole);
    readBesides.set(whole, text);
    return { path: shownPath(whole), text };
  },
  {
    exists: (path: string, near: string) => existsSync(resolve(dirname(resolve(near)), path)),
    columns: (path: string, near: string) => columnsOf(resolve(dirname(resolve(near)), path)),
  },
);

/** The columns of a file of CSV, from its first line. */
function columnsOf(path: string): readonly string[] | undefined {
  let text: string;
  try {
    text = readRegularFile(path, LARGEST_FILE)
      .toString('utf8')
      .replace(/^\ufeff/, '');
  } catch {
    return undefined;
  }
  const line = /^[^\r\n]*/.exec(text)![0];
  // A name with a line break in it is left to the run.
  if (line.trim() === '' || (line.match(/"/g)?.length ?? 0) % 2 === 1) return undefined;
  return [...line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^,]*))/g)].map(
    ([, quoted, plain]) => quoted?.replaceAll('""', '"') ?? plain ?? '',
  );
}

/** Files of TLS that a project names and that are not there. */
function missingTlsFiles(read: ReturnType<typeof readProject> | undefined): Loaded['findings'] {
  if (!read) return [];
  return [...read.project.services.values()].flatMap(({ tls }) =>
    [tls?.ca, tls?.cert, tls?.key, tls?.pkcs12].flatMap((template) => {
      const [path] = template?.parts ?? [];
      if (!template || template.parts.length !== 1 || typeof path !== 'string') return [];
      if (existsSync(resolve(dirname(resolve(read.file.path)), path))) return [];
      return {
        file: read.file,
        finding: {
          level: 'problem' as const,
          code: 'file-not-found' as const,
          message: `the file ${path} does not exist`,
          hint: 'a path begins at the folder of the project file',
          place: template.at,
        },
      };
    }),
  );
}

/** The same for files whose texts are known; `descriptionsIn` is the folder of descriptions, where it is not that of the project. */
export function loadTexts(
  read: ReturnType<typeof readProject> | undefined,
  chains: readonly { path: string; text: string }[],
  { descriptionsIn }: { readonly descriptionsIn?: string } = {},
): Loaded {
  const descriptions = read && descriptionsOf(read.project, descriptionsIn);
  const project = { ...(read?.project ?? NO_PROJECT), ...(descriptions ? { descriptions } : {}) };
  const recorded = descriptions && descriptionReader().recordedKindsOf(project);
  const results = chains.map(({ path, text }) =>
    readChain(path, text, project, { files: readNear, recorded }),
  );
  const signIns = loadSignIns(project);
  const signInChains = new Map(
    signIns.flatMap(({ name, read: { chain } }) => (chain ? [[name, chain] as const] : [])),
  );
  const all = [...(read ? [read] : []), ...results, ...signIns.map((one) => one.read)];
  return {
    project,
    chains: results.flatMap(({ chain }) => chain ?? []),
    findings: once([
      ...all.flatMap(({ file, findings }) => findings.map((finding) => ({ file, finding }))),
      ...results.flatMap(({ elsewhere }) => elsewhere),
      ...signIns.flatMap(({ findings }) => findings),
      ...[...results, ...signIns.map((one) => one.read)].flatMap(({ chain, file }) =>
        (chain ? checkAsInputs(callsIn(chain), signInChains) : []).map((finding) => ({ file, finding })),
      ),
      ...(read ? checkAsInputs(project.services.values(), signInChains) : []).map((finding) => ({
        file: read!.file,
        finding,
      })),
      ...missingTlsFiles(read),
      ...(read && descriptions ? descriptions.findings.map((finding) => ({ file: read.file, finding })) : []),
    ]),
    files: all.map(({ file }) => file),
    signInChains,
  };
}

/** A chain that others follow is read with each of them; what is found in it is said once. */
function once(findings: Loaded['findings']): Loaded['findings'] {
  const seen = new Set<string>();
  return findings.filter(({ file, finding: { message, place } }) => {
    const key = `${file.path}:${place?.line}:${place?.column} ${message}`;
    return !seen.has(key) && seen.add(key);
  });
}
