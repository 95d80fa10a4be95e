import type { Environment } from './environment.ts';
import { segmentText } from './path-text.ts';
import { compileNodes, type MakeFilter, type Walk } from './paths.ts';
import type { Segment, Selector } from './tree.ts';
import { isObject, type Maybe, type Value } from './values.ts';

/** Where a path stops: what none of the values that it found so far has. */
export interface Absence {
  /** Which of its segments. */
  readonly index: number;
  /** What it looks for, as it would be written: `.price`, `[*]`. */
  readonly what: string;
  /** Where it looks for it: at least one value. */
  readonly among: readonly Value[];
}

interface Choice {
  readonly walk: Walk;
  /** Whether a value in which it finds nothing counts as one that lacks it. */
  readonly lacking: (value: Value) => boolean;
  readonly text: string;
}

interface Step {
  readonly choices: readonly Choice[];
  /** It looks at all that lies below a value, so most of that may lack it. */
  readonly descendant: boolean;
}

/**
 * Compiles a path that may find several values, by a rule that is stricter than that of RFC 9535, to which whatever is not
 * there is an empty list: where none of the values found so far has a name or an index, or is a list or an object to go
 * into, the path gives nothing (undefined). Where some have it and some do not, that is warned about. Of an empty list, and
 * where a filter lets nothing through, it stays an empty list. `source` is the path as it is written.
 */
export function compileStrictNodes(
  segments: readonly Segment[],
  makeFilter: MakeFilter,
  source: string,
): (environment: Environment, value: Maybe) => Value[] | undefined {
  const steps = stepsOf(segments, makeFilter);
  return (environment, value) => {
    const found = value === undefined ? undefined : walkSteps(steps, environment, value, source);
    return Array.isArray(found) ? found : undefined;
  };
}

/** Where such a path stops; undefined if it gives a list. */
export function absenceIn(
  segments: readonly Segment[],
  makeFilter: MakeFilter,
  environment: Environment,
  value: Value,
): Absence | undefined {
  const found = walkSteps(stepsOf(segments, makeFilter), environment, value, '');
  return 'among' in found ? found : undefined;
}

function walkSteps(
  steps: readonly Step[],
  environment: Environment,
  value: Value,
  source: string,
): Value[] | Absence {
  let nodes: Value[] = [value];
  for (const [index, { choices, descendant }] of steps.entries()) {
    const found: Value[] = [];
    const missing = choices.map(() => 0);
    for (const node of nodes) {
      for (const [i, { walk, lacking }] of choices.entries()) {
        const before = found.length;
        walk(environment, node, found);
        if (found.length === before && lacking(node)) missing[i]!++;
      }
    }
    for (const [i, times] of missing.entries()) {
      if (times === 0) continue;
      const { text } = choices[i]!;
      if (times === nodes.length) return { index, what: text, among: nodes };
      if (!descendant)
        environment.warn?.({
          code: 'path-in-some-items',
          message: `${source} looks for ${text}, and ${times} of ${nodes.length} items ${times === 1 ? 'does' : 'do'} not have it; ${times === 1 ? 'it is' : 'they are'} left out`,
        });
    }
    nodes = found;
  }
  return nodes;
}

function stepsOf(segments: readonly Segment[], makeFilter: MakeFilter): Step[] {
  return segments.map((segment) => {
    const { descendant, selectors } = segment;
    // Descendants are taken in one go: the standard gives what several selectors find there in an order of its own.
    const parts = descendant
      ? [segment]
      : selectors.map((selector) => ({ ...segment, selectors: [selector] }));
    return {
      descendant,
      choices: parts.map((part) => ({
        walk: compileNodes([part], makeFilter),
        lacking: lackingOf(part.selectors),
        text: segmentText(part),
      })),
    };
  });
}

function lackingOf(selectors: readonly Selector[]): (value: Value) => boolean {
  const [{ type }] = selectors as [Selector];
  if (type === 'name' || type === 'index') return () => true;
  return type === 'slice'
    ? (value) => !Array.isArray(value)
    : (value) => !Array.isArray(value) && !isObject(value);
}
