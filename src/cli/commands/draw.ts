import { existsSync, writeFileSync } from 'node:fs';
import { sequenceOfChain } from '../../drawing/from-chain.ts';
import { sequenceOfRun } from '../../drawing/from-run.ts';
import { folded, type Sequence } from '../../drawing/sequence.ts';
import type { ExitCode } from '../../core/events.ts';
import type { SourceFile } from '../../core/chain/source/source-file.ts';
import { fail } from '../../core/problems.ts';
import { load, loadProject } from '../../api/load.ts';
import { OpenRun } from '../../api/open-run.ts';
import { recordsOf } from '../../api/run-recorded.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { errorTerminal, outputTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { reportProblems } from './run.ts';

export interface DrawOptions {
  readonly env?: string;
  readonly svg?: boolean | string;
  readonly mermaid?: boolean;
  readonly width?: string;
  readonly whole?: boolean;
}

/** A drawing with more lines than that folds its innermost frames. */
const MOST_LINES = 120;

/** `batharon draw FILE|RUN`: a chain, or what a run has done, as a sequence diagram. */
export function draw(what: string, options: DrawOptions): Promise<ExitCode> {
  let files: readonly SourceFile[] = [];
  return guarded(
    async () => {
      const terminal = outputTerminal();
      const width = widthOf(options, terminal);
      let sequence: Sequence;
      if (existsSync(what) || /\.ya?ml$/.test(what)) {
        const loaded = load([what], options.env, true);
        ({ files } = loaded);
        if (reportProblems(errorTerminal(), loaded)) return 2;
        const [chain] = loaded.chains;
        if (!chain || loaded.chains.length > 1)
          fail('wrong-form', `${what} has ${loaded.chains.length} chains, and one is drawn`, {
            hint: loaded.chains[0] ? `batharon draw ${loaded.chains[0].file}` : 'a chain file',
          });
        sequence = sequenceOfChain(chain, loaded.project);
      } else {
        const records = recordsOf(loadProject(options.env, false).project);
        sequence = sequenceOfRun(OpenRun.read(records, records.find(what)).run);
      }
      await print(options.whole ? sequence : folded(sequence, MOST_LINES), { options, terminal, width });
      return 0;
    },
    () => files,
  );
}

async function print(
  sequence: Sequence,
  {
    options,
    terminal,
    width,
  }: { readonly options: DrawOptions; readonly terminal: Terminal; readonly width: number },
): Promise<void> {
  if (options.svg !== undefined && options.svg !== false) {
    const { svg } = await import('../../drawing/svg.ts');
    const text = svg(sequence);
    if (typeof options.svg === 'string') writeTo(options.svg, text);
    else writeData(text);
    return;
  }
  if (options.mermaid) {
    const { mermaid } = await import('../../drawing/mermaid.ts');
    writeData(mermaid(sequence));
    return;
  }
  const { drawnText } = await import('../../drawing/drawn-text.ts');
  const { colours } = terminal;
  for (const { isHead, mark, text } of drawnText(sequence, width)) {
    const paint = isHead
      ? colours.bold
      : mark === 'failed'
        ? colours.red
        : mark === 'interrupted' || mark === 'accepted'
          ? colours.yellow
          : mark === 'skipped'
            ? colours.dim
            : (line: string) => line;
    terminal.write(`${paint(text)}\n`);
  }
}

/** Throws `file-not-written`. */
function writeTo(path: string, text: string): void {
  try {
    writeFileSync(path, text);
  } catch (error) {
    fail('file-not-written', `${path} can't be written: ${(error as Error).message}`, {
      hint: '--svg alone prints the picture',
    });
  }
}

/** Throws `wrong-form`. */
function widthOf({ width }: DrawOptions, terminal: Terminal): number {
  if (width === undefined) return Math.min(terminal.width, 126);
  const columns = /^\d{2,3}$/.test(width) ? Number(width) : 0;
  return columns >= 40 && columns <= 400
    ? columns
    : fail('wrong-form', `--width ${width} is no number of columns from 40 to 400`, { hint: '--width 80' });
}
