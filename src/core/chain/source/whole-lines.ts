import { ONLY_ALONE } from './consequences.ts';
import {
  type Again,
  ALWAYS_SAID,
  byTrial,
  isLeft,
  isSame,
  members,
  type FileReading,
  type Trying,
} from './by-trial.ts';
import type { Finding } from './finding.ts';

/** So much text is read again, in characters, to see what is still wrong with lines that were put right. */
const MOST_READ = 180_000;

/** A value counts as so many characters: with aliases a short text may have many. */
const NODE = 2;

/** A line has no more mistakes than this that are put right one after the other. */
const MOST_ROUNDS = 5;

/**
 * Findings whose line as it should stand has every other mistake on it put right too, as far as that is known: a line is
 * typed once, not once for each mistake on it. Where nothing is known, or it does not put the line right, what it may have been
 * meant as is tried. `read` says what is found in a text, `own` what
 * was found in this one as it is. What a line put right takes with it was a consequence, and is left
 * out; of several findings on one line the first has the line.
 */
export function withWholeLines(
  findings: readonly Finding[],
  {
    text,
    read,
    keys,
    own,
  }: {
    readonly text: string;
    readonly read: (text: string) => FileReading;
    readonly keys: ReadonlySet<string>;
    readonly own: readonly Finding[];
  },
): readonly Finding[] {
  let left = MOST_READ;
  const spend = (characters: number): boolean => (left -= characters) >= 0;
  const again = (other: string): FileReading | undefined => {
    if (!spend(other.length)) return undefined;
    const reading = read(other);
    spend(NODE * reading.file.nodes);
    // What is told only where nothing else is wrong says nothing of this line.
    return { ...reading, findings: reading.findings.filter(({ code }) => !ONLY_ALONE.has(code)) };
  };
  const right = new Map<number, Finding['code']>();
  let all = findings;
  // What YAML can't read comes before what was found in spite of it.
  const isOfYaml = ({ code }: Finding): boolean => code === 'yaml';
  for (const finding of [...findings.filter(isOfYaml), ...findings.filter((one) => !isOfYaml(one))]) {
    // Nothing more can be proved.
    if (!spend(0)) break;
    if (!all.includes(finding) || !finding.place) continue;
    if (right.has(finding.place.line)) {
      // The same mistake once more, which its line shows put right.
      if (right.get(finding.place.line) === finding.code && !ALWAYS_SAID.has(finding.code)) {
        all = all.filter((one) => one !== finding);
        continue;
      }
      const { instead: _, ...rest } = finding;
      all = all.map((one) => (one === finding ? rest : one));
      continue;
    }
    const put = putRight(finding, all, text, { again, spend, keys, own });
    // What another finding's line puts right is no mistake of its own.
    const isSameLine = put.line !== undefined && put.line !== finding.place.line && right.has(put.line);
    all = isSameLine ? all.filter((one) => one !== finding) : put.all;
    if (put.line !== undefined) right.set(put.line, finding.code);
  }
  return all;
}

/** All findings, with one of them put right; `line` is the line that then is right. */
function putRight(
  finding: Finding,
  all: readonly Finding[],
  text: string,
  trying: Trying,
): { readonly all: readonly Finding[]; readonly line?: number | undefined } {
  const plain = byTrial(finding, all, text, {
    ...trying,
    only: ({ isPlain, ofName, ofList }) =>
      isPlain === true ||
      (ofName === true && finding.code === 'name-invalid') ||
      (ofList === true && finding.instead?.includes('\n') === true),
  });
  if (plain) return plain;
  const { instead, place } = finding;
  const whole = instead === undefined ? undefined : wholeLine(text, place!.line, finding, trying.again);
  if (whole?.isRight && !whole.after.some((one) => !all.some(isSame(one)) && !trying.own.some(isSame(one)))) {
    const other = hasMoreNear(whole.after, finding)
      ? byTrial(finding, all, text, { ...trying, best: whole.after.length })
      : undefined;
    return other ?? { all: withoutCaused(all, finding, { ...whole, own: trying.own }), line: place!.line };
  }
  const tried =
    (finding.level === 'problem' || finding.code === 'description-flawed') && instead?.includes('\n') !== true
      ? byTrial(finding, all, text, { ...trying, best: whole?.after.length ?? Infinity })
      : undefined;
  if (tried) return tried;
  const twice = whole && !whole.isRight ? inTwoSteps(finding, all, text, { whole, trying }) : undefined;
  if (twice) return twice;
  return whole
    ? {
        all: withoutCaused(all, finding, { ...whole, own: trying.own }),
        line: whole.isRight ? place!.line : undefined,
      }
    : { all };
}

