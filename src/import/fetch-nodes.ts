import type { AnyNode } from 'acorn';
import type { Value } from '../core/language/values.ts';
import { parseJson } from '../core/language/json.ts';

/** What is called: `fetch`, `window.fetch`. */
export function nameOfCallee(callee: AnyNode): string | undefined {
  if (callee.type === 'Identifier') return callee.name;
  return callee.type === 'MemberExpression' && !callee.computed && callee.property.type === 'Identifier'
    ? callee.property.name
    : undefined;
}

/** Functions that read a file by its path, as documentation for servers has them. */
export const FILE_READERS: ReadonlySet<string> = new Set([
  'readFile',
  'readFileSync',
  'createReadStream',
  'openAsBlob',
]);

/** The name of a variable: `form`, `url.searchParams`. */
export function variableOf(node: AnyNode): string | undefined {
  if (node.type === 'Identifier') return node.name;
  return node.type === 'MemberExpression' &&
    node.object.type === 'Identifier' &&
    nameOfCallee(node) === 'searchParams'
    ? `${node.object.name}.searchParams`
    : undefined;
}

/** `input.files[0]`, or a name that says that it is a file. */
export function isFile(node: AnyNode): boolean {
  if (node.type === 'Identifier') return /file|blob|image|photo|upload|attachment/i.test(node.name);
  if (node.type !== 'MemberExpression') return false;
  return isFile(node.object) || nameOfCallee(node) === 'files';
}

/** What stands before `.toString()` or `.href`. */
export function textOf(node: AnyNode): AnyNode {
  if (
    node.type === 'CallExpression' &&
    node.callee.type === 'MemberExpression' &&
    nameOfCallee(node.callee) === 'toString'
  )
    return textOf(node.callee.object);
  return node.type === 'MemberExpression' && nameOfCallee(node) === 'href' ? textOf(node.object) : node;
}

/** As URLSearchParams writes them; marks of what is left open stay. */
export function queryText(pairs: readonly (readonly [string, string])[]): string {
  return withMarks(new URLSearchParams(pairs.map(([name, value]) => [name, value])).toString());
}
export function withMarks(url: string): string {
  return url.replaceAll('%EE%80%80', '\ue000').replaceAll('%EE%80%81', '\ue001');
}
export function isMember(node: AnyNode, object: string, property: string): boolean {
  return (
    node.type === 'MemberExpression' &&
    node.object.type === 'Identifier' &&
    node.object.name === object &&
    node.property.type === 'Identifier' &&
    node.property.name === property
  );
}
export function numberAsWritten(raw: string, value: number): Value {
  return /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(raw) ? parseJson(raw) : value;
}
