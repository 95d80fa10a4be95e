import { METHODS } from '../../methods.ts';
import { repair } from '../../language/repair.ts';
import { parseExpression } from '../../language/parser.ts';
import type { SourceProblem } from './source-problem.ts';
import { asScalar } from './scalar-text.ts';

// What one line of broken YAML was meant as.

/** Why YAML can't read a line, in terms of what was written. */
export interface Explained extends Pick<SourceProblem, 'message' | 'hint' | 'instead'> {
  readonly code: 'yaml' | 'yaml-trap';
  /** Counted from 1. */
  readonly line: number;
  readonly column: number;
}

type Found = Omit<Explained, 'line'> | undefined;

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
  const repaired = repair(value, weightOfText);
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

/** `must: > 0`: a comparison without its left side, which YAML takes for the beginning of a block of text. */
function operatorFirst(line: string): Found {
  const found =
    /(?<=[{,]\s*|^\s*(?:- +)*)(must|expect|when|until|while|holds): +(>=?|<=?|==|!=) +([^,{}\s]+)/.exec(line);
  if (!found) return undefined;
  const [all, key, operator, value] = found;
  const name = key === 'must' ? (/^\s*([A-Za-z_]\w*):/.exec(line)?.[1] ?? 'value') : '$';
  return {
    code: 'yaml-trap',
    message: 'a comparison has two sides',
    column: found.index + key!.length + 3,
    instead:
      `${line.slice(0, found.index)}${key!}: ${name} ${operator!} ${value!}${line.slice(found.index + all.length)}`.trim(),
  };
}

/** `keep: { names: $.pieces.map(p => p.name).join(", ") }`: an expression of another language, alone in its braces. */
function habitInBraces(line: string): Found {
  const [, lead, value] =
    /^(\s*(?:- +)*(?:keep|gather|results): +\{ *[A-Za-z_]\w*: +)([^{}]*?)\s*\}\s*$/.exec(line) ?? [];
  if (value === undefined || !/["']/.test(value.slice(1, -1))) return undefined;
  const repaired = repair(value, weightOfText);
  return repaired
    ? {
        code: 'yaml-trap',
        message: repaired.say,
        column: lead!.length + 1 + repaired.span[0],
        instead: `${lead!}${asScalar(repaired.text, true)} }`.trim(),
      }
    : undefined;
}

/** Whether a text can't be read as an expression. */
function weightOfText(text: string): number {
  try {
    parseExpression(text);
    return 0;
  } catch {
    return 1;
  }
}

/** A line among items that has no dash. */
function missingDash(line: string, lines: readonly string[], number: number): Found {
  const [, blanks, rest] = /^( *)(?!- )([^\s#].*)$/.exec(line) ?? [];
  const above = lines.slice(0, number - 1).findLast((one) => one.trim() !== '') ?? '';
  if (blanks === undefined || !above.startsWith(`${blanks}- `) || /^[\w-]+:(?: |$)/.test(rest!))
    return undefined;
  return {
    code: 'yaml',
    message: 'an item of a list begins with a dash',
    column: blanks.length + 1,
    instead: `- ${rest!}`,
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
export function openItem(line: string): Found {
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
export function openQuote(line: string): Found {
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
export function openInFlow(line: string): Found {
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

/** All of them, in the order in which they are tried. */
export const BY_LINE: readonly ((line: string, lines: readonly string[], number: number) => Found)[] = [
  tab,
  invisibleIndent,
  missingBlank,
  bareCall,
  missingComma,
  commaAtEnd,
  bareKey,
  operatorFirst,
  habitInBraces,
  habitInValue,
  openQuote,
  openBracket,
  colonInText,
  keyAtDash,
  missingDash,
  strayDash,
  missingColon,
];
