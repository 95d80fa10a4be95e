import { isScalar, isSeq } from 'yaml';
import { parseYaml } from './parse-yaml.ts';
import type { Change } from './source-problem.ts';

/** Whether YAML reads a text without quotes as just that text. */
function isPlainSafe(text: string, isFlow: boolean): boolean {
  // One at the end would be taken for one of JSON.
  if (text.endsWith(',')) return false;
  const document = parseYaml(isFlow ? `[${text}]` : `- ${text}`, { logLevel: 'silent' });
  const { contents } = document;
  if (document.errors.length > 0 || document.warnings.length > 0 || !isSeq(contents)) return false;
  const [only, ...more] = contents.items;
  return (
    more.length === 0 &&
    isScalar(only) &&
    only.type === 'PLAIN' &&
    only.tag === undefined &&
    only.value === text
  );
}

/** A text as a YAML scalar on one line: plain where it can be, otherwise in the quotes that it needs least escapes in. */
export function asScalar(text: string, isFlow: boolean): string {
  if (isPlainSafe(text, isFlow)) return text;
  return /["\\\n]/.test(text) && !text.includes('\n')
    ? `'${text.replaceAll("'", "''")}'`
    : JSON.stringify(text);
}

/** The line of a change as it is after it; with its blanks where the change moves it further in. */
export function lineOf(source: string, { range: [start, end], text }: Change): string {
  const lineStart = source.lastIndexOf('\n', start - 1) + 1;
  const found = source.indexOf('\n', end);
  const lineEnd = found < 0 ? source.length : found;
  const before = source.slice(lineStart, start);
  const line = before + text + source.slice(end, lineEnd);
  return text.startsWith(' ') && before.trim() === '' ? line.trimEnd() : line.trim();
}
