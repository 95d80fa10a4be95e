import type { SourceFile } from '../../core/chain/source/source-file.ts';
import type { ExitCode } from '../../core/events.ts';
import { ProblemError } from '../../core/problems.ts';
import { printProblem } from './print-findings.ts';
import { errorTerminal } from './terminal.ts';

/** Runs a command; a problem is printed, and the exit code says that the command was wrong. */
export async function guarded(
  command: () => Promise<ExitCode>,
  files: () => readonly SourceFile[] = () => [],
): Promise<ExitCode> {
  try {
    return await command();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const { problem } = error;
    printProblem(
      errorTerminal(),
      problem,
      files().find(({ path }) => path === problem.place?.file),
    );
    return problem.code === 'interrupted' ? 130 : 2;
  }
}
