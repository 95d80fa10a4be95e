import { BIT, isOnly, type Kind, mayBe } from './kinds.ts';
import type { Remedy } from './inferring.ts';
import { isNumberText } from './numbers.ts';
import type { BinaryTree, Tree } from './tree.ts';

// What a message offers instead of what was written.

export function conditionAdvice(source: string, kind: Kind, tree: Tree): Remedy {
  if (tree.type === 'literal' && isOnly(kind, BIT.number) && /^[1-5]\d\d$/.test(source))
    return { hint: `status == ${source}`, replace: `status == ${source}` };
  if (isOnly(kind, BIT.list | BIT.text | BIT.object | BIT.bytes))
    return {
      hint: `length(${source}) > 0, or compare it: ${source} == …`,
      replace: `length(${source}) > 0`,
    };
  return `compare it: ${source} == …, ${source} != null, or exists(${source})`;
}

export function listAdvice(source: string): string {
  return `any(${source}, @ == x), every(${source}, @ == x), first(${source}) or length(${source})`;
}

/** One side of a comparison: how it is written, and what it may be. */
export interface Side {
  readonly tree: Tree;
  readonly source: string;
  readonly bits: number;
}

export function comparisonAdvice(left: Side, right: Side): Remedy {
  const pair = (one: number, other: number): Side | undefined => {
    if (left.bits === one && (right.bits & other) === other) return left;
    if ((left.bits & other) === other && right.bits === one) return right;
    return undefined;
  };
  const replaced = ({ tree }: Side, text: string): Remedy => ({
    hint: text,
    replace: { span: tree.span, text },
  });
  const list = pair(BIT.list, BIT.number);
  if (list) return replaced(list, `length(${list.source})`);
  const text = pair(BIT.text, BIT.number);
  if (text) {
    const { source, tree } = text;
    const inside = source.slice(1, -1);
    const other = text === left ? right : left;
    if (tree.type === 'literal' && other.source === 'status' && !isNumberText(inside))
      return {
        hint: 'status is the number that HTTP gives; $.status is a member of the response',
        replace: { span: other.tree.span, text: '$.status' },
      };
    return tree.type === 'literal' && isNumberText(inside)
      ? { hint: `without quotes it is a number: ${inside}`, replace: { span: tree.span, text: inside } }
      : tree.type === 'literal'
        ? `a number has no quotes: 200`
        : replaced(text, `number(${source})`);
  }
  const yes = pair(BIT.text, BIT['yes or no']);
  if (yes?.tree.type === 'literal' && /^.(?:yes|no|true|false)/i.test(yes.source))
    return replaced(yes, /yes|true/i.test(yes.source) ? 'true' : 'false');
  const time = left.bits === BIT.time ? right : right.bits === BIT.time ? left : undefined;
  if (time && (time.bits & (BIT.text | BIT.number)) !== 0) return replaced(time, `time(${time.source})`);
  const number = pair(BIT.number, BIT.duration);
  if (number)
    return number.tree.type === 'literal'
      ? replaced(number, number.source + (Number(number.source) >= 60 ? 'ms' : 's'))
      : 'a duration has a unit: 800ms, 2s';
  return undefined;
}

/** How a value of another kind becomes one that is wanted. It stands in the value's own place. */
export function conversionAdvice(source: string, wanted: number, given: number): Remedy {
  const written = converted(source, wanted, given);
  if (written === undefined && (wanted & BIT.list) !== 0 && given === BIT.object)
    return {
      hint: `entries(${source}), keys(${source}) or values(${source})`,
      replace: `values(${source})`,
    };
  return written === undefined ? undefined : { hint: written, replace: written };
}

function converted(source: string, wanted: number, given: number): string | undefined {
  if ((wanted & BIT.number) !== 0 && given === BIT.text) return `number(${source})`;
  if ((wanted & BIT.number) !== 0 && given === BIT.time) return `epoch(${source})`;
  if ((wanted & BIT.number) !== 0 && given === BIT.duration) return `${source} / 1s`;
  if (wanted === BIT.list && given === BIT.text && /^['"]/.test(source)) return `[${source}]`;
  if (wanted === BIT.time && (given & (BIT.text | BIT.number)) !== 0) return `time(${source})`;
  if (wanted === BIT.text && (given & (BIT.number | BIT.time | BIT.duration)) !== 0) return `text(${source})`;
  return undefined;
}

export function arithmeticAdvice(
  { operator, left: leftTree, right: rightTree }: BinaryTree,
  left: string,
  right: string,
  { a, b }: { readonly a: Kind; readonly b: Kind },
): Remedy {
  if (
    operator === '+' &&
    (mayBe(a, BIT.text) || mayBe(b, BIT.text)) &&
    !mayBe(a, BIT.time) &&
    !mayBe(b, BIT.time | BIT.duration)
  ) {
    const asText = (source: string, kind: Kind): string =>
      isOnly(kind, BIT.text) ? source : `text(${source})`;
    const joined = `${asText(left, a)} + ${asText(right, b)}`;
    return { hint: joined, replace: joined };
  }
  const side = mayBe(a, BIT.text)
    ? ([left, leftTree] as const)
    : mayBe(b, BIT.text)
      ? ([right, rightTree] as const)
      : undefined;
  if (!side) return undefined;
  const [text, tree] = side;
  const read =
    mayBe(a, BIT.time | BIT.duration) || mayBe(b, BIT.time | BIT.duration)
      ? `time(${text})`
      : `number(${text})`;
  return { hint: read, replace: { span: tree.span, text: read } };
}
