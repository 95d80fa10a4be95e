import { GIVEN_NAMES, meaningOf, OF_STREAMS, otherwiseCalled, RESERVED_NAMES } from '../keys/given-names.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/** Holds a name to what expressions can reach; says so where the language gives it as well. */
export function checkName(findings: Findings, node: ScalarNode): boolean {
  const { text } = node;
  if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(text)) {
    const near = text.replace(/[^A-Za-z0-9]+/g, '_').replace(/^[^A-Za-z]+|_+$/g, '');
    findings.problem(
      node,
      'name-invalid',
      `${text} can't be a name: a name is a letter, then letters, digits and _`,
      near === '' ? undefined : findings.becomes(node, near),
    );
    return false;
  }
  if (RESERVED_NAMES.has(text)) {
    findings.problem(
      node,
      'name-invalid',
      `${text} is a word of the language`,
      `${text}_1, or a name that says what it is for`,
    );
    return false;
  }
  if (GIVEN_NAMES.has(text) && !OF_STREAMS.has(text)) {
    const other = otherwiseCalled(text);
    findings.warn(
      node,
      'given-name',
      `${text} means this name in the whole chain, and no longer ${meaningOf(text)}`,
      other === undefined ? 'another name' : `${other} for the other, or another name here`,
    );
  }
  return true;
}
