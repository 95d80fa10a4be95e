import { countOf } from '../count-of.ts';
import type { Environment } from './environment.ts';
import { nearest } from './nearest.ts';
import { segmentText } from './path-text.ts';
import { compileSingular, type Filter } from './paths.ts';
import { childrenOf, givesNodes, type Segment, type Selector, type Tree } from './tree.ts';
import { isObject, type Maybe, type Value } from './values.ts';

interface FilterPath {
  readonly text: string;
  readonly find: (item: Maybe) => Maybe;
  readonly segments: readonly Segment[];
  /** It stands alone, as a test of existence. */
  readonly existence: boolean;
}

const known = new WeakMap<Selector, readonly FilterPath[]>();

/** The paths of names and indexes that begin with this filter's `@`. */
function pathsOf(selector: Selector & { type: 'filter' }): readonly FilterPath[] {
  const paths: FilterPath[] = [];
  const collect = (tree: Tree, decides: boolean): void => {
    if (tree.type === 'query' && tree.base.type === 'item') {
      if (!givesNodes(tree)) {
        const { segments } = tree;
        paths.push({
          text: `@${segments.map(segmentText).join('')}`,
          find: compileSingular(segments),
          segments,
          existence: decides,
        });
      }
      return; // what stands in its inner filters has an @ of its own
    }
    const junction =
      (tree.type === 'binary' && (tree.operator === '&&' || tree.operator === '||')) || tree.type === 'unary';
    const hasOwnItem =
      tree.type === 'call' && /^(?:any|every|map|sort|min|max|unique|group)$/.test(tree.name);
    childrenOf(tree).forEach((child, i) => {
      if (!(hasOwnItem && i > 0)) collect(child, decides && junction);
    });
  };
  collect(selector.condition, true);
  return paths;
}

/**
 * Says what a filter silently did: kept items whose tested member is false or null, or spoke of a member that no item has.
 */
export function reviewFilter(
  environment: Environment,
  selector: Selector & { type: 'filter' },
  items: readonly Value[],
  keeps: Filter['keeps'],
): void {
  if (items.length === 0) return;
  let paths = known.get(selector);
  if (!paths) known.set(selector, (paths = pathsOf(selector)));
  for (const path of paths) {
    if (!items.some((item) => path.find(item) !== undefined)) {
      environment.warn!({ code: 'path-in-no-item', message: absentMessage(path, items) });
    } else if (path.existence) {
      reviewExistence(environment, path, items, keeps);
    }
  }
}

function absentMessage({ text, segments }: FilterPath, items: readonly Value[]): string {
  const first = segments[0]!.selectors[0]!;
  const members = new Set(items.slice(0, 1000).flatMap((item) => (isObject(item) ? Object.keys(item) : [])));
  const near = first.type === 'name' && !members.has(first.name) ? nearest(first.name, members) : undefined;
  const what = items.length === 1 ? 'the one item' : `none of ${items.length} items`;
  const verb = items.length === 1 ? 'does not have' : 'has';
  return `[?…${text}…] looks for ${text}, and ${what} ${verb} it${near === undefined ? '' : `; the nearest is @.${near}`}`;
}

function reviewExistence(
  environment: Environment,
  path: FilterPath,
  items: readonly Value[],
  keeps: Filter['keeps'],
): void {
  for (const empty of [false, null]) {
    const kept = items.filter((item) => path.find(item) === empty && keeps(environment, item)).length;
    if (kept === 0) continue;
    const word = String(empty);
    environment.warn!({
      code: 'existence-of-false',
      message: `[?${path.text}] kept ${countOf(kept, 'item')} whose ${path.text.slice(1).replace(/^\./, '')} is ${word}; to keep only ${empty === false ? `true ones, write ${path.text} == true` : `those with a value, write ${path.text} != null`}`,
    });
  }
}
