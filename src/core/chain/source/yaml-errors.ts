import { countOf } from '../../count-of.ts';
import { METHODS } from '../../methods.ts';
import { parseYaml } from './parse-yaml.ts';
import { repair } from '../../language/repair.ts';
import { parseExpression } from '../../language/parser.ts';
import type { SourceProblem } from './source-problem.ts';
import { asScalar } from './scalar-text.ts';

interface Explained extends Pick<SourceProblem, 'message' | 'hint' | 'instead'> {
  readonly code: 'yaml' | 'yaml-trap';
  /** Counted from 1. */
  readonly line: number;
  readonly column: number;
}

/** So many changes are tried on a broken file, each of which reads it again. */
const MOST_TRIES = 8;

/**
 * Why YAML can't read a file, in terms of what was written: the parser's own words speak of what it looked for. `line` is where
 * it gave up, counted from 1. Undefined where nothing is recognised.
 */
export function explainYaml(text: string, line: number): Explained | undefined {
  const lines = text.split('\n').map((one) => one.replace(/\r$/, ''));
  const before = lines.slice(0, line - 1).findLastIndex((one) => one.trim() !== '' && !/^\s*#/.test(one)) + 1;
  const near = [...new Set([line, before])].filter((one) => one >= 1 && one <= lines.length);
  let tries = 0;
  const isBetter = (number: number, instead: string | undefined): boolean =>
    ++tries <= MOST_TRIES && helps(lines, number, instead);
  for (const explain of [
    tab,
    invisibleIndent,
    missingBlank,
    bareCall,
    missingComma,
    commaAtEnd,
    bareKey,
    habitInValue,
    openQuote,
    openBracket,
    colonInText,
    keyAtDash,
    strayDash,
    missingColon,
  ])
    for (const number of near) {
      const found = explain(lines[number - 1]!, lines, number);
      if (found && isBetter(number, found.instead)) return { ...found, line: number };
    }
  // A quote that is left open is missed at the end of the file.
  for (let number = line; number >= 1; number--) {
    const one = lines[number - 1]!;
    const found = openQuote(one) ?? openItem(one) ?? openInFlow(one);
    if (found && isBetter(number, found.instead)) return { ...found, line: number };
  }
  return indentation(lines, Math.min(line + 1, lines.length));
}

type Found = Omit<Explained, 'line'> | undefined;

/** Whether a line put right leaves YAML with less to complain of. */
function helps(lines: readonly string[], line: number, instead: string | undefined): boolean {
  if (instead === undefined) return true;
  const indent = /^\s*/.exec(instead)![0] === '' ? /^[ ]*/.exec(lines[line - 1]!)![0] : '';
  const mended = lines.with(line - 1, indent + instead).join('\n');
  const at = (text: string): number =>
    Math.min(...parseYaml(text, { logLevel: 'silent' }).errors.map(({ pos }) => pos[0]), Infinity);
  return at(mended) > at(lines.join('\n')) + (mended.length - lines.join('\n').length);
}

/** The blanks, dashes and key of a line, and its value. */
const ENTRY = /^(\s*(?:- +)*)([\w$.()-]+):( +)(\S.*)$/;

function tab(line: string, lines: readonly string[], number: number): Found {
  const at = /^\s*/.exec(line)![0].indexOf('\t');
  if (at < 0) return undefined;
  const above =
    lines.slice(0, number - 1).findLast((one) => one.trim() !== '' && !one.startsWith('\t')) ?? '';
  return {
    code: 'yaml',
    message: "a tab can't indent in YAML; use blanks",
    column: at + 1,
    instead: /^ */.exec(above)![0] + line.trim(),
  };
}

/** A blank of another kind before a key. */
function invisibleIndent(line: string): Found {
  const at = /^[ ]*(?=[\u00a0\u2007\u202f\u3000])/.exec(line)?.[0].length;
  return at === undefined
    ? undefined
    : {
        code: 'yaml',
        message: 'this blank is a no-break space, which does not indent in YAML',
        column: at + 1,
        instead: line.replace(/[\u00a0\u2007\u202f\u3000]/g, ' '),
      };
}

/** `as:desk`, `-call: GET kiln /racks` */
function missingBlank(line: string): Found {
  const key = /^(\s*(?:- +)*[\w-]+):(?=[^\s/:])(.+)$/.exec(line);
  if (key)
    return {
      code: 'yaml',
      message: 'a blank follows the colon of a key',
      column: key[1]!.length + 2,
      instead: `${key[1]!}: ${key[2]!}`.trim(),
    };
  const dashes = /^(\s*)--+\s+(\S.*)$/.exec(line);
  if (dashes)
    return {
      code: 'yaml',
      message: 'an item begins with one dash',
      column: dashes[1]!.length + 2,
      instead: `- ${dashes[2]!}`,
    };
  const dash = /^(\s*)-(?=[A-Za-z])(.+)$/.exec(line);
  return dash
    ? {
        code: 'yaml',
        message: 'a blank follows the dash of an item',
        column: dash[1]!.length + 2,
        instead: `- ${dash[2]!}`,
      }
    : undefined;
}

/** `limit > 3 ? 'many' : 'few'`: an expression of another language, which YAML cuts before it could be read as one. */
function habitInValue(line: string): Found {
  const [, lead, key, gap, value] = ENTRY.exec(line) ?? [];
  if (value === undefined || /^(['"]).*\1$|^\[|^\{(?!\{)/.test(value)) return undefined;
  const repaired = repair(value, (one) => {
    try {
      parseExpression(one);
      return 0;
    } catch {
      return 1;
    }
  });
  if (!repaired || /^[A-Za-z ,.]+$/.test(value)) return undefined;
  const column = lead!.length + key!.length + 1 + gap!.length + 1 + repaired.span[0];
  return {
    code: 'yaml-trap',
    message: repaired.say,
    column,
    instead: `${(lead! + key!).trim()}: ${asScalar(repaired.text, false)}`,
  };
}

/** `- GET kiln /racks` */
function bareCall(line: string): Found {
  const [, blanks, method, rest] = /^(\s*)- ([A-Z]+) (\S.*)$/.exec(line) ?? [];
  return method !== undefined && METHODS.has(method)
    ? {
        code: 'yaml',
        message: 'a request follows call:',
        column: blanks!.length + 3,
        instead: `- call: ${method} ${rest!}`,
      }
    : undefined;
}

/** `{ kind: number default: 5 }` */
function missingComma(line: string): Found {
  const found = /(?<=\{.*[^,{\s:])(\s+)(?=[\w-]+: )/.exec(line);
  return found
    ? {
        code: 'yaml',
        message: 'inside { } a comma stands between two keys',
        column: found.index + found[0].length + 1,
        instead: `${line.slice(0, found.index)}, ${line.slice(found.index + found[0].length)}`.trim(),
      }
    : undefined;
}

/** `name: "bowl",` */
function commaAtEnd(line: string): Found {
  const [, value] =
    /^(\s*(?:- +)*(?:[\w-]+: +)?(?:"(?:[^"\\]|\\.)*"|'(?:[^']|'')*'))\s*,\s*$/.exec(line) ?? [];
  return value === undefined
    ? undefined
    : {
        code: 'yaml-trap',
        message: 'no comma stands at the end of a line in YAML',
        column: value.length + 1,
        instead: value.trim(),
      };
}

/** `inputs`, with what it has on the lines below. */
function bareKey(line: string, lines: readonly string[], number: number): Found {
  const [, lead, key] = /^(\s*(?:- +)*)([A-Za-z][\w-]*)\s*$/.exec(line) ?? [];
  const below = lines.slice(number).find((one) => one.trim() !== '') ?? '';
  if (key === undefined || !/^\s*(?:- |[\w-]+:)/.test(below) || /^ */.exec(below)![0].length < lead!.length)
    return undefined;
  return {
    code: 'yaml',
    message: 'a key is followed by a colon',
    column: lead!.length + key.length + 1,
    instead: `${lead!}${key}:`,
  };
}

/** `- 'status == 200` */
function openItem(line: string): Found {
  const [, blanks, quote, inner] = /^(\s*(?:- +)+)(['"])(.*)$/.exec(line) ?? [];
  if (quote === undefined || inner!.replaceAll(quote + quote, '').includes(quote)) return undefined;
  return {
    code: 'yaml',
    message: `the ${quote} at the beginning of this text is not closed`,
    column: blanks!.length + 1,
    instead: `${blanks!.trim()} ${asScalar(inner!, false)}`,
  };
}

/** `name: "deeper` */
function openQuote(line: string): Found {
  const [, lead, key, gap, value] = ENTRY.exec(line) ?? [];
  const quote = value?.[0];
  if (value === undefined || (quote !== '"' && quote !== "'")) return undefined;
  const inner = value.slice(1);
  const isClosed = quote === '"' ? /(?:^|[^\\])"/.test(inner) : inner.replaceAll("''", '').includes("'");
  return isClosed
    ? undefined
    : {
        code: 'yaml',
        message: `the ${quote} at the beginning of this text is not closed`,
        column: lead!.length + key!.length + gap!.length + 2,
        instead: line.trim() + quote,
      };
}

/** `{ default: "A3 }` */
function openInFlow(line: string): Found {
  const [all, before, quote, inner, after] =
    /^(.*[{[,:]\s*)(["'])([^"'{}[\],]*?)(\s*(?:[}\],].*)?)$/.exec(line) ?? [];
  if (all === undefined || !/[{[]/.test(before!)) return undefined;
  return {
    code: 'yaml',
    message: `the ${quote!} at the beginning of this text is not closed`,
    column: before!.length + 1,
    instead: `${before!}${quote!}${inner!}${quote!}${after!}`.trim(),
  };
}

/** `tags: [night` */
function openBracket(line: string): Found {
  const [, lead, key, gap, value] = ENTRY.exec(line) ?? [];
  if (value === undefined || !/^[[{]/.test(value)) return undefined;
  const open: string[] = [];
  const bare = value.replace(/"(?:[^"\\]|\\.)*"|'(?:[^']|'')*'/g, (all) => ' '.repeat(all.length));
  for (const char of bare) {
    if (char === '[' || char === '{') open.push(char === '[' ? ']' : '}');
    else if (char === open.at(-1)) open.pop();
  }
  if (open.length === 1 && /^(?:\{\{|\[\[)/.test(value))
    return {
      code: 'yaml',
      message: `there is one ${value[0]!} too many`,
      column: lead!.length + key!.length + gap!.length + 2,
      instead: `${(lead! + key!).trim()}: ${value.slice(1)}`,
    };
  return open.length === 0
    ? undefined
    : {
        code: 'yaml',
        message: `this ${value[0]!} is not closed`,
        column: lead!.length + key!.length + gap!.length + 2,
        instead: `${line.trim()}${open.at(-1) === '}' ? ' ' : ''}${open.toReversed().join('')}`,
      };
}

/** `about: What is left: nothing` */
function colonInText(line: string): Found {
  const [, lead, key, gap, value] = ENTRY.exec(line) ?? [];
  if (value === undefined || /^['"[{|>&*!]/.test(value) || !/:(?: |$)/.test(value)) return undefined;
  const method = key === 'call' ? /^([A-Z]+): +(\S.*)$/.exec(value) : undefined;
  if (method)
    return {
      code: 'yaml',
      message: 'no colon follows the method of a call',
      column: lead!.length + key!.length + gap!.length + 2 + method[1]!.length,
      instead: `${lead!.trim() === '' ? '' : `${lead!.trim()} `}call: ${method[1]!} ${method[2]!}`,
    };
  return {
    code: 'yaml',
    message: 'in YAML ": " makes a key of what stands before it; a text that has it stands in quotes',
    column: lead!.length + key!.length + gap!.length + 2,
    instead: `${(lead! + key!).trim()}: ${asScalar(value, false)}`,
  };
}

/** Keys whose lines are items, each with keys of its own. */
const OF_ITEMS: ReadonlySet<string> = new Set(['steps', 'undo', 'cleanup']);

/** The key of the nearest line above that begins further out. */
function parentKey(lines: readonly string[], number: number, column: number): string | undefined {
  const above = lines
    .slice(0, number - 1)
    .findLast((one) => one.trim() !== '' && /^ */.exec(one)![0].length < column);
  return /^\s*(?:- +)*([\w-]+):/.exec(above ?? '')?.[1];
}

/** A key of an item that begins where the dash does. */
function keyAtDash(line: string, lines: readonly string[], number: number): Found {
  const [, blanks, key] = /^( *)([A-Za-z][\w-]*):(?:\s|$)/.exec(line) ?? [];
  if (blanks === undefined || !OF_ITEMS.has(parentKey(lines, number, blanks.length) ?? '')) return undefined;
  const above = lines
    .slice(0, number - 1)
    .findLast((one) => one.trim() !== '' && /^ */.exec(one)![0].length <= blanks.length);
  const [, lead, dash] = /^( *)(- +)\S/.exec(above ?? '') ?? [];
  if (lead !== blanks) return undefined;
  const column = blanks.length + dash!.length + 1;
  return {
    code: 'yaml',
    message: `${key!} begins at the column of the dash; what belongs to that item begins at column ${column}`,
    column: blanks.length + 1,
    instead: ' '.repeat(column - 1) + line.trim(),
  };
}

/** `- first: $.id` between keys that have no dash. */
function strayDash(line: string, lines: readonly string[], number: number): Found {
  const [, blanks, rest] = /^(\s*)- +([\w-]+: .*)$/.exec(line) ?? [];
  if (blanks === undefined || rest === undefined) return undefined;
  const beside = [lines[number - 2] ?? '', lines[number] ?? ''];
  if (!beside.some((one) => one.startsWith(blanks) && /^[\w-]+:/.test(one.slice(blanks.length))))
    return undefined;
  return {
    code: 'yaml',
    message: 'this dash makes an item of a list of a line between keys',
    column: blanks.length + 1,
    instead: rest,
  };
}

/** `name deeper`, `name = deeper` */
function missingColon(line: string): Found {
  const [, lead, key, gap, value] = /^(\s*(?:- +)*)([a-z][a-z-]*)(\s*=\s*|\s+)(\S.*)$/.exec(line) ?? [];
  if (key === undefined) return undefined;
  return {
    code: 'yaml',
    message: gap!.includes('=') ? 'a key is followed by a colon, not by =' : 'a key is followed by a colon',
    column: lead!.length + key.length + 1,
    instead: `${(lead! + key).trim()}: ${value!}`,
  };
}

/** A line that begins at a column at which nothing of what it stands in begins. */
function indentation(lines: readonly string[], last: number): Explained | undefined {
  const open: { readonly column: number; readonly line: number; readonly key: string }[] = [];
  let opens = true;
  let block: number | undefined;
  for (let i = 0; i < last; i++) {
    const line = lines[i]!;
    if (line.trim() === '' || /^\s*#/.test(line)) continue;
    const start = /^ */.exec(line)![0].length;
    if (block !== undefined && start > block) continue;
    block = undefined;
    const [, dashes = ''] = /^ *((?:- +)*)/.exec(line) ?? [];
    const key = /^([^:]*?):(?:\s|$)/.exec(line.slice(start + dashes.length))?.[1];
    let popped: (typeof open)[number] | undefined;
    while (open.length > 0 && open.at(-1)!.column > start) popped = open.pop();
    const top = open.at(-1);
    if (top && top.column < start && !opens) return misplaced(line, i + 1, start, popped ?? top);
    if (top && top.column !== start && popped && !opens) return misplaced(line, i + 1, start, popped);
    if (!top || top.column < start)
      open.push({ column: start, line: i + 1, key: key ?? line.trim().slice(0, 20) });
    if (dashes !== '')
      open.push({ column: start + dashes.length, line: i + 1, key: key ?? line.trim().slice(0, 20) });
    opens = /:\s*(?:#.*)?$|^\s*-\s*$/.test(line);
    if (/:\s*[|>][+-]?\d*\s*(?:#.*)?$/.test(line)) block = start + dashes.length;
  }
  return undefined;
}

function misplaced(
  line: string,
  number: number,
  start: number,
  like: { readonly column: number; readonly line: number; readonly key: string },
): Explained {
  const what = /^\s*(?:- +)*([^:]+)/.exec(line)?.[1]?.slice(0, 40) ?? 'this line';
  const by = countOf(Math.abs(start - like.column), 'column');
  return {
    code: 'yaml',
    message: `${what} begins ${by} ${start > like.column ? 'further in' : 'further out'} than ${like.key} on line ${like.line}; what belongs together begins at one column`,
    line: number,
    column: start + 1,
    instead: ' '.repeat(like.column) + line.trim(),
  };
}
