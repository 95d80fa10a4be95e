import type { Project } from '../../core/chain/project.ts';
import { fail } from '../../core/problems.ts';
import { askText } from '../terminal/prompts.ts';
import { errorTerminal, outputTerminal } from '../terminal/terminal.ts';
import type { BodyLines } from './body-lines.ts';
import { printTree } from './response-tree.ts';
import { keepInFile } from '../draft/add-draft.ts';

/** Lists the parts of a response by number, asks which of them the step keeps and under which names, and writes that. */
export async function keepByNumber(
  file: string,
  step: string,
  { expressionOf, lines }: BodyLines,
  project: Project,
): Promise<void> {
  const parts = lines.filter(({ path }) => !path.includes('…'));
  const digits = String(parts.length).length;
  printTree(
    outputTerminal(),
    parts.map((line, i) => ({ ...line, path: `${String(i + 1).padStart(digits)}  ${line.path}` })),
  );
  const answer = await askText('Keep which of them? Numbers, or nothing for none: ');
  if (answer === undefined)
    fail('not-answered', 'nobody is here to say which of them is kept', {
      hint: `--keep name='${parts[0]?.path ?? '$'}'`,
    });
  const picks: string[] = [];
  for (const word of answer.split(/[\s,]+/).filter((one) => one !== '')) {
    const line = /^\d+$/.test(word) ? parts[Number(word) - 1] : undefined;
    if (!line)
      fail('input-invalid', `${word} is none of the numbers above`, { hint: `1 to ${parts.length}` });
    const usual = nameOf(line.path);
    const typed = await askText(`The name of ${line.path} [${usual}]: `);
    const name = typed === undefined || typed === '' ? usual : typed;
    picks.push(`${name}=${expressionOf?.(line.path) ?? line.path}`);
  }
  if (picks.length === 0) errorTerminal().write('nothing was written\n');
  else keepInFile(file, step, picks, project);
}

/** What a value is called by its path: the last member in it. */
export function nameOf(path: string): string {
  const words = path.match(/[A-Za-z][A-Za-z0-9_]*/g) ?? [];
  return words.at(-1) ?? 'value';
}
