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
