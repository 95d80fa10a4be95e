// One sign of a line lost, one too many, or one in place of another: what the hand does at any place. Which sign it was is
// known to nobody; that a line can be read again with it is.

import { isMap, isScalar, isSeq, type Node } from 'yaml';
import { functions } from '../../language/functions/index.ts';
import { expressionEnd, parseExpression } from '../../language/parser.ts';
import { parseYaml } from './parse-yaml.ts';
import type { Slip } from './slip.ts';

/** Longer lines are not tried: each place of one takes some twenty readings. */
const LONGEST = 160;

/** So many lines that can be read are worth reading their file again. */
const MOST = 30;

/** The signs that are put in at a place of YAML, and of an expression. */
const OF_YAML = ['[', ']', '{', '}', "'", '"', ',', ':', ': '];
const OF_EXPRESSIONS = ['(', ')', ...OF_YAML, '.', '$', '@', '=', '&', '|'];

/** A sign that is written, and those that may have been meant: its neighbours on a keyboard, and its like. */
const MEANT: Readonly<Record<string, string>> = {
  '(': '[{',
  '[': '({',
  '{': '([',
  ')': ']}',
  ']': ')}',
  '}': ')]',
  "'": '"',
  '"': "'",
  ';': ':,',
  ':': ',;.',
  '=': ':-',
  '.': ',:',
  ',': '.:',
  '-': '=_.',
  _: '-',
  '\\': '/',
  '/': '?',
  '%': '$',
  '#': '$',
  '€': '$',
  '§': '$',
  '£': '$',
  $: '@',
  '@': '$',
  '&': '*|',
  '|': '&/',
  '!': '|',
  '8': '*',
  '4': '$',
  '9': '(',
  '0': ')',
  '7': '&',
  '+': '=',
  l: '|',
  '1': '!|',
  '<': ',',
  '>': '.',
};

/** What is no key does not become one, and `@bowl.png` names a file: without its sign it would be sent as a text. */
const LEFT_ALONE = /^\s*(?:- +)*:|:\s+@[\w./-]+\.[a-z]\w{1,3}\s*$/i;

/**
 * What a line has to be read as, once one of its signs is another: as more than before, as no less, as YAML where that could not
 * be read, or as the text that it is.
 */
export type SignsIn = 'expression' | 'readable' | 'yaml' | 'text';

/**
 * A line with one sign more, less, or another: those that can be read, the ones nearest to where reading stopped first, which
 * is counted from 0, and undefined where that was on another line.
 */
export function* signSlips(line: string, stopped: number | undefined, what: SignsIn): Generator<Slip> {
  if (line.length > LONGEST || LEFT_ALONE.test(line)) return;
  const start = /^\s*(?:- +)*/.exec(line)![0].length;
  const value = /^\s*(?:- +)*(?:[\w-]+:\s+)?/.exec(line)![0].length;
  const before = unread(line);
  for (const [edits, from] of [
    [othersAt, start],
    [lostAt, value],
  ] as const) {
    let left = MOST;
    const places = Array.from({ length: line.length - from + 1 }, (_, i) => from + i);
    const near = (at: number): number => Math.abs(at - (stopped ?? from));
    for (const at of places.sort((a, b) => near(a) - near(b)))
      for (const { why, text } of left > 0 ? edits(line, at, what) : []) {
        if (!isRead(unread(text), before, what)) continue;
        left--;
        yield { why, line: text };
      }
  }
}

/** Whether a line is read as it has to be, by how much of it can't be read. */
function isRead(now: number | undefined, before: number | undefined, what: SignsIn): boolean {
  // A line of a value that goes over several is no YAML by itself.
  if (now === undefined) return what === 'expression' && before === undefined;
  return what === 'text' || before === undefined || (what === 'expression' ? now < before : now <= before);
}

interface Edit {
  readonly why: string;
  readonly text: string;
}

function* othersAt(line: string, at: number, what: SignsIn): Generator<Edit> {
  const here = line[at] ?? '';
  // A figure is meant where it can be read.
  const isWord = /[\p{L}\p{N}]/u.test(here);
  for (const sign of isWord && what !== 'expression' ? '' : (MEANT[here] ?? ''))
    yield {
      why: `${sign} was expected here, not ${here}`,
      text: line.slice(0, at) + sign + line.slice(at + 1),
    };
  if (here !== '' && !/[\p{L}\p{N}\s]/u.test(here))
    yield { why: `this ${here} is one too many`, text: line.slice(0, at) + line.slice(at + 1) };
}

function* lostAt(line: string, at: number, what: SignsIn): Generator<Edit> {
  const here = line[at] ?? '';
  const before = line[at - 1] ?? '';
  const put = (sign: string): string => line.slice(0, at) + sign + line.slice(at);
  // Within a word nothing is lost but a blank.
  if (/\w/.test(before) && /\w/.test(here)) {
    if (/[a-z]/.test(before) && /[A-Z]/.test(here)) yield { why: 'a blank is missing here', text: put(' ') };
    if (functions.has(/[a-z]\w*$/.exec(line.slice(0, at))?.[0] ?? ''))
      yield { why: 'a ( is missing here', text: put('(') };
    return;
  }
  // What can be read lacks nothing.
  if (what === 'text') return;
  for (const sign of what === 'yaml' ? OF_YAML : OF_EXPRESSIONS)
    // What parts two things follows one.
    if (!/^[:,]/.test(sign) || /\S/.test(before))
      yield { why: `a ${sign.trim()} is missing here`, text: put(sign) };
}

/** How many texts of a line can't be read as expressions; undefined where the line by itself is no YAML. */
function unread(line: string): number | undefined {
  const document = parseYaml(line.trim(), { logLevel: 'silent' });
  if (document.errors.length > 0) return undefined;
  return scalars(document.contents).filter((text) => !isReadable(text)).length;
}

/** The texts that are no keys. */
function scalars(node: Node | null): readonly string[] {
  if (isScalar(node)) return typeof node.value === 'string' ? [node.value] : [];
  if (isMap(node)) return node.items.flatMap(({ value }) => scalars(value as Node | null));
  return isSeq(node) ? node.items.flatMap((item) => scalars(item as Node | null)) : [];
}

/** Whether a text is an expression, or each insertion in it is one. */
function isReadable(text: string): boolean {
  if (text.includes('${'))
    return Array.from(text.matchAll(/\$\{/g)).every(({ index }) => {
      const end = expressionEnd(text, index + 2);
      return end !== undefined && /^\s*\}/.test(text.slice(end));
    });
  try {
    parseExpression(text);
    return true;
  } catch {
    return false;
  }
}
