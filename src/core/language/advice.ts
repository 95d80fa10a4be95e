import { BIT, isOnly, type Kind, mayBe } from './kinds.ts';

// What a message offers instead of what was written.

export function conditionAdvice(source: string, kind: Kind): string {
  if (isOnly(kind, BIT.list | BIT.text | BIT.object | BIT.bytes))
    return `length(${source}) > 0, or compare it: ${source} == …`;
  return `compare it: ${source} == …, ${source} != null, or exists(${source})`;
}

export function listAdvice(source: string): string {
  return `any(${source}, @ == x), every(${source}, @ == x), first(${source}) or length(${source})`;
}

export function comparisonAdvice(
  left: string,
  right: string,
  leftBits: number,
  rightBits: number,
): string | undefined {
  const pair = (one: number, other: number): string | undefined => {
    if (leftBits === one && rightBits === other) return left;
    if (leftBits === other && rightBits === one) return right;
    return undefined;
  };
  const text = pair(BIT.text, BIT.number);
  if (text !== undefined)
    return /^'|^"/.test(text) ? `without quotes it is a number: ${text.slice(1, -1)}` : `number(${text})`;
  const date = pair(BIT.text, BIT.time);
  if (date !== undefined) return `time(${date})`;
  if (pair(BIT.number, BIT.duration) !== undefined) return 'a duration has a unit: 800ms, 2s';
  return undefined;
}

export function conversionAdvice(source: string, wanted: number, given: number): string | undefined {
  if (wanted === BIT.number && given === BIT.text) return `number(${source})`;
  if ((wanted & BIT.number) !== 0 && given === BIT.time) return `epoch(${source})`;
  if ((wanted & BIT.number) !== 0 && given === BIT.duration) return `${source} / 1s`;
  if (wanted === BIT.time && (given & (BIT.text | BIT.number)) !== 0) return `time(${source})`;
  if (wanted === BIT.text && (given & (BIT.number | BIT.time | BIT.duration)) !== 0) return `text(${source})`;
  if (wanted === BIT.list && given === BIT.object)
    return `entries(${source}), keys(${source}) or values(${source})`;
  return undefined;
}

export function arithmeticAdvice(
  operator: string,
  left: string,
  right: string,
  { a, b }: { readonly a: Kind; readonly b: Kind },
): string | undefined {
  if (
    operator === '+' &&
    (mayBe(a, BIT.text) || mayBe(b, BIT.text)) &&
    !mayBe(a, BIT.time) &&
    !mayBe(b, BIT.time | BIT.duration)
  ) {
    const asText = (source: string, kind: Kind): string =>
      isOnly(kind, BIT.text) ? source : `text(${source})`;
    return `${asText(left, a)} + ${asText(right, b)}`;
  }
  const text = mayBe(a, BIT.text) ? left : mayBe(b, BIT.text) ? right : undefined;
  if (text === undefined) return undefined;
  return mayBe(a, BIT.time | BIT.duration) || mayBe(b, BIT.time | BIT.duration)
    ? `time(${text})`
    : `number(${text})`;
}
