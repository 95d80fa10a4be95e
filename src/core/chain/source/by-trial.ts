import { optional } from '../optional.ts';
import type { Finding } from './finding.ts';
import { linesFor, linesOfSigns, missingKey, plainLines } from './lines-to-try.ts';
import { parseYaml } from './parse-yaml.ts';
import type { Slip } from './slip.ts';
import { signSlips, type SignsIn } from './slips-of-signs.ts';
import { slipsFor, usedName } from './slips-of-findings.ts';
import { slipsOf } from './slips.ts';
import { HARMLESS, type SourceFile, type SourceNode } from './source-file.ts';

/** What is found in a text; undefined where so much has been read that it has to do. */
export type Again = (text: string) => FileReading | undefined;

/** A file as read, and what was found in it. */
export interface FileReading {
  readonly file: SourceFile;
  readonly findings: readonly Finding[];
}

/** What tells where reading stopped, not what was meant: what proves to be wrong is said instead. */
const OF_THE_PARSER: ReadonlySet<Finding['code']> = new Set(['yaml', 'yaml-trap', 'bad-syntax']);

/** What a line at another column may bring about elsewhere. */
const OF_STRUCTURE: ReadonlySet<Finding['code']> = new Set([
  'unknown-key',
  'missing-key',
  'wrong-form',
  'environment-needed',
]);

/** Whether a slip of the hand may have brought about what was found. A secret in plain text is none, only its source in other words or an insertion in other signs. */
function isOfSlip({ code, message }: Finding): boolean {
  if (code === 'secret-in-plain-text')
    return / does not say where it comes from$|in plain text$/.test(message);
  return OF_SLIPS.has(code) && !(code === 'yaml' && message.endsWith('twice'));
}

/** What a slip of the hand brings about; what else is found has a meaning, and a way out that only its author knows. */
const OF_SLIPS: ReadonlySet<Finding['code']> = new Set([
  ...OF_THE_PARSER,
  ...OF_STRUCTURE,
  'name-invalid',
  'unknown-name',
  'unknown-function',
  'unknown-member',
  'unknown-service',
  'unknown-credential',
  'unknown-method',
  'unknown-zone',
  'unknown-environment',
  'wrong-arguments',
  'no-response-here',
  'description-flawed',
  'wrong-kind',
  'not-yes-or-no',
  'not-a-list',
  'not-a-number',
  'not-a-time',
  'not-a-url',
  'expression-in-text',
  'text-in-expression',
  'path-in-quotes',
  'blank-in-path',
]);

/** What stays, whatever else it may have come from. */
export const ALWAYS_SAID: ReadonlySet<Finding['code']> = new Set(['secret-in-plain-text', 'file-in-text']);

/** What it takes to find what a line may have been meant as, for each of its characters. */
const TRYING = 5;

/** What is tried, and what counts as better. */
export interface Trying {
  readonly again: Again;
  /** Counts work that is done without reading the file, in characters; says whether some more may be done. */
  readonly spend: (characters: number) => boolean;
  /** All keys that the file could have where it was read. */
  readonly keys: ReadonlySet<string>;
  /** What was found when the file was read as it is. */
  readonly own: readonly Finding[];
  /** Only such slips, and only on the line of the finding itself. */
  readonly only?: (slip: Slip) => boolean;
  /** Fewer findings than this have to be left. */
  readonly best?: number;
}

interface Trial {
  readonly line: number;
  readonly slip: Slip;
  readonly after: readonly Finding[];
}

/**
 * The findings of a text with one of them put right by trial: of all that its line, or one near it, may have been meant as,
 * what leaves least to complain of when the file is read again; `line` is the line that then is right. What is then no longer
 * found was a consequence, and is left out. Undefined where nothing that was tried is better.
 */
export function byTrial(
  found: Finding,
  all: readonly Finding[],
  text: string,
  trying: Trying,
): { readonly all: readonly Finding[]; readonly line: number } | undefined {
  const best = bestTrial(found, all, text, trying);
  if (!best) return undefined;
  const { line, after } = best;
  const right = withSlip(found, best, text.split('\n')[line - 1]!);
  return {
    all: all.flatMap((one) =>
      one === found
        ? [right]
        : isLeft(one, after, trying.own) && (one.place?.line !== line || after.some(isSame(one)))
          ? [one]
          : [],
    ),
    line,
  };
}

/** What a finding says to do, in place of which the line that was meant comes. */
const OF_ADVICE: ReadonlySet<string> = new Set(['hint', 'example', 'instead', 'begins', 'fix']);

