import { isNumberText, numberOf } from '../../language/numbers.ts';
import type { Value } from '../../language/values.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';
import { almostLiteral } from './text-warnings.ts';

/** What an unquoted scalar denotes besides a text; nothing for a text. */
export function literalValue(findings: Findings, node: ScalarNode, isWire: boolean): Value | undefined {
  const { text } = node;
  if (text === 'true' || text === 'false') return text === 'true';
  if (text === 'null') return null;
  if (isNumberText(text)) return numberOf(text);
  const hint = isWire ? undefined : almostLiteral(text);
  if (hint !== undefined) {
    findings.problem(
      node,
      'wrong-form',
      `${text} is neither a number of JSON nor plainly a text`,
      `${hint}, or "${text}" for the text`,
    );
  }
  return undefined;
}
