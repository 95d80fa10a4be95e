import {
  isAlias,
  isMap,
  isPair,
  type Pair,
  isScalar,
  isSeq,
  LineCounter,
  type Document,
  type Node,
  type Scalar as YamlScalar,
} from 'yaml';
import type { Place, Problem } from '../../problems.ts';
import { optional } from '../optional.ts';
import { parseYaml } from './parse-yaml.ts';
import { offsetsOf } from './scalar-offsets.ts';
import { asScalar, lineOf } from './scalar-text.ts';
import { explainYaml, itemWithoutDash } from './yaml-errors.ts';
import { findTraps } from './yaml-traps.ts';
import type { SourceProblem } from './source-problem.ts';

/** A piece of a file, by offsets; end excluded. */
export type Range = readonly [start: number, end: number];

export interface ScalarNode {
  readonly type: 'scalar';
  /** The text as written, without quotes and escapes; never read as a number or anything else. */
  readonly text: string;
  readonly quoted: boolean;
  /** It stands inside { } or [ ]. */
  readonly flow: boolean;
  readonly range: Range;
  /** The offset in the file of an offset in the text. */
  readonly offset: (inText: number) => number;
  /** Where it is the end of another one: that, and from which of its characters on. */
  readonly endOf?: { readonly whole: ScalarNode; readonly from: number };
}

export interface MapNode {
  readonly type: 'map';
  readonly entries: readonly MapEntry[];
  readonly range: Range;
}

export interface MapEntry {
  readonly key: ScalarNode;
  readonly value: SourceNode;
}

export interface ListNode {
  readonly type: 'list';
  readonly items: readonly SourceNode[];
  readonly range: Range;
}

/** A key or item without a value. */
export interface EmptyNode {
  readonly type: 'empty';
  readonly range: Range;
}

export type SourceNode = ScalarNode | MapNode | ListNode | EmptyNode;

/** A file as it was read. */
export class SourceFile {
  readonly path: string;
  readonly text: string;
  readonly root: SourceNode;
  readonly problems: readonly SourceProblem[];
  /** YAML could not make sense of it, so that what it read below the first error means little. */
  readonly isBroken: boolean;
  /** How many values were read, aliases followed. */
  readonly nodes: number;
  readonly #lines: LineCounter;
  #split: string[] | undefined;

