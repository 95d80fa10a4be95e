import { existsSync } from 'node:fs';
import { countOf } from '../../core/count-of.ts';
import type { Description, OperationHead } from '../../core/contract/description.ts';
import { findOperations } from '../../core/contract/operation-search.ts';
import type { ExitCode } from '../../core/events.ts';
import { nearest } from '../../core/language/nearest.ts';
import type { Project } from '../../core/chain/project.ts';
import { fail } from '../../core/problems.ts';
import { loadProject } from '../../api/load.ts';
import { openFile, renewDescription } from '../../api/renew-description.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { errorTerminal, outputTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { fit, pad, widthOf } from '../terminal/text-width.ts';
import { printOperation } from '../view/operation-view.ts';

export interface CallsOptions {
  readonly env?: string;
  readonly renew?: boolean;
  readonly warnings?: boolean;
  readonly json?: boolean;
}

/** `batharon calls`: what a service offers, by its description. */
export function calls(
  what: string | undefined,
  words: readonly string[],
  options: CallsOptions,
): Promise<ExitCode> {
  return guarded(async () => {
    const { project, findings } = loadProject(options.env, false);
    const described = [...project.services.values()].filter(({ description }) => description);
    const name = what ?? (described.length === 1 ? described[0]!.name : undefined);
    if (name === undefined)
      return fail('no-description', 'no service of the project has a description', {
        hint: 'description: FILE on a service, or batharon calls FILE',
      });
    const service = project.services.get(name);
    if (!service && !existsSync(name))
      return fail('no-description', `the project has no service ${name}, and there is no such file`, {
        hint:
          nearest(name, project.services.keys()) ?? 'batharon calls SERVICE, or the file of a description',
      });
    if (service && !service.description)
      return fail('no-description', `the service ${name} has no description`, {
        hint: 'description: FILE on the service, the path or URL of an OpenAPI document',
      });
    if (options.renew && service) await renewed(project, name);
    const description = service
      ? (options.renew ? loadProject(options.env, false).project : project).descriptions?.of(name)
      : await openFile(name);
    const problem = findings.find(
      ({ finding }) => finding.code === 'not-a-description' || finding.code === 'file-not-found',
    );
    if (!description) {
      // Reading it has said why.
      const said = problem?.finding ?? notRead(project.descriptions);
      return fail(
        said?.code === 'file-not-found' ? 'file-not-found' : 'no-description',
        said?.message ?? `the description of ${name} can't be read`,
        {
          hint: said?.hint ?? `batharon calls ${name} --renew`,
        },
      );
    }
    const output = outputTerminal();
    if (options.warnings) return printWarnings(output, description);
    const found = findOperations(description, words);
    if (options.json) {
      writeData(`${JSON.stringify(found.map(shortOf), undefined, 2)}\n`);
      return 0;
    }
    if (found.length === 0)
      return fail('no-description', `${description.file} has no operation with ${words.join(' ')}`, {
        hint: nearWords(description, words),
      });
    if (found.length === 1 && words.length > 0)
      printOperation(output, description, found[0]!, { project, service });
    else printTable(output, description, found);
    return 0;
  });
}

function notRead(descriptions: unknown): { code: string; message: string; hint?: string } | undefined {
  return (descriptions as { findings?: { code: string; message: string; hint?: string }[] } | undefined)
    ?.findings?.[0];
}

async function renewed(project: Project, name: string): Promise<void> {
  const terminal = errorTerminal();
  const { colours } = terminal;
  const changes = await renewDescription(project, name);
  terminal.write(
    `${colours.green('renewed')} ${changes.file}${changes.lines.length === 0 ? ', as it was' : ''}\n`,
  );
  for (const line of changes.lines) terminal.write(`        ${line}\n`);
}

function shortOf({
  method,
  path,
  id,
  summary,
  tags,
  parameters,
  deprecated,
  incoming,
  at,
}: OperationHead): object {
  return { method, path, id, summary, tags, parameters, deprecated, incoming, at };
}

function nearWords({ operations }: Description, words: readonly string[]): string {
  const known = new Set(
    operations.flatMap(({ path, tags, id }) => [...path.split(/[/{}]/), ...tags, id ?? '']),
  );
  const near = words.map((word) => nearest(word, known)).find((one) => one !== undefined && one !== '');
  return near ?? 'batharon calls SERVICE lists all';
}

/** A line for each operation. */
function printTable(terminal: Terminal, description: Description, found: readonly OperationHead[]): void {
  const { colours, width } = terminal;
  const { title, version, file } = description;
  terminal.write(
    `${title}${version === '' ? '' : ` ${version}`}  ${colours.dim(`${file} · ${countOf(found.length, 'operation')}`)}\n\n`,
  );
  const methodWidth = Math.max(...found.map(({ method }) => method.length));
  const pathWidth = Math.min(Math.max(...found.map(({ path }) => widthOf(path))), Math.floor(width * 0.45));
  const idWidth = Math.min(Math.max(0, ...found.map(({ id = '' }) => widthOf(id))), Math.floor(width * 0.25));
  for (const head of found) {
    const { method, path, id = '', summary, deprecated, incoming } = head;
    const about = [
      ...(incoming === undefined ? [] : [`comes in: ${incoming}`]),
      ...(deprecated ? ['deprecated'] : []),
      ...(summary === undefined ? [] : [summary]),
    ].join(' · ');
    const left = `${pad(method, methodWidth)}  ${pad(path, pathWidth)}  `;
    const rest = Math.max(10, width - widthOf(left));
    const line = fit(`${pad(fit(id, idWidth), idWidth)}${about === '' ? '' : `  ${about}`}`, rest);
    terminal.write(
      deprecated
        ? colours.dim(`${left}${line}`.trimEnd()) + '\n'
        : `${colours.cyan(pad(method, methodWidth))}  ${pad(path, pathWidth)}  ${colours.dim(line)}`.trimEnd() +
            '\n',
    );
  }
  terminal.write(
    colours.dim(
      '\nA word more finds fewer; of one its parameters, body and responses are shown, and the step to write.\n',
    ),
  );
}

function printWarnings(terminal: Terminal, { file, warnings }: Description): ExitCode {
  for (const { message, at } of warnings) terminal.write(`${at.file}:${at.line}: ${message}\n`);
  if (warnings.length === 0) terminal.write(`${file}: all of it can be used as written\n`);
  return 0;
}
