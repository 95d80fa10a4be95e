import { isOurKey } from './key-habits.ts';
import { repair } from '../../language/repair.ts';
import { parseExpression } from '../../language/parser.ts';
import type { SourceProblem } from './source-problem.ts';
import { asScalar } from './scalar-text.ts';

// What a value on a line of broken YAML was meant as.

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

/** `limit > 3 ? 'many' : 'few'`: an expression of another language, which YAML cuts before it could be read as one. */
export function habitInValue(line: string): Found {
  const [, lead, key, gap, value] = ENTRY.exec(line) ?? [];
  if (
    value === undefined ||
    openQuote(line) ||
    /^(['"]).*\1$|^\[|^\{(?!\{)|^@[\w./-]+\.[a-z]\w{1,3}$/.test(value)
  )
    return undefined;
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

/** `{ kind: number default: 5 }` */
export function missingComma(line: string): Found {
  const found = /(?<=\{.*[^,{\s:])(\s+)(?=([\w-]+): )/.exec(line);
  // `about: the rack: which one`
  const text = /(?<=[{,]\s*[\w-]+: )([A-Za-z][A-Za-z ]*: [^,{}"']*?)(?=\s*[,}])/.exec(line);
  if (found && text && !isOurKey(found[2]!))
    return {
      code: 'yaml',
      message: 'in YAML ": " makes a key of what stands before it; a text that has it stands in quotes',
      column: text.index + 1,
      instead:
        `${line.slice(0, text.index)}${JSON.stringify(text[1])}${line.slice(text.index + text[0].length)}`.trim(),
    };
  return found
    ? {
        code: 'yaml',
        message: 'inside { } a comma stands between two keys',
        column: found.index + found[0].length + 1,
        instead:
          `${line.slice(0, found.index).replace(/\s*;$/, '')}, ${line.slice(found.index + found[0].length)}`.trim(),
      }
    : undefined;
}

/** `name: "bowl",` */
export function commaAtEnd(line: string): Found {
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
export function operatorFirst(line: string): Found {
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
export function habitInBraces(line: string): Found {
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

/** `photo: @bowl.png`, as curl takes a file. */
export function fileByAt(line: string, lines: readonly string[], number: number): Found {
  const [, lead, key, gap, file] =
    /^(\s*(?:- +)*)([\w-]+):( +)@([\w./-]+\.[a-z]\w{1,3})\s*$/.exec(line) ?? [];
  if (file === undefined) return undefined;
  const column = /^\s*/.exec(line)![0].length;
  const above =
    lines.slice(0, number - 1).findLast((one) => one.trim() !== '' && /^\s*/.exec(one)![0].length < column) ??
    '';
  const isPath = OF_FILES.test(key!) && !/^\s*(?:- +)*(?:form|multipart):/.test(above);
  return {
    code: 'yaml',
    message: isPath
      ? 'no @ stands before the path of a file'
      : 'a file is a part of multipart: NAME: { file: PATH }',
    column: lead!.length + key!.length + gap!.length + 2,
    instead: `${lead!.trimStart()}${key!}: ${isPath ? file : `{ file: ${file} }`}`,
  };
}

/** Keys of which the value is the path of a file. */
const OF_FILES = /^(?:file|path|save|to|follow|description|ca|cert)$/;

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
export function openBracket(line: string): Found {
  const [, lead, key = '', gap = '', value] =
    ENTRY.exec(line) ?? /^(\s*(?:- +)+)()()(\{.*)$/.exec(line) ?? [];
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
      column: lead!.length + key.length + gap.length + (key === '' ? 1 : 2),
      instead: `${(lead! + key).trim()}: ${value.slice(1)}`,
    };
  return open.length === 0
    ? undefined
    : {
        code: 'yaml',
        message: `this ${value[0]!} is not closed`,
        column: lead!.length + key.length + gap.length + (key === '' ? 1 : 2),
        instead: `${line.trim()}${open.at(-1) === '}' ? ' ' : ''}${open.toReversed().join('')}`,
      };
}

/** Keys of which the value is a map of members with any names. */
const OF_MEMBERS = /^(?:json|query|form|headers|inputs|values|start|row)$/;

/** Keys of which the value is written for people. */
const OF_PEOPLE = /^(?:about|because|title|show|ask|chain|call|text|name)$/;

/** `about: What is left: nothing` */
export function colonInText(line: string): Found {
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
  const compared =
    key === 'expect' ? /^(status|type|size|elapsed|\$[\w.[\]]*): +(\S.*)$/.exec(value) : undefined;
  if (compared) {
    const [, path, other] = compared;
    const literal = /^(?:[\d.]+(?:ms|s|m|h|d)?|[1-5]xx|true|false|null|(['"]).*\1)$/.test(other!)
      ? other!
      : `'${other!}'`;
    return {
      code: 'yaml',
      message: 'an expectation is a condition',
      column: lead!.length + key!.length + gap!.length + 2,
      instead: `${(lead! + key!).trim()}: ${asScalar(`${path!} == ${literal}`, false)}`,
    };
  }
  const pair = /^([\w-]+): +([^:]*\S)$/.exec(value);
  const isMap = pair && (OF_MEMBERS.test(key!) || (isOurKey(pair[1]!) && !OF_PEOPLE.test(key!)));
  if (isMap)
    return {
      code: 'yaml',
      message: 'a map on one line stands in { }',
      column: lead!.length + key!.length + gap!.length + 2,
      instead: `${(lead! + key!).trim()}: { ${pair[1]!}: ${asScalar(pair[2]!, true)} }`,
    };
  const lines = key === 'call' ? linesOfCall(value, lead!) : undefined;
  if (lines !== undefined)
    return {
      code: 'yaml',
      message: 'each key of a step stands on a line of its own',
      column: lead!.length + key!.length + gap!.length + 2,
      instead: lines,
    };
  return {
    code: 'yaml',
    message: 'in YAML ": " makes a key of what stands before it; a text that has it stands in quotes',
    column: lead!.length + key!.length + gap!.length + 2,
    instead: `${(lead! + key!).trim()}: ${asScalar(value, false)}`,
  };
}

/** `call: GET kiln /racks query: { limit: 5 }` and `call: GET kiln /racks -H "Accept: a/b"`, with the other key on its own line. */
function linesOfCall(value: string, lead: string): string | undefined {
  const below = `\n${' '.repeat(lead.length)}`;
  const [, call, , name, field] =
    /^(.*?\S)\s+(?:-H|--header)\s+(["'])([\w-]+): *(.*?)\2\s*$/.exec(value) ?? [];
  if (call !== undefined)
    return `${lead.trimStart()}call: ${call}${below}headers: { ${name!}: ${JSON.stringify(field)} }`;
  const [, line, key, rest] =
    /^(.*?\S)\s*,?\s+(name|query|headers|json|form|text|as|expect|keep|save|when|timeout|retry|poll): +(\S.*)$/.exec(
      value,
    ) ?? [];
  return line === undefined
    ? undefined
    : `${lead.trimStart()}call: ${line.replace(/,$/, '')}${below}${key!}: ${rest!}`;
}