/** A line put right, and then what it turns out to be put right as well; undefined where that leaves anything wrong with it. */
function inTwoSteps(
  finding: Finding,
  all: readonly Finding[],
  text: string,
  { whole, trying }: { readonly whole: WholeLine; readonly trying: Trying },
): { readonly all: readonly Finding[]; readonly line: number } | undefined {
  const line = finding.place!.line;
  const next = whole.after.find(({ place }) => place?.line === line);
  if (!next || whole.line.includes('\n')) return undefined;
  const once = withLine(text, line, whole.line, finding.begins);
  const again = byTrial(next, whole.after, once, { ...trying, own: whole.after });
  const right = again?.line === line ? again.all.find(({ place }) => place?.line === line) : undefined;
  // A key is not lost on the way.
  if (right?.instead === undefined || members(right.instead) < members(whole.line)) return undefined;
  const after = trying.again(withLine(once, line, right.instead, right.begins))?.findings;
  if (!after || after.some((one) => one.place?.line === line || !all.some(isSame(one)))) return undefined;
  const { hint: _, ...rest } = finding;
  const put = {
    ...rest,
    instead: right.instead,
    ...(right.begins === undefined ? {} : { begins: right.begins }),
  };
  return {
    all: all.flatMap((one) => (one === finding ? [put] : isLeft(one, after, trying.own) ? [one] : [])),
    line,
  };
}

/** Whether something like a finding is left close below it, so that both may come from a line above. */
function hasMoreNear(after: readonly Finding[], { code, place }: Finding): boolean {
  const line = place!.line;
  return (
    OF_COLUMNS.has(code) &&
    after.some((one) => {
      const below = (one.place?.line ?? 0) - line;
      return OF_COLUMNS.has(one.code) && below > 0 && below < 3;
    })
  );
}

/** What a line at another column brings about. */
const OF_COLUMNS: ReadonlySet<Finding['code']> = new Set([
  'yaml',
  'wrong-form',
  'unknown-key',
  'missing-key',
]);

/** All findings with the whole line for one of them, and without what its own mistake brought about. */
function withoutCaused(
  all: readonly Finding[],
  finding: Finding,
  { line, first, own }: WholeLine & { readonly own: readonly Finding[] },
): readonly Finding[] {
  const { instead = '' } = finding;
  return all.flatMap((one) => {
    if (one !== finding) return first && !isLeft(one, first, own) && !instead.includes('\n') ? [] : [one];
    if (line === instead) return [one];
    // What the hint writes out is the line with one mistake less, not the line as it should stand.
    const { hint, ...rest } = finding;
    const isPart = hint !== undefined && instead.includes(hint);
    return [{ ...rest, ...(hint === undefined || isPart ? {} : { hint }), instead: line }];
  });
}

/** What hides the rest of its line weighs more than what is found in a line that can be read. */
const HIDING: ReadonlySet<Finding['code']> = new Set(['bad-syntax', 'yaml', 'yaml-trap', 'unknown-key']);

interface WholeLine {
  readonly line: string;
  readonly isRight: boolean;
  /** What is found with this line, and with only the first mistake put right; undefined where that is not known. */
  readonly after: readonly Finding[];
  readonly first: readonly Finding[] | undefined;
}

/** A line that was put right, with what is then found on it put right as well; never one with which more is wrong. */
function wholeLine(text: string, line: number, { instead = '', begins }: Finding, again: Again): WholeLine {
  let best: WholeLine = { line: instead, isRight: false, after: [], first: undefined };
  let least = Infinity;
  let current = instead;
  const seen = new Set<string>();
  for (let round = 0; round < MOST_ROUNDS && !seen.has(current); round++) {
    seen.add(current);
    const after = again(withLine(text, line, current, begins))?.findings;
    if (!after) break;
    const first = best.first ?? after;
    const weight = after.reduce((sum, { code }) => sum + (HIDING.has(code) ? 10 : 1), 0);
    if (weight < least) {
      least = weight;
      best = { line: current, isRight: !after.some(({ place }) => place?.line === line), after, first };
    }
    const next = after.find((one) => one.instead !== undefined && one.place?.line === line)?.instead;
    if (next === undefined) break;
    current = next;
  }
  return best;
}

/** A text with another line in the place of one; one that says where it begins, too, has its own blanks. */
export function withLine(text: string, line: number, instead: string, begins?: number): string {
  const lines = text.split('\n');
  const before = lines[line - 1] ?? '';
  const blanks = instead.startsWith(' ') || begins !== undefined ? '' : /^\s*/.exec(before)![0];
  return lines.with(line - 1, blanks + instead + (before.endsWith('\r') ? '\r' : '')).join('\n');
}
