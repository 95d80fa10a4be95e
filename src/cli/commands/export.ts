import { writeFileSync } from 'node:fs';
import type { ExitCode } from '../../core/events.ts';
import { fail } from '../../core/problems.ts';
import { toArazzo } from '../../export/to-arazzo.ts';
import { load } from '../../api/load.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { printFindings } from '../terminal/print-findings.ts';
import { errorTerminal, writeData } from '../terminal/terminal.ts';

/** `batharon export FORM FILE`: a chain in another form, as far as it goes; what is left out is named. */
export function exportCommand(
  form: string,
  file: string,
  options: { readonly to?: string; readonly env?: string },
): Promise<ExitCode> {
  return guarded(async () => {
    if (form !== 'arazzo')
      fail('wrong-form', `there is no form ${form}`, { hint: 'batharon export arazzo FILE' });
    const { chains, findings, project } = load([file], options.env, false);
    const terminal = errorTerminal();
    const [chain] = chains;
    if (!chain) {
      printFindings(terminal, findings);
      return 2;
    }
    const { leftOut, text } = toArazzo(chain, project);
    if (options.to === undefined) writeData(text);
    else {
      try {
        writeFileSync(options.to, text);
      } catch (error) {
        fail('file-not-written', `${options.to} can't be written: ${(error as Error).message}`);
      }
      terminal.write(`wrote ${options.to}\n`);
    }
    for (const one of leftOut)
      terminal.write(`${terminal.colours.yellow('warning'.padEnd(8))}not carried over: ${one}\n`);
    return 0;
  });
}
