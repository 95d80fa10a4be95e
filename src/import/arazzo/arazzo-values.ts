import type { Operation } from '../../core/contract/description.ts';
import { pointerParts } from '../../core/contract/document.ts';
import { parseJson } from '../../core/language/json.ts';
import { isObject, membersOf, objectOf, type Value } from '../../core/language/values.ts';
import { inserted } from '../step-secrets.ts';
import { entry } from '../yaml-text.ts';
import type { ArazzoStep } from './arazzo-document.ts';
import { expressionOf, type NamesOfWorkflow } from './runtime-expressions.ts';

/** A value of JSON in which runtime expressions are insertions; undefined if one can't be said. */
function valueOf(value: unknown, names: NamesOfWorkflow): Value | undefined {
  const lost: string[] = [];
  const inText = (text: string): string => {
    const whole = text.startsWith('$') && !text.includes(' ') ? expressionOf(text, names) : undefined;
    if (whole !== undefined) return inserted(whole);
    if (/^\$(?:inputs|steps|response|request|statusCode|url|outputs|workflows)\b/.test(text)) lost.push(text);
    return text.replace(/\{(\$[^{}]*)\}/g, (_, expression: string) => {
      const own = expressionOf(expression, names);
      if (own === undefined) lost.push(expression);
      return inserted(own ?? '');
    });
  };
  const visit = (one: Value): Value => {
    if (typeof one === 'string') return inText(one);
    if (Array.isArray(one)) return one.map(visit);
    return isObject(one)
      ? objectOf(membersOf(one).map(([name, member]) => [name, visit(member)] as const))
      : one;
  };
  const made = visit(parseJson(JSON.stringify(value ?? null)));
  return lost.length === 0 ? made : undefined;
}

/** A value as the lines of a key; undefined if it has no equivalent. */
export function valueLines(name: string, value: unknown, names: NamesOfWorkflow): string[] | undefined {
  const own = valueOf(value, names);
  return own === undefined ? undefined : written(entry(name, own));
}

/** Insertions stand as they are, without the quotes that their marks had. */
function written(lines: readonly string[]): string[] {
  return lines.map((line) =>
    line.replace(/"?\ue002([^\ue003]*)\ue003"?/g, (_, text: string) => `\${${text}}`),
  );
}

/** The body of a step. */
export function bodyOfArazzo(
  { requestBody, stepId }: ArazzoStep,
  operation: Operation,
  names: NamesOfWorkflow,
  note: (text: string) => void,
): string[] {
  if (!requestBody) return [];
  const { contentType, replacements = [] } = requestBody;
  const type = (contentType ?? operation.body?.content[0]?.type ?? 'application/json')
    .split(';')[0]!
    .trim()
    .toLowerCase();
  let payload: unknown = structuredClone(requestBody.payload);
  const isJson = /[/+]json$/.test(type);
  if (isJson && typeof payload === 'string') payload = jsonOf(payload) ?? payload;
  for (const { target, value } of replacements)
    if (!replaced(payload, target, value)) note(`a replacement of ${stepId} at ${target}`);
  const word = isJson
    ? 'json'
    : type === 'application/x-www-form-urlencoded'
      ? 'form'
      : type === 'multipart/form-data'
        ? 'multipart'
        : 'text';
  const lines = valueLines(
    word,
    word === 'text' && typeof payload !== 'string' ? JSON.stringify(payload) : payload,
    names,
  );
  if (!lines) note(`the body of ${stepId}, in which an expression has no equivalent`);
  return lines ?? [];
}

/** A text that is JSON but for expressions in it that stand without quotes. */
function jsonOf(text: string): unknown {
  for (const one of [text, text.replace(/(?<=[:[,]\s*)\{(\$[^{}]*)\}(?=\s*[,}\]])/g, '"$1"')]) {
    try {
      return JSON.parse(one) as unknown;
    } catch {
      // The other way of writing it is tried.
    }
  }
  return undefined;
}

/** Puts a value at a JSON pointer of a payload; false where there is no such place. */
function replaced(payload: unknown, target: string, value: unknown): boolean {
  const parts = pointerParts(target);
  const last = parts.pop();
  let at = payload;
  for (const part of parts) at = (at as Record<string, unknown> | undefined)?.[part];
  if (last === undefined || typeof at !== 'object' || at === null || last === '__proto__') return false;
  (at as Record<string, unknown>)[last] = value;
  return true;
}
