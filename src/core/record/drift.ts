import { memberText } from '../language/path-text.ts';
import { isObject, kindOf, type Value } from '../language/values.ts';

/** What is known of one place in some responses: which kinds stand there, and in how many of the objects that could have it. */
interface Place {
  readonly kinds: Set<string>;
  /** How often it was there. */
  count: number;
  /** How many objects or lists it could have been in. */
  around: number;
}

/** What differs between the responses of a step then and now. */
export interface Drift {
  /** Members that always were there, and are not in any response now. */
  readonly gone: readonly (readonly [path: string, kinds: string])[];
  /** Places at which another kind of value stands than ever before. */
  readonly changed: readonly (readonly [path: string, before: string, after: string])[];
  /** Members that are new: no reason to fail. */
  readonly added: readonly (readonly [path: string, kinds: string])[];
}

/** So many places are told apart; a map with made-up names as keys has more. */
const MOST_PLACES = 20_000;

/**
 * How the bodies of some responses differ in shape from those before. What says nothing is left out: a list that is empty now, a
 * member that only some items had before, a value that is null in fewer of them.
 */
export function driftOf(before: readonly Value[], after: readonly Value[]): Drift {
  const [then, now] = [placesOf(before), placesOf(after)];
  const gone = [...then].flatMap(([path, place]): [string, string][] => {
    const outer = outerOf(path);
    const isThere = now.has(path) || (outer !== undefined && !isHeldBy(now, outer));
    const always = place.count === place.around;
    return isThere || !always || path.endsWith('[]') ? [] : [[path, words(place.kinds)]];
  });
  const changed = [...now].flatMap(([path, { kinds }]): [string, string, string][] => {
    const old = then.get(path)?.kinds;
    const isNew = old !== undefined && [...kinds].some((kind) => !old.has(kind));
    return isNew ? [[path, words(old), words(kinds)]] : [];
  });
  const added = [...now].flatMap(([path, { kinds }]): [string, string][] => {
    const outer = outerOf(path);
    const isNew = !then.has(path) && (outer === undefined || isHeldBy(then, outer));
    return isNew && !path.endsWith('[]') ? [[path, words(kinds)]] : [];
  });
  return { gone, changed, added };
}

/** Whether something that can hold members or items stands at a path. */
function isHeldBy(places: ReadonlyMap<string, Place>, path: string): boolean {
  const kinds = places.get(path)?.kinds;
  return kinds !== undefined && (kinds.has('object') || kinds.has('list'));
}

function placesOf(values: readonly Value[]): Map<string, Place> {
  const places = new Map<string, Place>();
  const around = new Map<string, number>();
  const visit = (value: Value, path: string): void => {
    if (places.size >= MOST_PLACES && !places.has(path)) return;
    const place = places.get(path) ?? { kinds: new Set<string>(), count: 0, around: 0 };
    place.kinds.add(kindOf(value));
    place.count++;
    places.set(path, place);
    if (Array.isArray(value)) for (const item of value) visit(item, `${path}[]`);
    else if (isObject(value)) {
      around.set(path, (around.get(path) ?? 0) + 1);
      for (const [name, member] of Object.entries(value)) visit(member, path + memberText(name));
    }
  };
  for (const value of values) visit(value, '$');
  for (const [path, place] of places) {
    const outer = outerOf(path);
    place.around = outer === undefined || path.endsWith('[]') ? place.count : (around.get(outer) ?? 0);
  }
  return places;
}

/** The path of what a place stands in; undefined for the whole. */
function outerOf(path: string): string | undefined {
  const outer = path.replace(/(?:\.[A-Za-z_]\w*|\['(?:[^'\\]|\\.)*'\]|\[\])$/s, '');
  return outer === path ? undefined : outer;
}

function words(kinds: ReadonlySet<string>): string {
  return [...kinds].sort().join(' or ');
}
