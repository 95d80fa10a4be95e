import type { EventOf, RunEvent } from '../../core/events.ts';
import { parseJson, writeJson } from '../../core/language/json.ts';
import { isTextType } from '../../core/text-types.ts';
import { sizeWords, timeWords } from '../../core/units.ts';
import { errorTerminal, outputTerminal, type Terminal, writeData } from '../terminal/terminal.ts';
import { wrap } from '../terminal/text-width.ts';
import type { OpenRun } from '../../api/open-run.ts';
import { bodyLines, type BodyLines } from './body-lines.ts';
import { printTree } from './response-tree.ts';

/** Prints what was sent and what came, field by field, and what went wrong. */
export function printExchange(terminal: Terminal, events: readonly RunEvent[]): void {
  const { colours } = terminal;
  const line = (mark: string, text: string): void => terminal.write(`${mark.padEnd(8)}${text}\n`);
  const fields = (headers: EventOf<'response-received'>['headers']): void => {
    for (const [name, value] of headers)
      wrap(`${name}: ${value}`, terminal.wrapWidth - 10).forEach((row, i) =>
        terminal.write(colours.dim(`        ${i === 0 ? '' : '  '}${row}\n`)),
      );
  };
  for (const event of events) {
    switch (event.event) {
      case 'signed-in':
        line('', colours.dim(`signed in as ${event.credential} (${event.kind})`));
        break;
      case 'warning':
        line(colours.yellow('warning'.padEnd(8)), event.message);
        break;
      case 'request-sent':
        line(colours.cyan('sent'.padEnd(8)), colours.bold(`${event.method} ${event.url}`));
        fields(event.headers);
        if (event.body?.text !== undefined)
          for (const row of event.body.text.split('\n').slice(0, 20)) line('', row);
        break;
      case 'response-received':
        terminal.write('\n');
        line(
          (event.status < 400 ? colours.green : colours.red)('got'.padEnd(8)),
          `${colours.bold(String(event.status))} · ${timeWords(event.elapsed)} · ${event.body.size === 0 ? 'no body' : `${event.body.type ?? 'no content type'}, ${sizeWords(event.body.size)}`}`,
        );
        fields(event.headers);
        break;
      case 'saved':
        line('saved', `${event.path}, ${sizeWords(event.size)}`);
        break;
      case 'redirected':
        line(
          '',
          `redirected to ${event.to}${event.credential === 'removed' ? ', the credential removed' : ''}`,
        );
        break;
      case 'step-ended':
      case 'run-ended':
        if (event.problem && event.event === 'step-ended') {
          wrap(event.problem.message, terminal.wrapWidth - 8).forEach((row, i) =>
            line(colours.red((i === 0 ? 'failed' : '').padEnd(8)), row),
          );
          if (event.problem.hint !== undefined) line('hint', event.problem.hint);
        } else if (event.problem) {
          line(colours.red('failed'.padEnd(8)), event.problem.message);
          if (event.problem.hint !== undefined) line('hint', event.problem.hint);
        }
        break;
      default:
    }
  }
}

/** How much of a text is shown, in characters. */
const MOST_TEXT = 20_000;

/** A whole body: JSON on lines of its own, anything else as it came. */
function wholeOf(text: string): string {
  try {
    return `${writeJson(parseJson(text), 2)}\n`;
  } catch {
    return text.endsWith('\n') ? text : `${text}\n`;
  }
}

/** The body as paths and values; what is not JSON as it is. On standard output, since it is what was asked for. */
export async function printResponse(
  open: OpenRun,
  response: EventOf<'response-received'>,
  { all }: { readonly all: boolean },
): Promise<void> {
  const { body } = response;
  const text = open.text(response);
  const terminal = outputTerminal();
  const { size, type } = body;
  if (size === 0) return;
  errorTerminal().write('\n');
  if (all && text !== undefined) {
    writeData(wholeOf(text));
    return;
  }
  if (text === undefined || (type !== undefined && !isTextType(type))) {
    errorTerminal().write(
      `${sizeWords(size)} of ${type ?? 'unknown type'}, not shown; --save FILE writes it to a file\n`,
    );
    return;
  }
  const parts = await bodyLines(open, response);
  if (parts) printBody(terminal, parts);
  else {
    const shown = text.slice(0, MOST_TEXT);
    const line = shown.endsWith('\n') ? shown : `${shown}\n`;
    // A program that reads it gets it as it came.
    if (terminal.live) terminal.write(line);
    else writeData(line);
    if (text.length > MOST_TEXT) errorTerminal().write(`and ${text.length - MOST_TEXT} more characters\n`);
  }
}

/** Prints the parts of a body, and how to write their paths. */
export function printBody(terminal: Terminal, { lines, note }: BodyLines): void {
  printTree(terminal, lines);
  if (note !== undefined) errorTerminal().write(`\nin a chain: ${note}\n`);
}
