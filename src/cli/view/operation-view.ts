import type {
  DescribedContent,
  Description,
  Direction,
  OperationHead,
} from '../../core/contract/description.ts';
import { schemaRows, type SchemaRow } from '../../core/contract/schema-rows.ts';
import type { Project, Service } from '../../core/chain/project.ts';
import { stepFor } from '../../import/description/step-for.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { fit, pad, widthOf } from '../terminal/text-width.ts';

/** So many rows of a schema are shown; the rest is counted. */
const MOST_ROWS = 40;

/** Shows an operation: its parameters, body and responses as a tree, and the step to write. */
export function printOperation(
  terminal: Terminal,
  description: Description,
  head: OperationHead,
  { project, service }: { readonly project: Project; readonly service: Service | undefined },
): void {
  const { colours } = terminal;
  const operation = description.operation(head);
  const line = (text: string, more = ''): void =>
    terminal.write(`${colours.bold(text)}${more === '' ? '' : `  ${colours.dim(more)}`}\n`);
  const title = (text: string, more = ''): void => {
    terminal.write('\n');
    line(text, more);
  };
  terminal.write(
    `${colours.bold(`${head.method} ${head.path}`)}  ${colours.dim(
      [
        head.id,
        head.deprecated ? 'deprecated' : undefined,
        head.incoming && `comes in: ${head.incoming}`,
        `${head.at.file}:${head.at.line}`,
      ]
        .filter((one) => one !== undefined)
        .join(' · '),
    )}\n`,
  );
  for (const text of [head.summary, operation.about === head.summary ? undefined : operation.about])
    if (text !== undefined) printText(terminal, text);
  if (operation.parameters.length > 0) {
    title('parameters', '* required');
    printRows(
      terminal,
      operation.parameters.map((one) => {
        const [row] = one.schema ? schemaRows(description.schema(one.schema, 'request')) : [];
        const about = one.about ?? row?.about;
        return {
          name: one.name,
          level: 0,
          required: one.required,
          kind: `${one.in === 'path' ? 'in the path' : one.in}, ${row?.kind ?? 'text'}`,
          ...(about === undefined ? {} : { about: about.split('\n')[0]! }),
        };
      }),
    );
  }
  if (operation.body) {
    title(`body${operation.body.required ? ' *' : ''}`, typesOf(operation.body.content));
    printContent(terminal, description, operation.body.content, 'request');
  }
  let isAlone = true;
  for (const { status, about, content, headers } of operation.responses) {
    const isShown = /^2/.test(status);
    // Those of which no more is said stand below each other.
    if (isShown || isAlone) terminal.write('\n');
    isAlone = isShown;
    line(status, [firstLine(about), typesOf(content)].filter((one) => one !== '').join(' · '));
    if (headers.length > 0)
      terminal.write(
        `  ${colours.dim(`headers ${headers.map(({ name, required }) => name + (required ? ' *' : '')).join(', ')}`)}\n`,
      );
    if (isShown) printContent(terminal, description, content, 'response');
  }
  if (head.incoming !== undefined) return;
  title('step');
  const { lines, inputs, notes } = stepFor(description, operation, { project, service });
  for (const line of lines) terminal.write(`  ${line}\n`);
  if (inputs.size > 0) {
    title('inputs');
    for (const [name, own] of inputs) terminal.write(`  ${name}: { ${own.join(', ')} }\n`);
  }
  for (const note of notes) terminal.write(`${colours.yellow('warning')} not carried over: ${note}\n`);
}

function typesOf(content: readonly DescribedContent[]): string {
  return content.map(({ type }) => type).join(', ');
}

function firstLine(text: string | undefined): string {
  return (text ?? '').trim().split('\n')[0]!;
}

/** A longer text, its lines cut at words where the terminal ends. */
function printText(terminal: Terminal, text: string): void {
  const width = Math.min(terminal.width, 100) - 2;
  for (const paragraph of text.trim().split('\n').slice(0, 12)) {
    let line = '';
    for (const word of paragraph.split(/\s+/)) {
      if (line !== '' && widthOf(line) + 1 + widthOf(word) > width) {
        terminal.write(`  ${line}\n`);
        line = '';
      }
      line += (line === '' ? '' : ' ') + word;
    }
    if (line !== '') terminal.write(`  ${line}\n`);
  }
}

function printContent(
  terminal: Terminal,
  description: Description,
  content: readonly DescribedContent[],
  direction: Direction,
): void {
  const one = content.find(({ type }) => /[/+]json$/.test(type)) ?? content[0];
  if (!one?.schema) return;
  const rows = schemaRows(description.schema(one.schema, direction));
  const [whole, ...inner] = rows;
  // Of an object its members say what it is.
  printRows(terminal, whole!.kind === 'object' && inner.length > 0 ? inner.map(outdented) : rows);
}

function outdented(row: SchemaRow): SchemaRow {
  return { ...row, level: row.level - 1 };
}

function printRows(terminal: Terminal, rows: readonly SchemaRow[]): void {
  const { colours, width } = terminal;
  const shown = rows.slice(0, MOST_ROWS);
  const nameOf = ({ name, level, required }: SchemaRow): string =>
    `${'  '.repeat(level)}${name === '' ? '$' : name}${required ? ' *' : ''}`;
  const left = Math.min(Math.max(...shown.map((row) => widthOf(nameOf(row))), 4), Math.floor(width * 0.4));
  const middle = Math.min(Math.max(...shown.map(({ kind }) => widthOf(kind)), 4), Math.floor(width * 0.35));
  for (const row of shown) {
    const { kind, about = '' } = row;
    const rest = width - left - middle - 6;
    const hasWords = about !== '' && rest >= 8;
    const written = hasWords ? pad(fit(kind, middle), middle) : fit(kind, width - left - 4);
    terminal.write(
      `  ${pad(fit(nameOf(row), left), left)}  ${colours.cyan(written)}${hasWords ? `  ${colours.dim(fit(about, rest))}` : ''}`.trimEnd() +
        '\n',
    );
  }
  if (rows.length > shown.length) terminal.write(colours.dim(`  and ${rows.length - shown.length} more\n`));
}