/** A finding with the line that was meant, and what proved to be wrong with it. */
function withSlip(found: Finding, { line, slip }: Trial, written: string): Finding {
  const rest = Object.fromEntries(
    Object.entries(found).filter(([key]) => !OF_ADVICE.has(key)),
  ) as unknown as Finding;
  const blanks = /^\s*/.exec(written)![0];
  const isMoved = !slip.line.startsWith(blanks) || /^\s/.test(slip.line.slice(blanks.length));
  const isSaid = OF_THE_PARSER.has(found.code) || line !== found.place?.line;
  return {
    ...rest,
    ...(isSaid
      ? { message: slip.why, place: { ...found.place!, line, column: firstChange(written, slip.line) + 1 } }
      : {}),
    instead: isMoved ? slip.line : slip.line.trim(),
    ...optional('begins', isMoved && !slip.line.startsWith(' ') ? (1 as const) : undefined),
  };
}

function bestTrial(found: Finding, all: readonly Finding[], text: string, trying: Trying): Trial | undefined {
  const { again, spend, only, best: least = Infinity } = trying;
  const named = [...keysNamed(found), missingKey(found) ?? ''].filter(Boolean);
  const keys = named.length === 0 ? trying.keys : new Set([...trying.keys, ...named]);
  const { place, code } = found;
  if (!place || !isOfSlip(found)) return undefined;
  const lines = text.split('\n');
  // What was put right meanwhile is told in other words than those in which it is found.
  const others = [...all, ...trying.own].filter((one) => one !== found && !isSame(found)(one));
  const isOfForm = OF_THE_PARSER.has(code) || OF_STRUCTURE.has(code);
  const isBroken = all.some((one) => one.code === 'yaml');
  let best: Trial | undefined;
  for (const { line, slips } of readings(found, all, lines, { ...trying, keys })) {
    const written = lines[line - 1]!;
    if (!spend(TRYING * written.length)) return best;
    for (const slip of slips) {
      if (only?.(slip) === false || (slip.ofSetting && code !== 'wrong-form')) continue;
      if (slip.ofParser && !OF_THE_PARSER.has(code)) continue;
      const isMoved = slip.line.trim() === written.trim();
      // An item that stands further in is more of the text above it.
      const isJoined = line > place.line && /^\s*- /.test(slip.line);
      if (isMoved && !isJoined && (!isOfForm || (code === 'bad-syntax' && line !== place.line))) continue;
      // A member that is no longer one is no member put right.
      const isLess = members(slip.line) < members(written);
      if (isLess && !OF_THE_PARSER.has(code) && !slip.loses) continue;
      // What is inserted stays so.
      if (slip.line.split('$${').length > written.split('$${').length) continue;
      // Only what is inserted is no longer in plain text.
      if (found.message.endsWith('in plain text') && insertions(slip.line) <= insertions(written)) continue;
      const mayLose = slip.loses ?? code === 'text-in-expression';
      if (!mayLose && insertions(slip.line) < insertions(written)) continue;
      // What YAML can't read need not be read as a chain.
      if (isBroken && !isYaml(replaced(lines, line, slip.line), spend)) continue;
      const tried = followed(lines, line, slip, { again, others });
      if (!tried) return best;
      const { after, file } = tried;
      const isBetter =
        (after.length === 0 || !slip.isGuess) &&
        after.length < (best?.after.length ?? least) &&
        !after.some((one) => one.level === 'problem' && one.place?.line === line) &&
        (isBroken
          ? !after.some((one) => OF_THE_PARSER.has(one.code) || OF_STRUCTURE.has(one.code))
          : after.every((one) => others.some(isSame(one)))) &&
        isRead(file, line, tried.slip.line) &&
        (code === 'yaml' || !isAnywhere(lines, line, tried.slip.line, { again, others }));
      if (!isBetter) continue;
      best = { line, slip: tried.slip, after };
      if (after.length === 0) return best;
    }
  }
  return best;
}

/** The lines that may be wrong, with how each may have been meant; what may be anywhere comes last. */
function* readings(
  found: Finding,
  all: readonly Finding[],
  lines: readonly string[],
  { only, keys }: Trying,
): Generator<{ readonly line: number; readonly slips: Iterable<Slip> }> {
  const { line: own, column } = found.place!;
  if (only) {
    for (const line of plainLines(lines, own))
      yield { line, slips: [...usedName(found, all, lines[line - 1]!), ...slipsOf(lines, line - 1, keys)] };
    return;
  }
  for (const line of linesFor(found, lines, own)) yield { line, slips: slipsFor(found, lines, line, keys) };
  const what = SIGNS_IN[found.code];
  for (const line of what === undefined ? [] : linesOfSigns(found, lines))
    yield {
      line,
      slips: signSlips(lines[line - 1]!.replace(/\r$/, ''), line === own ? column - 1 : undefined, what!),
    };
}

/** What a sign that is lost, or one too many, may bring about, and what the line then is. */
const SIGNS_IN: Readonly<Partial<Record<Finding['code'], SignsIn>>> = {
  yaml: 'yaml',
  'yaml-trap': 'yaml',
  'bad-syntax': 'expression',
  'wrong-form': 'text',
  'unknown-key': 'text',
  'wrong-arguments': 'readable',
  'no-response-here': 'readable',
  'not-a-url': 'text',
  'text-in-expression': 'readable',
  'secret-in-plain-text': 'text',
};

