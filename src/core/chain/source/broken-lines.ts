import { METHODS } from '../../methods.ts';
import {
  colonInText,
  commaAtEnd,
  fileByAt,
  habitInBraces,
  habitInValue,
  missingComma,
  openBracket,
  openQuote,
  operatorFirst,
  type Explained,
} from './broken-values.ts';

// What one line of broken YAML was meant as.

type Found = Omit<Explained, 'line'> | undefined;

/** A tab before a key. */
function tab(line: string, lines: readonly string[], number: number): Found {
  const at = /^\s*/.exec(line)![0].indexOf('\t');
  if (at < 0) return undefined;
  const above =
    lines.slice(0, number - 1).findLast((one) => one.trim() !== '' && !one.startsWith('\t')) ?? '';
  const [, blanks, dashes] = /^( *)((?:- +)*)/.exec(above)!;
  const opens = /:\s*(?:#.*)?$/.test(above) && dashes === '';
  return {
    code: 'yaml',
    message: "a tab can't indent in YAML; use blanks",
    column: at + 1,
    instead: blanks! + (opens ? '  ' : '') + line.trim(),
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
  if (key === undefined || !/^\s*(?:- |[\w.-]+:)/.test(below) || /^ */.exec(below)![0].length < lead!.length)
    return undefined;
  return {
    code: 'yaml',
    message: 'a key is followed by a colon',
    column: lead!.length + key.length + 1,
    instead: `${lead!}${key}:`,
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
  // `  - call: GET kiln /racks`, with its keys at the column of the dash of this one
  const first = /^ *- +(?=[\w-]+: \S)/.exec(beside[0]!)?.[0].length;
  if (
    first !== blanks.length &&
    !beside.some((one) => one.startsWith(blanks) && /^[\w-]+:/.test(one.slice(blanks.length)))
  )
    return undefined;
  return {
    code: 'yaml',
    message: 'this dash makes an item of a list of a line between keys',
    column: blanks.length + 1,
    instead: rest,
  };
}

/** A key at the column of a dash, where each line is an item. */
function keyWithoutDash(line: string, lines: readonly string[], number: number): Found {
  const [, blanks, rest] = /^( *)([\w-]+:(?: .*)?)$/.exec(line) ?? [];
  if (blanks === undefined) return undefined;
  const above = lines
    .slice(0, number - 1)
    .findLast((one) => one.trim() !== '' && /^ */.exec(one)![0].length <= blanks.length);
  return above?.startsWith(`${blanks}- `)
    ? {
        code: 'yaml',
        message: 'an item of a list begins with a dash',
        column: blanks.length + 1,
        instead: `- ${rest!}`,
      }
    : undefined;
}

/** `name deeper`, `name = deeper` */
function missingColon(line: string): Found {
  const [, lead, key, gap, value] = /^(\s*(?:- +)*)([a-z][\w-]*)(\s*=\s*|\s+)(\S.*)$/i.exec(line) ?? [];
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
  fileByAt,
  habitInBraces,
  habitInValue,
  openQuote,
  openBracket,
  colonInText,
  keyAtDash,
  missingDash,
  strayDash,
  keyWithoutDash,
  missingColon,
];
