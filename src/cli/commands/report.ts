import { writeFileSync } from 'node:fs';
import type { ExitCode } from '../../core/events.ts';
import { nameList } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import { REPORTS } from '../../report/index.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { loadProject } from '../../api/load.ts';
import { OpenRun } from '../../api/open-run.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { makeReports, type ReportFiles } from '../../api/make-reports.ts';
import { errorTerminal, writeData } from '../terminal/terminal.ts';

/** `batharon report [RUN…]`: recorded runs as HTML, JUnit, HAR, Markdown or JSON. */
export function report(
  wanted: readonly string[],
  options: ReportFiles & { readonly contract?: boolean; readonly since?: string },
): Promise<ExitCode> {
  return guarded(async () => {
    const { project } = loadProject(undefined, false);
    const records = recordsOf(project);
    if (options.contract) {
      const { reportContract } = await import('./report-contract.ts');
      return reportContract(wanted, project, records, options);
    }
    if (options.since !== undefined) fail('wrong-form', '--since stands beside --contract');
    const sources = (wanted.length > 0 ? wanted : ['last']).map((run) =>
      OpenRun.read(records, records.find(run)),
    );
    const reports = await makeReports(options, sources);
    if (reports.length === 0)
      fail('wrong-form', 'choose a kind of report', {
        hint: nameList(Object.keys(REPORTS).map((name) => `--${name}`)),
      });
    if (reports.filter(({ path }) => path === '-').length > 1)
      fail('wrong-form', 'only one report goes to standard output', {
        hint: 'a file for each of the others',
      });
    const terminal = errorTerminal();
    for (const { path, text } of reports) {
      if (path === '-') {
        writeData(text);
        continue;
      }
      try {
        writeFileSync(path, text);
      } catch (error) {
        fail('file-not-written', `${path} can't be written: ${(error as Error).message}`);
      }
      terminal.write(`wrote ${path}\n`);
    }
    for (const { garbled, id } of sources)
      if (garbled.length > 0)
        terminal.write(
          `warning ${garbled.length} lines of the record of ${id} can't be read; what they told is missing\n`,
        );
    return 0;
  });
}