  /** Reads YAML 1.2 with every scalar as its text. Problems are collected, not thrown. */
  constructor(path: string, text: string) {
    this.path = path;
    this.text = text;
    this.#lines = new LineCounter();
    const document = parseYaml(text, { lineCounter: this.#lines, merge: false });
    const problems: SourceProblem[] = [];
    const found = findTraps(document, text, (offset) => this.place(offset));
    const first = document.errors.find(({ code }) => !HARMLESS.has(code));
    const habit = first && explainYaml(text, this.place(first.pos[0]).line);
    // What another language would have read there tells more than where YAML cut it.
    const isHabit = habit?.code === 'yaml-trap';
    const traps = isHabit ? found.filter(({ place }) => place?.line !== habit.line) : found;
    if (isHabit) {
      const { line, column, ...rest } = habit;
      traps.push({ ...rest, place: { file: path, line, column } });
    }
    problems.push(...traps);
    const trapped = new Set(traps.map(({ place }) => place?.line));
    let items = MOST_ITEMS;
    for (const error of onlyFirst([...document.errors, ...document.warnings])) {
      const place = this.place(error.pos[0]);
      if (error.code === 'DUPLICATE_KEY') {
        const item = items-- > 0 ? itemWithoutDash(this.#allLines(), place.line) : undefined;
        if (item) {
          const { line, column, ...rest } = item;
          problems.push({ ...rest, place: { ...place, line, column } });
          continue;
        }
      }
      // A trap explains what YAML only stumbled over; one such line often breaks the next one too.
      if (!trapped.has(place.line) && !(traps.length > 0 && document.errors.includes(error))) {
        problems.push(this.#yamlProblem(error.code, place));
      }
    }
    this.isBroken = document.errors.some(({ code }) => !HARMLESS.has(code));
    const reader = new TreeReader(text, (offset) => this.place(offset), problems);
    this.root = reader.root(document);
    this.nodes = reader.nodes;
    this.problems = problems;
  }

  /** What YAML refused, in terms of what was written where that is recognised. */
  #yamlProblem(code: string, place: Place): SourceProblem {
    const own = HARMLESS.has(code) ? undefined : explainYaml(this.text, place.line);
    if (!own) return { code: 'yaml', message: yamlMessage(code), place };
    const { line, column, ...rest } = own;
    return { ...rest, place: { ...place, line, column } };
  }

  #allLines(): readonly string[] {
    return (this.#split ??= this.text.split('\n'));
  }

  place(offset: number): Place {
    const { line, col } = this.#lines.linePos(offset);
    return { file: this.path, line, column: col };
  }

  /** The text of a line, which counts from 1. */
  line(number: number): string {
    return this.#allLines()[number - 1]?.replace(/\r$/, '') ?? '';
  }
}

/** Of the errors that make the rest unclear only the first: the others mostly follow from it. */
function onlyFirst<T extends { readonly code: string }>(errors: readonly T[]): T[] {
  const first = errors.find(({ code }) => !HARMLESS.has(code));
  return errors.filter((one) => one === first || HARMLESS.has(one.code));
}

/** Errors after which the rest is read as it was meant. */
export const HARMLESS: ReadonlySet<string> = new Set([
  'DUPLICATE_KEY',
  'MULTIPLE_DOCS',
  'TAG_RESOLVE_FAILED',
]);

/** So many keys that stand twice are looked at for an item that has lost its dash: each takes the lines above it. */
const MOST_ITEMS = 50;

/** What YAML refuses, in words for who wrote it: its own speak of what the parser looked for. */
const YAML_ERRORS: Readonly<Record<string, string>> = {
  TAB_AS_INDENT: "a tab can't indent in YAML; use blanks",
  DUPLICATE_KEY: 'this key stands here twice',
  MULTIPLE_DOCS: 'a second document begins here; a file has one',
  TAG_RESOLVE_FAILED: 'YAML tags have no meaning here',
  ALIAS_PROPS: 'a value that begins with * or & is a reference in YAML; a text that does needs quotes',
  BAD_ALIAS: 'a value that begins with * or & is a reference in YAML; a text that does needs quotes',
  MULTIPLE_ANCHORS: 'a value that begins with * or & is a reference in YAML; a text that does needs quotes',
  BAD_PROP_ORDER: 'a value that begins with * or & is a reference in YAML; a text that does needs quotes',
  BAD_DIRECTIVE: 'a line that begins with % is an instruction to YAML; a text that does needs quotes',
  BAD_DQ_ESCAPE:
    'in double quotes \\ begins an escape, and YAML knows none like this; in single quotes it is itself',
  BAD_INDENT: 'this begins at a column at which nothing above it begins',
  BAD_SCALAR_START: 'in YAML no value begins with this sign; a text that does needs quotes',
  BLOCK_AS_IMPLICIT_KEY:
    'YAML takes this line for a part of a key: look at its colon, and at the columns of it and of the line above',
  BLOCK_IN_FLOW: 'inside { } and [ ] nothing stands line by line, with dashes or keys of its own',
  KEY_OVER_1024_CHARS: 'a key has at most 1,024 characters',
  MULTILINE_IMPLICIT_KEY: 'a key stands on one line; a quote or a bracket may not be closed',
  MULTIPLE_TAGS: 'YAML tags have no meaning here',
  NON_STRING_KEY: 'a key is a text here',
};

function yamlMessage(code: string): string {
  return (
    YAML_ERRORS[code] ??
    "YAML can't make out what stands here: a colon, a comma, a quote or a bracket may be missing, or be one too many"
  );
}

/** How many nodes a file may have with its aliases followed. */
const MAXIMUM_NODES = 200_000;

class TreeReader {
  readonly #text: string;
  readonly #place: (offset: number) => Place;
  readonly #problems: SourceProblem[];
  #document: Document | undefined;
  /** What is being read, from the whole file to the value at hand. */
  readonly #within = new Set<Node>();
  /** How many nodes were read. */
  nodes = 0;

  constructor(text: string, place: (offset: number) => Place, problems: SourceProblem[]) {
    this.#text = text;
    this.#place = place;
    this.#problems = problems;
  }

  root(document: Document.Parsed): SourceNode {
    this.#document = document;
    return this.#node(document.contents, 0);
  }

  #problem(offset: number, code: Problem['code'], message: string, hint?: string): void {
    this.#problems.push({
      code,
      message,
      place: this.#place(offset),
      ...(hint === undefined ? {} : { hint }),
    });
  }

