import type { ReportSource } from '../../report/report-source.ts';

declare const BATHARON_VERSION: string;

/** The kinds of report, and the file for each; `-` or no name is standard output. */
export interface ReportFiles {
  readonly html?: string | boolean;
  readonly junit?: string | boolean;
  readonly har?: string | boolean;
  readonly markdown?: string | boolean;
  readonly json?: string | boolean;
}

/** Makes the reports that are wanted of some runs. */
export async function makeReports(
  { har, html, json, junit, markdown }: ReportFiles,
  sources: readonly ReportSource[],
): Promise<{ readonly path: string; readonly text: string }[]> {
  const made: { path: string; text: string }[] = [];
  const add = (path: string | boolean, text: string): void =>
    void made.push({ path: typeof path === 'string' ? path : '-', text });
  if (html !== undefined) add(html, (await import('../../report/html.ts')).html(sources));
  if (junit !== undefined) add(junit, (await import('../../report/junit.ts')).junit(sources));
  if (har !== undefined) add(har, (await import('../../report/har.ts')).har(sources, BATHARON_VERSION));
  if (markdown !== undefined) add(markdown, (await import('../../report/markdown.ts')).markdown(sources));
  if (json !== undefined) add(json, (await import('../../report/json.ts')).json(sources));
  return made;
}
