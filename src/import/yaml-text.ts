import { almostLiteral } from '../core/chain/fields/text-warnings.ts';
import { isNumberText, numberText } from '../core/language/numbers.ts';
import { isNumeric, isObject, membersOf, type Value } from '../core/language/values.ts';
import { writeJson } from '../core/language/json.ts';
import { replaceVariables } from './placeholders.ts';

/** Writes values as YAML that the reader of chain files gives back as they were. */

/** A text with the marks of open values as insertions, and everything else literal. */
export function asTemplate(text: string): string {
  return replaceVariables(
    text.replaceAll('${', () => '$${'),
    (name) => `\${${name}}`,
  );
}

/** A scalar of a plain text field; quoted only where YAML needs it. */
export function scalar(text: string): string {
  return isSafe(text) ? text : JSON.stringify(text);
}

function isSafe(text: string): boolean {
  return (
    text !== '' &&
    /^[^\s\-?:,[\]{}#&*!|>'"%@`~=<]/.test(text) &&
    !/[\u0000-\u001f\u007f-\u009f\u2028\u2029\ufeff]|: |:$| #|[\s,]$/.test(text)
  );
}

/** A scalar of a typed field: a text that would be read as something else is quoted. */
function typedScalar(text: string): string {
  const looksOther =
    isNumberText(text) ||
    almostLiteral(text) !== undefined ||
    // Words that other readers of YAML take for something else.
    /^(?:true|false|null|yes|no|on|off)$/i.test(text);
  return looksOther ? JSON.stringify(text) : scalar(text);
}

/** A key of a map. */
export function key(name: string): string {
  return /^[A-Za-z_][\w.-]*$/.test(name) && !/^(?:null|true|false|yes|no|on|off)$/i.test(name)
    ? name
    : JSON.stringify(name);
}

/** `key: value`, the value on lines of its own where it is a list or a map. Values are of a typed field. */
export function entry(name: string, value: Value): string[] {
  const lines = valueLines(value);
  return typeof lines === 'string'
    ? [`${key(name)}: ${lines}`]
    : [`${key(name)}:`, ...lines.map((line) => `  ${line}`)];
}

function valueLines(value: Value): string | string[] {
  if (typeof value === 'string') return typedScalar(asTemplate(value));
  if (isNumeric(value)) return numberText(value);
  if (Array.isArray(value)) {
    if (value.length === 0) return '[]';
    return value.flatMap((item) => {
      const lines = valueLines(item);
      return typeof lines === 'string'
        ? [`- ${lines}`]
        : lines.map((line, i) => (i === 0 ? `- ${line}` : `  ${line}`));
    });
  }
  if (isObject(value)) {
    const entries = membersOf(value);
    return entries.length === 0 ? '{}' : entries.flatMap(([name, member]) => entry(name, member));
  }
  return writeJson(value);
}

/** A text of a plain field under its key; several lines as a block. */
export function textEntry(name: string, text: string): string[] {
  const written = asTemplate(text);
  const lines = written.split('\n');
  const asBlock =
    lines.length > 1 &&
    !/^\s/.test(lines[0]!) &&
    !/[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u2028\u2029\ufeff]/.test(written);
  if (!asBlock) return [`${key(name)}: ${scalar(written)}`];
  const body = /^[^]*?(\n*)$/.exec(written)![1]!.length;
  const mark = body === 0 ? '|-' : body === 1 ? '|' : '|+';
  const shown = body > 0 ? lines.slice(0, -1) : lines;
  return [`${key(name)}: ${mark}`, ...shown.map((line) => (line === '' ? '' : `  ${line}`))];
}
