import { writeFileSync } from 'node:fs';
import type { ExitCode } from '../../core/events.ts';
import type { Description } from '../../core/contract/description.ts';
import type { Project } from '../../core/chain/project.ts';
import { fail } from '../../core/problems.ts';
import { coverageOfRuns } from '../../report/contract/coverage-of-runs.ts';
import type { ReportSource } from '../../report/report-source.ts';
import { OpenRun } from '../../api/open-run.ts';
import type { Records } from '../../api/record-types.ts';
import { printCoverage } from '../view/contract-view.ts';
import { sinceOf } from '../records/since.ts';
import { errorTerminal, outputTerminal, writeData } from '../terminal/terminal.ts';

export interface ContractReportOptions {
  readonly html?: string | boolean;
  readonly markdown?: string | boolean;
  readonly json?: string | boolean;
  readonly since?: string;
}

/** `batharon report --contract`: what runs have met of the descriptions of services. */
export async function reportContract(
  wanted: readonly string[],
  project: Project,
  records: Records,
  options: ContractReportOptions,
): Promise<ExitCode> {
  const descriptions = new Map<string, Description>();
  for (const { name } of project.services.values()) {
    const description = project.descriptions?.of(name);
    if (description) descriptions.set(name, description);
  }
  if (descriptions.size === 0)
    fail('no-description', 'no service of the project has a description', {
      hint: 'description: FILE on a service in batharon.yaml',
    });
  const ids =
    options.since === undefined ? wanted.map((run) => records.find(run)) : since(records, options.since);
  if (ids.length === 0) fail('no-record', `no run began since ${options.since ?? ''}`);
  const coverage = coverageOfRuns(opened(records, ids), descriptions);
  const terminal = errorTerminal();
  let isWritten = false;
  for (const [kind, path] of [
    ['html', options.html],
    ['markdown', options.markdown],
    ['json', options.json],
  ] as const) {
    if (path === undefined) continue;
    isWritten = true;
    const text =
      kind === 'html'
        ? (await import('../../report/contract/contract-html.ts')).contractHtml(coverage)
        : kind === 'markdown'
          ? (await import('../../report/contract/contract-texts.ts')).contractMarkdown(coverage)
          : (await import('../../report/contract/contract-texts.ts')).contractJson(coverage);
    if (typeof path !== 'string' || path === '-') writeData(text);
    else {
      try {
        writeFileSync(path, text);
      } catch (error) {
        fail('file-not-written', `${path} can't be written: ${(error as Error).message}`);
      }
      terminal.write(`wrote ${path}\n`);
    }
  }
  const output = outputTerminal();
  if (!isWritten)
    coverage.forEach((one, i) => {
      if (i > 0) output.write('\n');
      printCoverage(output, one);
    });
  return 0;
}

/** Runs are read one after the other, so that many take no more memory than one. */
function* opened(records: Records, ids: readonly string[]): Generator<ReportSource> {
  for (const id of ids) yield OpenRun.read(records, id);
}

function since(records: Records, text: string): string[] {
  const from = Date.now() - sinceOf(text);
  const ids: string[] = [];
  for (const one of records.list()) {
    if ('unreadable' in one) continue;
    if (one.at < from) break;
    ids.push(one.run);
  }
  return ids;
}
