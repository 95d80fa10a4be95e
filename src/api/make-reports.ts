import { REPORTS, type ReportKind, type ReportName } from '../report/index.ts';
import type { ReportSource } from '../report/report-source.ts';

declare const BATHARON_VERSION: string;

/** The file for each kind of report; `-` or no name is standard output. */
export type ReportFiles = { readonly [Name in ReportName]?: string | boolean };

/** Makes the wanted reports of some runs. */
export async function makeReports(
  wanted: ReportFiles,
  sources: readonly ReportSource[],
): Promise<{ readonly path: string; readonly text: string }[]> {
  const made: { path: string; text: string }[] = [];
  for (const [name, { make }] of Object.entries<ReportKind>(REPORTS)) {
    const path = wanted[name as ReportName];
    if (path !== undefined)
      made.push({
        path: typeof path === 'string' ? path : '-',
        text: await make(sources, BATHARON_VERSION),
      });
  }
  return made;
}
