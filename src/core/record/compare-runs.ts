import { asWritten } from '../address.ts';
import { isObject, kindOf, type Maybe, type Value } from '../language/values.ts';
import type { RecordedStep } from './recorded-run.ts';

/** The kinds of all parts of values, by their paths; `[]` stands for any item of a list. */
export type BodyShape = ReadonlyMap<string, ReadonlySet<string>>;

/** What differs between two shapes. */
export interface ShapeDifference {
  /** Paths that are new, with their kinds. */
  readonly got: readonly (readonly [path: string, kinds: string])[];
  readonly went: readonly (readonly [path: string, kinds: string])[];
  readonly changed: readonly (readonly [path: string, before: string, after: string])[];
}

/** Steps that are one step of the chain: those of all iterations of a loop together. */
export interface StepGroup {
  /** The address as written: `fire[].load`. */
  readonly address: string;
  readonly steps: RecordedStep[];
}

/** What differs between two steps, or between all iterations of one. Nothing where it is alike. */
export interface StepDifference {
  readonly address: string;
  /** It is in only one of the runs. */
  readonly only?: 'first' | 'second';
  readonly outcome?: readonly [string, string];
  readonly status?: readonly [string, string];
  /** The time of all of them, in milliseconds, where it is longer or shorter by half and more. */
  readonly time?: readonly [number, number];
  readonly kept?: readonly (readonly [name: string, before: string | undefined, after: string | undefined])[];
  readonly shape?: ShapeDifference;
}

/** Adds the parts of a value to a shape. */
function addShape(shape: Map<string, Set<string>>, value: Value, path: string): void {
  const kinds = shape.get(path) ?? new Set();
  kinds.add(kindOf(value));
  shape.set(path, kinds);
  if (Array.isArray(value)) for (const item of value) addShape(shape, item, `${path}[]`);
  else if (isObject(value))
    for (const [name, member] of Object.entries(value))
      addShape(
        shape,
        member,
        path + (/^[A-Za-z_]\w*$/.test(name) ? `.${name}` : `['${name.replace(/[\\']/g, '\\$&')}']`),
      );
}

/** The shape that some responses have together. */
export function bodyShapeOf(values: Iterable<Maybe>): BodyShape {
  const shape = new Map<string, Set<string>>();
  for (const value of values) if (value !== undefined) addShape(shape, value, '$');
  return shape;
}

/** How one shape differs from an earlier one; undefined if it does not. What is inside of something new or gone is not told. */
export function compareShapes(before: BodyShape, after: BodyShape): ShapeDifference | undefined {
  const words = (kinds: ReadonlySet<string>): string => [...kinds].sort().join(' or ');
  const inNew = (path: string, known: BodyShape): boolean => {
    const outer = path.replace(/(?:\.[A-Za-z_]\w*|\['(?:[^'\\]|\\.)*'\]|\[\])$/, '');
    return outer !== path && !known.has(outer);
  };
  const added = (from: BodyShape, to: BodyShape): [string, string][] =>
    [...to].flatMap(([path, kinds]) => (from.has(path) || inNew(path, from) ? [] : [[path, words(kinds)]]));
  const got = added(before, after);
  const went = added(after, before);
  const changed = [...after].flatMap(([path, kinds]): [string, string, string][] => {
    const old = before.get(path);
    return old && words(old) !== words(kinds) ? [[path, words(old), words(kinds)]] : [];
  });
  return got.length + went.length + changed.length === 0 ? undefined : { got, went, changed };
}

/** Puts the steps of a run together by their addresses as written. */
export function groupSteps(steps: Iterable<RecordedStep>): Map<string, StepGroup> {
  const groups = new Map<string, StepGroup>();
  for (const step of steps) {
    const address = asWritten(step.address);
    const group = groups.get(address);
    if (group) group.steps.push(step);
    else groups.set(address, { address, steps: [step] });
  }
  return groups;
}

/** How a step differs from what it was; `shapes` are those of its responses then and now. */
export function compareSteps(
  before: StepGroup,
  after: StepGroup,
  shapes: readonly [BodyShape, BodyShape],
): StepDifference | undefined {
  const differing = (of: (group: StepGroup) => string): readonly [string, string] | undefined => {
    const [old, now] = [of(before), of(after)];
    return old === now ? undefined : [old, now];
  };
  const outcome = differing(({ steps }) => counted(steps.map((step) => step.outcome ?? 'interrupted')));
  const status = differing(({ steps }) =>
    counted(steps.flatMap(({ attempts }) => attempts.at(-1)?.response?.status.toString() ?? [])),
  );
  const times = [before, after].map(({ steps }) => steps.reduce((sum, { elapsed }) => sum + elapsed, 0));
  const [least, most] = [Math.min(...times), Math.max(...times)];
  const kept =
    before.steps.length === 1 && after.steps.length === 1
      ? keptDifferences(before.steps[0]!, after.steps[0]!)
      : [];
  // Where one of them got no response there is nothing to compare.
  const shape = shapes[0].size > 0 && shapes[1].size > 0 ? compareShapes(...shapes) : undefined;
  const isSlower = most > 20 && most > least * 1.5;
  if (!outcome && !status && kept.length === 0 && !shape && !isSlower) return undefined;
  return {
    address: after.address,
    ...(outcome ? { outcome } : {}),
    ...(status ? { status } : {}),
    ...(isSlower ? { time: [times[0]!, times[1]!] as const } : {}),
    ...(kept.length > 0 ? { kept } : {}),
    ...(shape ? { shape } : {}),
  };
}

function keptDifferences(
  before: RecordedStep,
  after: RecordedStep,
): [string, string | undefined, string | undefined][] {
  return [...new Set([...before.kept.keys(), ...after.kept.keys()])].flatMap((name) => {
    const [old, now] = [before.kept.get(name)?.value, after.kept.get(name)?.value];
    return old === now ? [] : [[name, old, now]];
  });
}

/** `passed`, or `passed 9 times, failed 3 times`. */
function counted(words: readonly string[]): string {
  const counts = new Map<string, number>();
  for (const word of words) counts.set(word, (counts.get(word) ?? 0) + 1);
  if (words.length <= 1) return words[0] ?? 'none';
  return [...counts]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([word, count]) => (counts.size === 1 ? word : `${word} ×${count}`))
    .join(', ');
}
