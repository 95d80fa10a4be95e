import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';

const { project } = readProject(
  'batharon.yaml',
  'services: { kiln: { url: https://kiln.example } }\n',
  undefined,
  false,
);

/** What is found in a chain with one input and these lines, with the line put right. */
function found(
  lines: string,
): (readonly [line: number | undefined, message: string, instead: string | undefined])[] {
  const text = `chain: A\ninputs: { rack: {} }\nsteps:\n  - call: GET kiln /racks/\${rack}\n${lines}`;
  return readChain('a.chain.yaml', text, project).findings.map(
    ({ place, message, instead }) => [place?.line, message, instead] as const,
  );
}

test('a key that nobody knows is not moved to where any key may stand', () => {
  expect(found('    headers:\n      Accept: text/csv\n    colour: blue\n')).toEqual([
    [7, 'a call has no key colour', undefined],
  ]);
});

test('no file becomes a text, and no secret one that nobody looks at', () => {
  expect(found('    form:\n      photo: @bowl.png\n').map(([, , line]) => line)).not.toContain(
    'photo: bowl.png',
  );
  const secret = '    json: { api-key: 3f9a1c77d2e84b60a915c3f0, token: 8d1b5c22e9f74a60b133a2c4 }\n';
  expect(found(secret).map(([line, , instead]) => [line, instead])).toEqual([
    [5, undefined],
    [5, undefined],
  ]);
});

test('of mistakes on several lines each is told with its own line', () => {
  expect(
    found('    timeout: 10s;\n    expect:\n      - status = 200\n      - length $.racks > 0\n').map(
      ([line, , instead]) => [line, instead],
    ),
  ).toEqual([
    [5, 'timeout: 10s'],
    [7, '- status == 200'],
    [8, '- length($.racks) > 0'],
  ]);
});

test('what a step above brought about is told once, where it is put right', () => {
  expect(found('    keep:\n      ids: $.ids\n  - that show: ${ids}\n')).toEqual([
    [7, expect.any(String), '- show: ${ids}'],
  ]);
  expect(
    found('    keep:\n      idz: $.ids\n  - wait: 2s\n  - show: ${ids}\n  - show: ${length(ids)}\n'),
  ).toEqual([[6, 'further on this is called ids, not idz', 'ids: $.ids']]);
});

test('a line that only looks as if it were right is not taken: what stands in it is read as text', () => {
  // Two columns further in it would be more of the text above.
  const [[line, , instead]] = found('    expect:\n      - status == 200\n     - status < 300\n') as [
    [number, string, string],
  ];
  expect([line, instead]).toEqual([7, '      - status < 300']);
  expect(found('  - show: hello\n  - blurb\n')).toEqual([[6, 'a step is a map of keys', undefined]]);
});
