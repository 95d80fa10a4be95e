import { isCollection, isMap, isScalar, isSeq, type Document, type Node, visit } from 'yaml';
import { expressionEnd } from '../../language/parser.ts';
import type { Place } from '../../problems.ts';
import { parseYaml } from './parse-yaml.ts';
import type { SourceProblem } from './source-problem.ts';

/** So many places of a line that YAML refused may begin a value; only one that was made for it has more. */
const MOST_STARTS = 30;

/**
 * Finds places where YAML reads an expression otherwise than it was meant, also where it says nothing. What was meant is
 * known from the expression grammar: read from where the value begins, it goes further than YAML's value does.
 */
export function findTraps(
  document: Document.Parsed,
  text: string,
  place: (offset: number) => Place,
): SourceProblem[] {
  const found = new Map<number, SourceProblem>();
  const consider = (
    start: number,
    end: number,
    isFlow: boolean,
    accept: (trap: SourceProblem) => boolean = () => true,
  ): void => {
    if (isReadWhole(text, start, end)) return;
    const { line } = place(start);
    if (found.has(line)) return;
    const trap = trapAt(text, start, end, isFlow);
    if (trap && accept(trap)) found.set(line, { ...trap, place: place(start) });
  };
  visit(document, {
    Node: (_, node: Node, ancestors) => {
      if (isMap(node) || isSeq(node)) return;
      if (ancestors.some((one) => isCollection(one) && text.startsWith('{{', one.range?.[0]))) return;
      const [start, end] = node.range ?? [];
      if (start === undefined || end === undefined) return;
      // A tag belongs to what was meant: !done
      const isPlain = isScalar(node) && node.type === 'PLAIN';
      if (isPlain && /[,;]/.test(text[end - 1]!) && markAtEnd(text, start, end)) {
        found.set(place(start).line, { ...withoutMark(text, end - 1), place: place(end - 1) });
        return;
      }
      const joined = isPlain ? listInText(text, start, end) : undefined;
      if (joined !== undefined) {
        found.set(place(joined).line, { ...JOINED, place: place(joined) });
        return;
      }
      const keyInside =
        isScalar(node) && node.type === 'BLOCK_LITERAL' ? keyAfterQuery(text, start, end) : undefined;
      if (keyInside) {
        const { at, ...trap } = keyInside;
        found.set(place(at).line, { ...trap, place: place(at) });
        return;
      }
      const undashed = isPlain ? withoutDash(text, start, end) : undefined;
      if (undashed) {
        found.set(place(start).line, { ...undashed, place: place(start) });
        return;
      }
      const tagged = node.tag !== undefined && isScalar(node) ? tagStart(text, start) : start;
      consider(
        tagged,
        end,
        ancestors.some((one) => isCollection(one) && one.flow === true),
      );
    },
  });
  // What YAML refused may have left no value behind: read on from each place where one could begin on that line. Further
  // errors are mostly consequences of the first.
  const [error] = document.errors;
  if (error) {
    const at = error.pos[0];
    const lineStart = text.lastIndexOf('\n', at - 1) + 1;
    const line = text.slice(lineStart, lineEnd(text, at));
    for (const match of [...line.matchAll(/: +|- +|, +|[[{] */g)].slice(0, MOST_STARTS)) {
      const start = lineStart + match.index + match[0].length;
      const isDash = match[0].startsWith('-') && text.startsWith('- ', start);
      if (start <= at && !isDash && !/[[{]/.test(text[start] ?? ''))
        consider(start, Math.max(start, at), isInFlow(line.slice(0, start - lineStart)), (trap) =>
          isReadWith(text, trap, lineEnd(text, lineEnd(text, at) + 1)),
        );
    }
  }
  return [...found.values()];
}

/** Whether YAML reads on to the end of the next line, which is at `place`, once a trap is put right: what it refused may have been something else. */
function isReadWith(text: string, { fix }: SourceProblem, place: number): boolean {
  if (!fix) return true;
  const [start, end] = fix.range;
  const mended = text.slice(0, start) + fix.text + text.slice(end);
  const [error] = parseYaml(mended, { logLevel: 'silent' }).errors;
  return !error || error.pos[0] > place + mended.length - text.length;
}

/** Whether YAML's value goes to the end of its line, as most do: nothing that was meant can be beyond it. */
function isReadWhole(text: string, start: number, yamlEnd: number): boolean {
  const first = text[start];
  return first !== '-' && first !== '!' && text.slice(yamlEnd, lineEnd(text, yamlEnd)).trim() === '';
}

/** Whether a bracket of YAML is open at the end of the beginning of a line. */
function isInFlow(before: string): boolean {
  const marks = before.replace(/'[^']*'|"(?:[^"\\]|\\.)*"|\$\{[^}]*\}/g, '');
  return (marks.match(/(?:^|[\s:,[{-])[[{]/g)?.length ?? 0) > (marks.match(/[\]}]/g)?.length ?? 0);
}

function lineEnd(text: string, from: number): number {
  const end = text.indexOf('\n', from);
  return end < 0 ? text.length : end;
}

function tagStart(text: string, before: number): number {
  const lineStart = text.lastIndexOf('\n', before - 1) + 1;
  const tag = /![^\s]*\s*$/.exec(text.slice(lineStart, before));
  return tag ? lineStart + tag.index : before;
}

function trapAt(text: string, start: number, yamlEnd: number, isFlow: boolean): SourceProblem | undefined {
  // Only the line is looked at: of a long file each would otherwise cost its length.
  const lineStart = text.lastIndexOf('\n', start - 1) + 1;
  const line = text.slice(lineStart, lineEnd(text, start)).replace(/\r$/, '');
  const insertions = isFlow ? insertionsEnd(line, start - lineStart) : undefined;
  if (insertions !== undefined && lineStart + insertions > yamlEnd)
    return flowInsertion(text, start, lineStart + insertions);
  // A file as curl takes one.
  if (/^@[\w./-]+\.[a-z]\w{1,3}\s*$/.test(line.slice(start - lineStart))) return undefined;
  const endInLine = expressionEnd(line, start - lineStart);
  if (endInLine === undefined) return undefined;
  const end = lineStart + endInLine;
  if (line.slice(endInLine).trim() === ':' && /:\s+$/.test(line.slice(0, start - lineStart)))
    return {
      code: 'yaml-trap',
      message: 'no colon stands at the end of this line, where it makes a key of the value',
      instead: line.slice(0, endInLine).trim(),
      fix: { range: [end, lineStart + line.length], text: '', means: text.slice(start, end) },
    };
  const expression = text.slice(start, end);
  if (/^-\s/.test(expression)) return isFlow ? undefined : listItem(text, start, end, lineStart);
  const beyond = text.slice(yamlEnd, end);
  const tagged = expression.startsWith('!') && !/[\s]/.test(expression.slice(0, 2));
  if (end <= yamlEnd && !tagged) return undefined;
  if (!tagged && (beyond.trim() === '' || /^[\w.]+$/.test(expression))) return undefined;
  const explanation = explain(expression, text.slice(start, yamlEnd), beyond, tagged);
  const written = inQuotes(expression);
  const whole = text.slice(lineStart, start) + written + text.slice(end, lineEnd(text, end));
  return {
    code: 'yaml-trap',
    message: explanation,
    instead: whole.trim(),
    fix: { range: [start, end], text: written, means: expression },
  };
}

/** A single word or figure that `,` or `;` follows at the end of its line, outside of { } and [ ]: other notations have one there. */
function markAtEnd(text: string, start: number, end: number): boolean {
  return (
    /^(?:[\w.:/@$-]*\w|\$\{[^{}]*\})[,;]$/.test(text.slice(start, end)) &&
    /^[ \t]*(?:#.*)?$/.test(text.slice(end, lineEnd(text, end))) &&
    /(?:^|\s)(?:- +|[^\s:]+: +)$/.test(text.slice(text.lastIndexOf('\n', start - 1) + 1, start))
  );
}

function withoutMark(text: string, at: number): SourceProblem {
  const mark = text[at] === ',' ? 'comma' : 'semicolon';
  const lineStart = text.lastIndexOf('\n', at) + 1;
  return {
    code: 'yaml-trap',
    message: `no ${mark} stands at the end of a line in YAML, so it would be part of the value`,
    hint: `the value in quotes, if the ${mark} belongs to it`,
    instead: (text.slice(lineStart, at) + text.slice(at + 1, lineEnd(text, at))).trim(),
    fix: { range: [at, at + 1], text: '', means: text.slice(lineStart, at).trim() },
  };
}

const JOINED: SourceProblem = {
  code: 'yaml-trap',
  message: 'YAML joins this line to the text above it; a list begins below a key without a value',
  hint: 'its key on a line of its own above, or quotes around the whole text if it is one',
};

/** Where an item of a list begins that YAML takes for more of the value above, since the key of the list is missing. */
function listInText(text: string, start: number, end: number): number | undefined {
  const first = lineEnd(text, start);
  if (first >= end) return undefined;
  const [, key] =
    /^\s*(?:- +)*([\w-]+): +$/.exec(text.slice(text.lastIndexOf('\n', start - 1) + 1, start)) ?? [];
  // What is written for people may have such lines.
  if (key === undefined || /^(?:about|because|title|show|ask|text|chain)$/.test(key)) return undefined;
  const item = /\n\s*(?=- \S)/.exec(text.slice(first, end));
  return item ? first + item.index + item[0].length : undefined;
}

/** A key below a text of GraphQL that stands as far in as the text, and so is more of it. */
function keyAfterQuery(
  text: string,
  start: number,
  end: number,
): (SourceProblem & { readonly at: number }) | undefined {
  const body = lineEnd(text, start) + 1;
  if (!/^\s*(?:query|mutation|subscription|fragment|\{)/.test(text.slice(body, end))) return undefined;
  let open = 0;
  for (let at = body; at < end; at = lineEnd(text, at) + 1) {
    const line = text.slice(at, lineEnd(text, at));
    if (open === 0 && at > body && /^\s*(?:variables|operationName|query|extensions): \S/.test(line)) {
      const column = /^[ -]*/.exec(text.slice(text.lastIndexOf('\n', start - 1) + 1))![0].length;
      return {
        code: 'yaml-trap',
        message: 'this line stands as far in as the text above it, and so is a part of it',
        instead: ' '.repeat(column) + line.trim(),
        at: at + line.search(/\S/),
      };
    }
    open += line.split('{').length - line.split('}').length;
  }
  return undefined;
}

/** A first item without its dash, which YAML joins with those below it to one text. */
function withoutDash(text: string, start: number, end: number): SourceProblem | undefined {
  const lineStart = text.lastIndexOf('\n', start - 1) + 1;
  const first = lineEnd(text, start);
  if (first >= end || text.slice(lineStart, start).trim() !== '') return undefined;
  if (!/^\s*- /.test(text.slice(first + 1, end)) || !opensBelow(text, lineStart)) return undefined;
  const item = text.slice(start, first).trimEnd();
  // The dashes of a list stand in one column.
  const column = /^\s*(?=- )/.exec(text.slice(first + 1, end))![0];
  const isBeside = column.length === start - lineStart;
  return {
    code: 'yaml-trap',
    message: 'the first item of this list has no dash, so YAML joins the list to one text',
    instead: isBeside ? `- ${item}` : `${column}- ${item}`,
    fix: { range: [lineStart, start], text: `${column}- `, means: item },
  };
}

/** Whether the line before an offset is a key whose value stands below it. */
function opensBelow(text: string, lineStart: number): boolean {
  const before = text.slice(Math.max(0, lineStart - 500), lineStart).trimEnd();
  return /:(?:\s+#.*)?$/.test(before.slice(before.lastIndexOf('\n') + 1));
}

/** `expect: - $.a == 1`: a list begins on the line of its key. */
function listItem(text: string, start: number, end: number, lineStart: number): SourceProblem | undefined {
  const before = text.slice(lineStart, start);
  if (!/:\s+$/.test(before)) return undefined;
  const item = text.slice(start, end).replace(/^-\s+/, '');
  const written = `[${inQuotes(item)}]`;
  const ends = lineEnd(text, start);
  const column = columnBelow(text.slice(ends + 1), /^\s*/.exec(before)![0].length);
  if (column !== undefined || /^-\s+[\w-]+:\s/.test(text.slice(start, ends)))
    return {
      code: 'yaml-trap',
      message: 'in YAML the first item of a list does not stand on the line of its key',
      instead: `${before.trim()}\n${' '.repeat(column ?? before.search(/\S/) + 2)}${text.slice(start, ends).trim()}`,
    };
  return {
    code: 'yaml-trap',
    message: 'in YAML the first item of a list does not stand on the line of its key',
    instead: (before + written + text.slice(end, lineEnd(text, end))).trim(),
    fix: { range: [start, end], text: written, means: item },
  };
}

/** The column of the dashes of a list that goes on below; undefined where none does. */
function columnBelow(below: string, own: number): number | undefined {
  const [, blanks = '', dash] = /^( *)(- )?(?=\S)/.exec(below.replace(/^(?:\s*\n)+/, '')) ?? [];
  const column = dash === undefined ? blanks.length - 2 : blanks.length;
  return column > own || (dash !== undefined && column === own) ? column : undefined;
}

/** Where a text with insertions ends inside { } or [ ]; undefined if there is no insertion in it. */
function insertionsEnd(line: string, start: number): number | undefined {
  let found = false;
  for (let i = start; i < line.length; i++) {
    if (line.startsWith('${', i)) {
      const end = expressionEnd(line, i + 2);
      if (end === undefined || line[end + /^\s*/.exec(line.slice(end))![0].length] !== '}') return undefined;
      i = line.indexOf('}', end);
      found = true;
    } else if (/[,}\]'"]/.test(line[i]!) || line.startsWith(': ', i)) {
      return found ? start + line.slice(start, i).trimEnd().length : undefined;
    }
  }
  return found ? line.trimEnd().length : undefined;
}

function flowInsertion(text: string, start: number, end: number): SourceProblem {
  const written = inQuotes(text.slice(start, end));
  const lineStart = text.lastIndexOf('\n', start - 1) + 1;
  return {
    code: 'yaml-trap',
    message: 'inside { } and [ ] YAML takes the braces of an insertion for its own',
    instead: (text.slice(lineStart, start) + written + text.slice(end, lineEnd(text, end))).trim(),
    fix: { range: [start, end], text: written, means: text.slice(start, end) },
  };
}

function explain(expression: string, read: string, beyond: string, tagged: boolean): string {
  if (tagged) return `YAML reads ${expression.split(/\s/)[0]!} as a tag, because it begins with "!"`;
  const first = expression[0]!;
  if (first === "'" || first === '"')
    return `YAML ends the value at the second quote, since the first stands at its beginning; the rest of ${expression} is lost to it`;
  if (first === '@') return 'in YAML no value may begin with @';
  if (/\s#/.test(beyond) || beyond.startsWith('#'))
    return `in YAML " #" starts a comment, so it reads only ${read.trim()}`;
  if (/^\s*:/.test(beyond) || /:\s/.test(beyond))
    return `in YAML ": " makes a key of what stands before it, so it reads ${read.trim()} as a key`;
  if (beyond.startsWith(','))
    return `inside { } and [ ] YAML ends a value at a comma, so it reads only ${read.trim()}`;
  return `inside { } and [ ] YAML ends a value at a bracket, so it reads only ${read.trim() || 'a list'}`;
}

/** An expression as a YAML scalar that nothing cuts. */
function inQuotes(expression: string): string {
  return expression.includes('"') || expression.includes('\\')
    ? `'${expression.replaceAll("'", "''")}'`
    : `"${expression}"`;
}