/** What it takes to read a text as YAML, compared with reading it as a file of the project. */
const YAML_ALONE = 0.25;

/** Whether YAML can read a text, or enough has been read. */
function isYaml(text: string, spend: Trying['spend']): boolean {
  if (!spend(YAML_ALONE * text.length)) return true;
  return parseYaml(text, { logLevel: 'silent' }).errors.every(({ code }) => HARMLESS.has(code));
}

/** What of a line that was tried is put right as well: of other problems the way out would be that of another meaning. */
const FOLLOWED: ReadonlySet<Finding['code']> = new Set([
  'wrong-form',
  'unknown-key',
  'unknown-name',
  'unknown-function',
]);

/** So often what is found in a line that was tried is put right, too. */
const MOST_FOLLOWED = 2;

/** What is found with a slip put right, and with what is then known to be wrong on its line put right as well. */
function followed(
  lines: readonly string[],
  line: number,
  slip: Slip,
  { again, others }: { readonly again: Again; readonly others: readonly Finding[] },
): { readonly slip: Slip; readonly after: readonly Finding[]; readonly file: SourceFile } | undefined {
  let current = slip;
  for (let round = 0; ; round++) {
    const read = again(replaced(lines, line, current.line));
    if (!read) return undefined;
    const after = read.findings;
    const next = after.find(({ place }) => place?.line === line);
    const isFollowed =
      next &&
      (FOLLOWED.has(next.code) || (slip.isPlain && next.code === 'expression-in-text')) &&
      !others.some(isSame(next));
    const instead = isFollowed && round < MOST_FOLLOWED ? next.instead : undefined;
    if (instead === undefined || instead.includes('\n')) return { slip: current, after, file: read.file };
    const blanks = instead.startsWith(' ') ? '' : /^\s*/.exec(current.line)![0];
    current = { ...slip, line: blanks + instead };
  }
}

/** How many keys a line has. */
export function members(line: string): number {
  return line.match(/[\w"'-]+:(?=\s|$)/g)?.length ?? 0;
}

/** Insertions that a line has: one that is lost is no slip put right. */
function insertions(line: string): number {
  return line.match(/\$\{[^{}]*\}/g)?.length ?? 0;
}

/** Whether a line is read as a line of its own, not as more of the text above it. */
function isRead(file: SourceFile, line: number, written: string): boolean {
  if (/^\s*(?:#|$|[}\]])/.test(written)) return true;
  // What an alias stands for is there once, however often it is named.
  const seen = new Set<SourceNode>();
  const search = (node: SourceNode): boolean => {
    if (seen.has(node)) return false;
    seen.add(node);
    if (file.place(node.range[0]).line === line) return true;
    return node.type === 'map'
      ? node.entries.some(({ key, value }) => search(key) || search(value))
      : node.type === 'list' && node.items.some(search);
  };
  return search(file.root);
}

/** Whether a line that is moved to another column comes to stand where any key may stand. */
function isAnywhere(
  lines: readonly string[],
  line: number,
  moved: string,
  { again, others }: { readonly again: Again; readonly others: readonly Finding[] },
): boolean {
  const said = (one: string): string => one.trim().replace(/^(?:- +)+/, '');
  if (said(moved) !== said(lines[line - 1]!) || /:\s*$/.test(moved)) return false;
  const other = moved.replace(/^(\s*(?:- +)*)[\w-]+(?=:)/, '$1another-name');
  const after = again(replaced(lines, line, other))?.findings;
  return other !== moved && after?.every((one) => others.some(isSame(one))) === true;
}

/** The keys that a finding names as those of a map. */
function keysNamed({ message }: Finding): readonly string[] {
  const [, named = ''] = /\bmust be .*?\ba map of ((?:[a-z-]+, )*[a-z-]+ and [a-z-]+)/.exec(message) ?? [];
  return named.match(/[a-z-]+/g)?.filter((word) => word !== 'and') ?? [];
}

function replaced(lines: readonly string[], line: number, written: string): string {
  const end = lines[line - 1]!.endsWith('\r') ? '\r' : '';
  return lines.with(line - 1, written + end).join('\n');
}

function firstChange(before: string, after: string): number {
  let at = 0;
  while (at < before.length && before[at] === after[at]) at++;
  return Math.min(at, Math.max(0, before.length - 1));
}

/**
 * Whether a finding is still to be told when a line was put right, after which others are found. What was not found in the
 * file as it is may be hidden by something else still.
 */
export function isLeft(one: Finding, after: readonly Finding[], own: readonly Finding[]): boolean {
  if (ALWAYS_SAID.has(one.code) || after.some(isSame(one))) return true;
  return after.length > 0 && !own.some(isSame(one));
}

/** Whether a finding is the same as another one, found in the same file read another time. */
export function isSame(one: Finding): (other: Finding) => boolean {
  return ({ code, message, place }) =>
    code === one.code &&
    message === one.message &&
    // A change before it on its line moves it.
    place?.line === one.place?.line;
}
