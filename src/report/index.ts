import type { ReportSource } from './report-source.ts';

/** A kind of report. Its code is loaded when one is made. */
export interface ReportKind {
  /** What it is, for `--help`. */
  readonly about: string;
  /** Its text, made of recorded runs; `version` is that of the program. */
  readonly make: (sources: readonly ReportSource[], version: string) => Promise<string>;
}

/** The kinds of report by the names of their options. */
export const REPORTS = {
  html: {
    about: 'an HTML page that needs no network',
    make: async (sources) => (await import('./html.ts')).html(sources),
  },
  junit: {
    about: 'JUnit XML, for build servers',
    make: async (sources) => (await import('./junit.ts')).junit(sources),
  },
  har: {
    about: 'an HTTP Archive (HAR) of all requests',
    make: async (sources, version) => (await import('./har.ts')).har(sources, version),
  },
  markdown: {
    about: 'Markdown, for a comment on a change',
    make: async (sources) => (await import('./markdown.ts')).markdown(sources),
  },
  json: {
    about: 'JSON, for programs of your own',
    make: async (sources) => (await import('./json.ts')).json(sources),
  },
} as const satisfies Readonly<Record<string, ReportKind>>;

export type ReportName = keyof typeof REPORTS;
