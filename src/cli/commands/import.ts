import { existsSync, mkdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import type { ExitCode } from '../../core/events.ts';
import { memberOf } from '../../core/language/values.ts';
import { fail } from '../../core/problems.ts';
import type { Draft } from '../../import/draft.ts';
import {
  DOCUMENT_IMPORTERS,
  type DocumentImporter,
  IMPORT_FORMS,
  type Importer,
  IMPORTERS,
} from '../../import/index.ts';
import type { ImportedRequest } from '../../import/request.ts';
import { finished, toSteps } from '../../import/to-step.ts';
import { printNotes, writeDraft } from '../draft/add-draft.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { CHAIN_ENDING, loadProject } from '../../api/load.ts';
import { errorTerminal, outputTerminal } from '../terminal/terminal.ts';

export interface ImportOptions {
  readonly add?: string;
  readonly name?: string;
  readonly env?: string;
}

/** `batharon import FORM`: prints a step, or adds it to a file. */
export function importCommand(
  form: string,
  source: string | undefined,
  words: readonly string[],
  options: ImportOptions,
): Promise<ExitCode> {
  return guarded(async () => {
    const documents = memberOf<DocumentImporter>(DOCUMENT_IMPORTERS, form);
    if (documents) return importDocument(form, documents, { source, words, options });
    if (words.length > 0)
      fail('wrong-form', `one text is imported from ${form}, and this is more: put it in quotes`);
    const importer: Importer | undefined = memberOf<Importer>(IMPORTERS, form);
    if (!importer)
      fail('import-unreadable', `${form} can't be imported`, {
        hint: `batharon import ${IMPORT_FORMS.join(' | ')}`,
      });
    const { requests, notes } = await importer.read(sourceOf(importer, source ?? '-'));
    const { project } = loadProject(options.env, false, {
      near: options.add === undefined ? undefined : dirname(resolve(options.add)),
    });
    const draft = toSteps(requests, project, options.name);
    draft.notes.push(...notes);
    if (options.add === undefined) printDraft(draft);
    else await writeDraft(draft, project, options.add, { title: titleOf(requests[0]!) });
    return 0;
  });
}

/** Imports the chains of a document: prints them, or writes them into a file, or a file each into a folder. */
async function importDocument(
  form: string,
  documents: DocumentImporter,
  {
    source,
    words,
    options: { add, env },
  }: {
    readonly source: string | undefined;
    readonly words: readonly string[];
    readonly options: ImportOptions;
  },
): Promise<ExitCode> {
  if (source === undefined || !existsSync(source) || !statSync(source).isFile())
    fail('file-not-found', source === undefined ? 'no file is named' : `there is no file ${source}`, {
      hint: `batharon import ${form} FILE`,
    });
  const isFolder =
    add !== undefined && (!/\.[^./]+$/.test(add) || (existsSync(add) && statSync(add).isDirectory()));
  const near = add === undefined ? dirname(resolve(source)) : isFolder ? resolve(add) : dirname(resolve(add));
  const { project } = loadProject(env, false, { near });
  const folder = project.file === undefined ? near : dirname(resolve(project.file));
  const chains = await documents.read(source, words, project, folder);
  if (chains.length === 0) fail('import-unreadable', `${source} has nothing that could be a step`);
  if (isFolder) mkdirSync(add, { recursive: true });
  // What the first chain brings into the project is there for the others.
  const made = new Set<string>();
  for (const [i, { title, word, draft }] of chains.entries()) {
    const rest = withoutMade(draft, made);
    if (add === undefined) printDraft(rest, chains.length > 1 ? `${word}${CHAIN_ENDING}` : undefined);
    else
      await writeDraft(rest, project, isFolder ? join(add, word + CHAIN_ENDING) : add, {
        title,
        isOneOfMany: chains.length > 1,
      });
    if (add === undefined && i < chains.length - 1) outputTerminal().write('\n');
  }
  if (isFolder) errorTerminal().write(`\nNext: batharon check ${add}\n`);
  return 0;
}

/** A draft without what an earlier one has brought. */
function withoutMade(draft: Draft, made: Set<string>): Draft {
  const fresh = <T>(part: 'services' | 'credentials' | 'secrets', entries: Map<string, T>): Map<string, T> =>
    new Map(
      [...entries].filter(([name]) => {
        const key = `${part} ${name}`;
        return !made.has(key) && made.add(key);
      }),
    );
  return {
    ...draft,
    services: fresh('services', draft.services),
    credentials: fresh('credentials', draft.credentials),
    secrets: fresh('secrets', draft.secrets),
    notes: draft.notes.filter((note) => !made.has(note) && made.add(note)),
  };
}

/** The argument, a file that it names, or standard input. */
function sourceOf({ isOneLine }: Importer, only: string): string {
  if (only === '-') {
    if (process.stdin.isTTY) errorTerminal().write(`Paste it, then end with Ctrl-D:\n`);
    return readFileSync(0, 'utf8');
  }
  if (!/\s/.test(only) && existsSync(only)) return readFileSync(only, 'utf8');
  if (!isOneLine && !/\s|\(/.test(only)) fail('file-not-found', `there is no file ${only}`);
  return only;
}

function titleOf({ method, url }: ImportedRequest): string {
  return `${method} ${/^https?:\/\/[^/]+([^?#]*)/i.exec(url)?.[1] ?? url}`.replace(/[\ue000-\ue003]/g, '');
}

/** Prints what an import gives: what goes into the chain, what into the project, and what could not be carried over. */
function printDraft(draft: Draft, file?: string): void {
  const output = outputTerminal();
  const { colours } = output;
  const sections = (parts: readonly (readonly [string, ReadonlyMap<string, readonly string[]>])[]): void => {
    for (const [key, entries] of parts) {
      if (entries.size === 0) continue;
      output.write(`${key}:\n`);
      for (const [name, lines] of entries) {
        const inline = lines.length === 1 && !/^[A-Za-z][\w-]*:(?: |$)/.test(lines[0]!);
        output.write(
          inline
            ? `  ${name}: ${lines[0]!}\n`
            : `  ${name}:\n${lines.map((line) => `    ${line}\n`).join('')}`,
        );
      }
    }
  };
  output.write(colours.dim(`# ${file ?? 'the chain file'}\n`));
  sections([['inputs', draft.inputs]]);
  output.write(
    `steps:\n${finished(draft.step)
      .map((line) => `  ${line}`.trimEnd())
      .join('\n')}\n`,
  );
  if (draft.results && draft.results.size > 0) sections([['results', draft.results]]);
  const secrets = new Map([...draft.secrets].map(([name, { source }]) => [name, [source]]));
  if (draft.services.size + draft.credentials.size + secrets.size > 0)
    output.write(`\n${colours.dim('# batharon.yaml')}\n`);
  sections([
    ['services', draft.services],
    ['credentials', draft.credentials],
    ['secrets', secrets],
  ]);
  printNotes(draft);
  for (const [name, { value }] of draft.secrets)
    if (value !== undefined)
      errorTerminal().write(
        `\nThe key in it is not shown. batharon secret set ${name} stores it; with --add FILE that is done as well.\n`,
      );
}
