import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { FILES } from './files.ts';

const { project } = readProject('batharon.yaml', FILES['batharon.yaml'], undefined, true);

/** Steps that stand by themselves; `N` is a number that no other step has. */
const STEPS = [
  `  - call: GET kiln /racks/\${rack}/pieces
    name: listN
    query: { state: waiting, limit: "\${limit}" }
    expect: [ status == 200, "length($.pieces) > 0" ]
    keep:
      idsN: $.pieces[*].id
  - each: oneN in idsN
    steps:
      - call: GET kiln /pieces/\${oneN}
        keep: { priceN: number($.price) }
    gather:
      pricesN: priceN
  - show: \${sum(pricesN)} for \${length(idsN)}
`,
  `  - call: POST kiln /firings
    name: loadN
    json:
      rack: \${rack}
      cone: 6
      tags: [night, day]
    retry: { attempts: 3, wait: 1s..5s }
    keep: { firingN: $.id }
  - call: GET kiln /firings/\${firingN}
    poll:
      until: $.state == 'done'
      while: $.state in ['waiting', 'heating']
      every: 2s
      within: 5m
`,
  `  - when: limit > 3 && rack != 'B1'
    steps:
      - wait: 2s
      - show: 'rack: \${rack}'
    else:
      - show: nothing to do
`,
  `  - call: GET kiln /glazes
    timeout: { connect: 2s, total: 10s }
    headers:
      Accept-Language: en
    expect:
      - holds: every($.glazes, @.cone <= 10)
        because: the kiln goes no higher
      - headers['Content-Type'] == "application/json"
`,
  `  - repeat:
      until: leftN == 0
      up-to: 10
    start: { leftN: "3" }
    steps:
      - keep: { leftN: leftN - 1 }
  - write:
      to: rows.csv
      row:
        left: \${leftN}
        day: \${date(now())}
`,
] as const;

const chain = fc.array(fc.integer({ min: 0, max: STEPS.length - 1 }), { minLength: 1, maxLength: 4 }).map(
  (picks) => `chain: Any
inputs:
  rack: { default: A3 }
  limit: { kind: number, default: 5 }
steps:
${picks.map((pick, i) => STEPS[pick]!.replace(/(?<=[a-z])N\b/g, String(i))).join('')}results:
  rack: rack
  limit: limit
`,
);

/** What a hand does to a file without meaning to. */
const edit = fc.record({
  kind: fc.constantFrom('drop', 'double', 'swap', 'indent', 'outdent', 'unquote'),
  at: fc.nat(),
});

function edited(text: string, { kind, at }: { readonly kind: string; readonly at: number }): string {
  const i = at % (text.length - 1);
  const lines = text.split('\n');
  const line = at % (lines.length - 1);
  switch (kind) {
    case 'drop':
      return text.slice(0, i) + text.slice(i + 1);
    case 'double':
      return text.slice(0, i) + text[i]! + text.slice(i);
    case 'swap':
      return text.slice(0, i) + text[i + 1]! + text[i]! + text.slice(i + 2);
    case 'indent':
      return lines.with(line, ` ${lines[line]!}`).join('\n');
    case 'outdent':
      return lines.with(line, lines[line]!.replace(/^ /, '')).join('\n');
    default: {
      const quotes = [...text.matchAll(/['"]/g)];
      const quote = quotes[at % Math.max(1, quotes.length)]?.index ?? 0;
      return text.slice(0, quote) + text.slice(quote + 1);
    }
  }
}

test('one slip gives at most two messages, each with its place', () => {
  fc.assert(
    fc.property(chain, edit, (text, slip) => {
      expect(readChain('a.chain.yaml', text, project).findings).toEqual([]);
      const wrong = edited(text, slip);
      const { findings } = readChain('a.chain.yaml', wrong, project);
      for (const { place } of findings) expect(place).toBeDefined();
      const said = findings.map(
        ({ code, message, place }) => `${place?.line}:${place?.column} ${code} ${message}`,
      );
      expect({ said, is: said.length <= 2 }).toEqual({ said, is: true });
    }),
    { numRuns: process.env.PROVE ? 1500 : 250 },
  );
});
