// What stands in the path of a call as these characters, where a value was probably to be inserted.

import { checkExpression } from '../../language/expression.ts';
import { BIT, isOnly, mayBe } from '../../language/kinds.ts';
import type { StaticScope } from '../../language/scope.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';
import { endsAsFile } from './inserted-elsewhere.ts';

/** A path as it stands in a request line, of which it begins at `from`. */
interface PathText {
  readonly node: ScalarNode;
  readonly from: number;
  readonly scope: StaticScope;
}

/** Warns about the first part of a path that stands there as these characters and was probably a value; returns whether there is one. */
export function namesInPath(findings: Findings, path: PathText): boolean {
  return [joined, filledIn, halfInserted, bare, ofResponse, alone].some((find) => find(findings, path));
}

type Finder = (findings: Findings, path: PathText) => boolean;

/** Says of a part of the path that it would be sent as it stands, and what inserts the value. */
function told(
  findings: Findings,
  { node }: PathText,
  { index, 0: found }: RegExpExecArray,
  written: string | { readonly hint: string },
): boolean {
  findings.warn(
    node.offset(index),
    'expression-in-text',
    `${found.trim()} would be sent as these characters`,
    typeof written === 'string'
      ? findings.partBecomes(node, [index, index + found.length], written)
      : written.hint,
  );
  return true;
}

/** `/pieces/ + id`: a path and a value joined as elsewhere. */
const joined: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(
    /(?:(?<!\s)\s+\+\s*|["']\s*\+\s*)([A-Za-z_][\w.]*)(?:\s*\+\s*["']?)?(?=["'\s/?]|$)/g,
  ))
    if (match.index > from && checkExpression(match[1]!, scope).expression)
      return told(findings, path, match, `\${${match[1]!}}`);
  return false;
};

/** `/pieces/:id`, `/pieces/{id}` and `/pieces/<id>`, as documentation writes what is to be filled in. */
const filledIn: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(
    /(?<=\/):([A-Za-z_]\w*)|(?<![${])[#%@]?\{([A-Za-z_]\w*)\}|\$\(([A-Za-z_]\w*)\)|<([A-Za-z_]\w*)>|(?<=\/)\(([A-Za-z_]\w*)\)(?=\/|$)/g,
  )) {
    const name = match.slice(1).find((one) => (one as string | undefined) !== undefined)!;
    if (match.index < from) continue;
    if (scope.lookup(name)) return told(findings, path, match, `\${${name}}`);
    // A colon and parentheses may stand in a path; braces and < > may not.
    if (!/^[:(]/.test(match[0]))
      told(findings, path, match, {
        hint: `\${${name}} inserts a value, which an input or a step above gives: inputs: { ${name}: {} }`,
      });
  }
  return false;
};

/** `/pieces/${piece}.id`: of an object or list only a member is a part of a path. */
const halfInserted: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(/\$\{([^{}]+)\}((?:\.[A-Za-z_]\w*)+)(?=[/?&#]|$)/g)) {
    const [, value = '', members = ''] = match;
    if (match.index < from || endsAsFile(members)) continue;
    const kind = checkExpression(value, scope).expression?.kind;
    const isItem = scope.lookup(value)?.item === true || /^(?:first|last|at)\(|\[\d+\]$/.test(value);
    const hasMembers = kind !== undefined && (isItem ? mayBe(kind, BIT.object) : isOnly(kind, BIT.object));
    if (hasMembers && checkExpression(value + members, scope).expression)
      return told(findings, path, match, `\${${value}${members}}`);
  }
  return false;
};

/** `/pieces/row.id`: a member of something that has a name. */
const bare: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(/(?<=[/=])([A-Za-z_]\w*)((?:\.[A-Za-z_]\w*)+)(?=[/?&#]|$)/g)) {
    const known = scope.lookup(match[1]!);
    if (match.index < from || !known || known.given || !mayBe(known.kind, BIT.object)) continue;
    const member = match[2]!.slice(1).split('.', 1)[0]!;
    const isMember = known.kind.members ? known.kind.members.has(member) : known.item === true;
    if (isMember && !endsAsFile(match[2]!)) return told(findings, path, match, `\${${match[0]}}`);
  }
  return false;
};

/** `/pieces/piece`, `/pieces/id`: the name of a value behind what it is one of. */
const alone: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(/(?<=\/([A-Za-z]\w*)s\/)(?:([A-Za-z]\w*_)?id|\1)(?=[/?#]|$)/g)) {
    const known = scope.lookup(match[0]);
    if (match.index >= from && known && !known.given && !isOnly(known.kind, BIT.object))
      return told(findings, path, match, `\${${match[0]}}`);
  }
  return false;
};

/** `/pieces/$.id`: a path of the response, which is not there yet. */
const ofResponse: Finder = (findings, path) => {
  const { node, from, scope } = path;
  for (const match of node.text.matchAll(/(?<=[/=])[$@](?:\.[A-Za-z_]\w*|\[\d+\])+(?=[/?&#]|$)/g)) {
    if (match.index < from) continue;
    const name = /\w+(?=\]?$)/.exec(match[0])?.[0] ?? '';
    return told(
      findings,
      path,
      match,
      scope.lookup(name)
        ? `\${${name}}`
        : { hint: 'keep: on an earlier step gives the value a name, and ${name} inserts it' },
    );
  }
  return false;
};
