import { nearest } from '../../language/nearest.ts';
import { problemCodes } from '../../problem-codes.ts';
import { NONE } from '../source/key-definition.ts';
import type { SourceNode } from '../source/source-file.ts';
import type { StepReader } from './step-reader.ts';

/** What turns it off, which is how it is without it. */
const OFF: ReadonlySet<string> = new Set([NONE, 'no', 'false']);

/** Codes of problems with one of which a call has to fail. */
export function readMustFail(
  { fields }: StepReader,
  node: SourceNode | undefined,
): readonly string[] | undefined {
  if (!node || (node.type === 'scalar' && OFF.has(node.text))) return undefined;
  const items = node.type === 'list' ? node.items : [node];
  return items.flatMap((item) => {
    const code = fields.literal(item);
    if (code === undefined) return [];
    if (/^[1-5](?:\d\d|xx)$/.test(code) && item.type === 'scalar') {
      const { file } = fields.findings;
      const start = file.text.lastIndexOf('must-fail', item.range[0]);
      const text = `expect: status == ${code}`;
      fields.findings.problem(
        item,
        'wrong-form',
        'a status that is wanted is expected, and then nothing fails',
        {
          hint: text,
          ...(item === node ? { change: { range: [start, item.range[1]], text } } : {}),
        },
      );
    } else if (!Object.hasOwn(problemCodes, code))
      fields.findings.problem(
        item,
        'wrong-form',
        `there is no error code ${code}`,
        fields.findings.nearest(
          item,
          nearest(code, Object.keys(problemCodes)),
          'batharon explain errors lists them; not-as-expected is a failed expectation',
        ),
      );
    return [code];
  });
}
