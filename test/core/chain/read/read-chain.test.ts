import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { findings, project, shown, steps } from '../support.ts';

test('a chain without fault has no findings', () => {
  const text = `${steps(`  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { state: waiting, tag: [a, b], empty: "\${nothing ?? nothing}" }
    expect: [ status == 200, length($.pieces) > 0 ]
    keep:
      first: $.pieces[0].id
      made: { at: "$.pieces[0].made", all: "$.pieces[*].id" }
  - when: list.ok && studio == 'north'
    name: fire
    steps:
      - call: POST kiln /firings
        json: { piece: "\${first}", cone: "\${cone}", quoted: "6" }
        keep: { firing: $.id }
    else:
      - keep: { firing: "'none'" }
  - wait: 2s
  - show: \${firing} on \${rack} of \${join(made.all, ',')}
`)}inputs: { rack: { default: A3 }, cone: { kind: number, default: 6, must: cone > 0 } }
cleanup:
  - call: DELETE kiln /firings/\${firing}
results: { firing: firing, list: made.all }
`;
  expect(findings(text).map(shown)).toEqual([]);
});

test('all problems of a file are found in one go, in its order', () => {
  const text =
    'chain: Test\ninputs:\n  unused: {}\nsteps:\n  - call: GET kiln /${a}\n    expect: [ b == 1, c == 2 ]\n  - wiat: 2s\nresults: { x: d }\n';
  expect(findings(text).map(({ place }) => place?.line)).toEqual([5, 6, 7, 8]);
});

test.each(['', 'just text', '- a\n- b\n', 'chain: x\n', 'steps: []\nchain: x\n'])(
  '%j is no chain',
  (text) => {
    const { chain, findings: found } = readChain('a.chain.yaml', text, project);
    expect(chain).toBeUndefined();
    expect(found.length).toBeGreaterThan(0);
  },
);
