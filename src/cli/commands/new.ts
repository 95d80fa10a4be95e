import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ExitCode } from '../../core/events.ts';
import chain from '../../../examples/new/first.chain.yaml';
import project from '../../../examples/new/batharon.yaml';
import type { SchemaFile } from '../../core/schema/file-schema.ts';
import { schemaPath, writeSchemasBelow } from '../../api/schema-files.ts';
import { ProblemError } from '../../core/problems.ts';
import { errorTerminal, type Terminal } from '../terminal/terminal.ts';

const IGNORED = '# What Batharon keeps of its own: runs, locked secrets.\n.batharon/\n.env\nout/\n';

/** `batharon new`: a project with one chain, which runs as it is. */
export function newProject(folder: string): ExitCode {
  const terminal = errorTerminal();
  const files = [
    ['batharon.yaml', withSchema('project', project)],
    ['first.chain.yaml', withSchema('chain', chain)],
    ['.gitignore', IGNORED],
  ] as const;
  const taken = files.find(([name]) => name !== '.gitignore' && existsSync(join(folder, name)));
  if (taken) {
    terminal.write(`${join(folder, taken[0])} is there already; nothing was written.\n`);
    return 2;
  }
  mkdirSync(folder, { recursive: true });
  for (const [name, text] of files)
    if (!existsSync(join(folder, name))) writeFileSync(join(folder, name), text);
  tellOfSchemas(terminal, folder);
  const { colours } = terminal;
  const go = folder === '.' ? '' : `cd ${folder} && `;
  terminal.write(
    `Wrote ${files.map(([name]) => join(folder, name)).join(', ')}.\n\n${colours.bold('Next')}\n`,
  );
  for (const [command, about] of [
    [`${go}batharon run`, 'runs the chain against the practice service'],
    ['batharon send GET kiln /glazes', 'one request without a file'],
    ["batharon import curl 'curl …' --add first.chain.yaml", 'makes a step of what a documentation shows'],
  ])
    terminal.write(`  ${colours.cyan(command!.padEnd(54))} ${about!}\n`);
  return 0;
}

/** The project runs without them, so that they can't be written is no more than a warning. */
function tellOfSchemas(terminal: Terminal, folder: string): void {
  try {
    writeSchemasBelow(folder);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    terminal.write(`warning ${error.problem.message}; batharon schema --write tries again\n`);
  }
}

/** With the line by which editors find the schema of a file. */
function withSchema(file: SchemaFile, text: string): string {
  return `# yaml-language-server: $schema=${schemaPath(file)}\n${text}`;
}