  #node(node: Node | null | undefined, near: number, isFlow = false): SourceNode {
    if (++this.nodes > MAXIMUM_NODES) {
      if (this.nodes === MAXIMUM_NODES + 1)
        this.#problem(near, 'yaml', `more than ${MAXIMUM_NODES} values, aliases followed`);
      return { type: 'empty', range: [near, near] };
    }
    if (!node) return { type: 'empty', range: [near, near] };
    const [start = near, end = near] = node.range ?? [];
    if (isAlias(node)) {
      const target = node.resolve(this.#document!);
      if (!target) {
        this.#problem(
          start,
          'yaml',
          `*${node.source} is no anchor of this file`,
          'put text that begins with * in quotes',
        );
        return { type: 'empty', range: [start, end] };
      }
      if (this.#within.has(target)) {
        this.#problem(start, 'yaml', `*${node.source} stands in what it stands for, which never ends`);
        return { type: 'empty', range: [start, end] };
      }
      return this.#node(target, start, isFlow);
    }
    if (node.tag !== undefined && node.tag !== '' && !/^tag:yaml\.org,2002:(?:str|map|seq)$/.test(node.tag)) {
      this.#problem(start, 'yaml', 'YAML tags have no meaning here', 'put text that begins with ! in quotes');
    }
    this.#within.add(node);
    const read = this.#ofKind(node, [start, end], isFlow);
    this.#within.delete(node);
    return read;
  }

  #ofKind(node: Node, [start, end]: Range, isFlow: boolean): SourceNode {
    if (isMap(node)) {
      const flow = isFlow || node.flow === true;
      const entries = node.items.flatMap((pair) => {
        const key = this.#node(pair.key as Node | null, start, flow);
        if (this.#isGlued(pair, key)) return [];
        // {{x}} is said where it is known what it stands in.
        if (key.type !== 'scalar' && this.#text.startsWith('{{', start)) return [];
        if (key.type !== 'scalar') {
          if (key.type === 'empty') this.#problem(key.range[0], 'yaml', 'a key is missing before this colon');
          else
            this.#problem(
              key.range[0],
              'yaml',
              'a key is a text here',
              'put a value that begins with { or [ in quotes',
            );
          return [];
        }
        if (key.text === '<<' && !key.quoted) {
          this.#problem(key.range[0], 'yaml', 'merge keys (<<) have no meaning here');
          return [];
        }
        return [{ key, value: this.#node(pair.value as Node | null, key.range[1], flow) }];
      });
      return { type: 'map', entries, range: [start, end] };
    }
    if (isSeq(node)) {
      const flow = isFlow || node.flow === true;
      const items = node.items.map((item) => this.#node(isPair(item) ? null : (item as Node), start, flow));
      return { type: 'list', items, range: [start, end] };
    }
    if (!isScalar(node)) return { type: 'empty', range: [start, end] };
    return this.#scalar(node, [start, end], isFlow);
  }

  /** `{ firing:$.id }`: in braces YAML reads all of it as a key without a value. */
  #isGlued(pair: Pair, key: SourceNode): boolean {
    if (pair.value !== null || key.type !== 'scalar' || key.quoted || !key.flow) return false;
    const [, name, value] = /^([A-Za-z][\w-]*)(?:\s*(?:=>|->|:|=(?!=))\s*|\s+)(\S.*)$/s.exec(key.text) ?? [];
    if (name === undefined || value === undefined) return false;
    const place = this.#place(key.range[0]);
    const change = { range: key.range, text: `${name}: ${asScalar(value, true)}` };
    this.#problems.push({
      code: 'yaml',
      message: 'a key is followed by a colon and a blank',
      place,
      ...optional('instead', lineOf(this.#text, change)),
    });
    return true;
  }

  #scalar(node: YamlScalar, range: Range, flow: boolean): SourceNode {
    const text = typeof node.value === 'string' ? node.value : '';
    const quoted = node.type !== 'PLAIN';
    if (!quoted && text === '') return { type: 'empty', range };
    const source = this.#text.slice(...range);
    return {
      type: 'scalar',
      text,
      quoted,
      flow,
      range,
      offset: offsetsOf(source, range[0], text, node.type ?? 'PLAIN'),
    };
  }
}

/** The value of a key; undefined if the map has no such key. */
export function entryOf(node: SourceNode, key: string): MapEntry | undefined {
  return node.type === 'map' ? node.entries.find((entry) => entry.key.text === key) : undefined;
}

export function valueOf(node: SourceNode, key: string): SourceNode | undefined {
  return entryOf(node, key)?.value;
}

/** A scalar from one of its characters on. */
export function partOfScalar(node: ScalarNode, from: number): ScalarNode {
  return {
    ...node,
    text: node.text.slice(from),
    offset: (inText) => node.offset(inText + from),
    range: [node.offset(from), node.range[1]],
    endOf: { whole: node, from },
  };
}
