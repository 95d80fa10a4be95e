import type { Project } from '../core/chain/project.ts';
import type { ChainDraft } from './draft.ts';
import type { ImportedCommands } from './request.ts';

/** A form in which documentation shows requests. Its code is loaded when it is read. */
export interface Importer {
  /** Reads the requests of a text. Throws `import-unreadable`. */
  readonly read: (source: string) => Promise<ImportedCommands>;
  /** The text may stand on the command line as it is, without blanks or brackets. */
  readonly isOneLine?: boolean;
}

/** The importers by the names of their forms. */
export const IMPORTERS = {
  curl: { read: async (source) => (await import('./curl.ts')).importCurls(source), isOneLine: true },
  fetch: {
    read: async (source) => ({ requests: (await import('./fetch.ts')).importFetches(source), notes: [] }),
  },
  http: {
    read: async (source) => ({
      requests: [(await import('./http-message.ts')).importHttp(source)],
      notes: [],
    }),
  },
} as const satisfies Readonly<Record<string, Importer>>;

/** A form of a document that describes or records several calls. Its code is loaded when it is read. */
export interface DocumentImporter {
  /** Reads a file, or of it what `words` name; `folder` is that of the project. Throws `file-not-found`, `not-a-description`, `import-unreadable`. */
  readonly read: (
    path: string,
    words: readonly string[],
    project: Project,
    folder: string,
  ) => Promise<readonly ChainDraft[]>;
}

/** Those importers by the names of their forms. */
export const DOCUMENT_IMPORTERS = {
  openapi: {
    read: async (path, words, project, folder) =>
      (await import('./description/from-description.ts')).importOpenApi(path, words, project, folder),
  },
  arazzo: {
    read: async (path, words, project, folder) =>
      (await import('./arazzo/from-arazzo.ts')).importArazzo(path, words, project, folder),
  },
  har: {
    read: async (path, _, project) => (await import('./har/from-har.ts')).importHar(path, project),
  },
} as const satisfies Readonly<Record<string, DocumentImporter>>;

/** All forms, by their names. */
export const IMPORT_FORMS: readonly string[] = [
  ...Object.keys(IMPORTERS),
  ...Object.keys(DOCUMENT_IMPORTERS),
];
