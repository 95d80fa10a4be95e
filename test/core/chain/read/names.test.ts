import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT, readProject } from '../../../../src/core/chain/read/read-project.ts';
import { GIVEN_NAMES, RESERVED_NAMES } from '../../../../src/core/chain/keys/given-names.ts';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import { runChain, KILN } from '../../engine/support.ts';

const { project } = readProject('batharon.yaml', KILN, undefined, true);

/** What is found in steps, by line. */
function found(steps: string, before = '', one = project): string[] {
  return readChain('a.chain.yaml', `chain: A\n${before}steps:\n${steps}`, one).findings.map(
    ({ code, hint = '', message, place }) => `${place?.line}: ${code}: ${message} | ${hint}`,
  );
}

test('a step may keep or gather a value under its own name, and steps.NAME is the step', async () => {
  const { of, exit } = await runChain(
    `chain: A
steps:
  - call: GET kiln /docs
    name: docs
    keep: { docs: "$.docs" }
  - each: one in docs
    name: done
    steps:
      - keep: { twice: one * 2 }
    gather: { done: twice }
  - expect:
      - docs == [1, 2]
      - done == [2, 4]
      - steps.docs.status == 200
      - steps.docs.body.docs == docs
      - steps.done.ok && steps.docs.attempts == 1
      - steps.done.iterations[1].ok
`,
    () => ({ json: '{"docs":[1,2]}' }),
    { project: KILN },
  );
  expect(of('expected').map(({ condition, passed, got }) => [condition, passed, got])).toEqual(
    of('expected').map(({ condition }) => [condition, true, undefined]),
  );
  expect([of('expected').length, exit]).toEqual([6, 0]);
});

test('such a name is told with the step after a run was resumed', async () => {
  const chain = `chain: A
steps:
  - call: GET kiln /docs
    name: docs
    keep: { docs: $.docs }
  - call: GET kiln /next
    expect: status == 200 && steps.docs.status == 200 && docs == 'a'
`;
  let isUp = false;
  const respond = ({ url }: { url: string }): { status?: number; json: string } =>
    url.endsWith('/docs') || isUp ? { json: '{"docs":"a"}' } : { status: 500, json: '{}' };
  const record = { keep: () => undefined, durable: () => Promise.resolve() };
  const first = await runChain(chain, respond, { project: KILN, ports: { record } });
  isUp = true;
  const none = { sent: () => false, notSent: () => false };
  const { past } = pastOf(first.events, { open: () => '', body: () => undefined }, none);
  const again = await runChain(chain, respond, { project: KILN, past });
  expect([first.exit, again.exit, again.sent.length]).toEqual([1, 0, 1]);
});

test('a name that the language gives elsewhere may be a name of the chain, with one warning', async () => {
  expect(
    found('  - call: GET kiln /a\n    keep: { url: $.next, text: $.note }\n  - show: ${url} ${text}\n'),
  ).toEqual([
    '4: given-name: url means this name in the whole chain, and no longer the address that answered, after redirects | response.url for the other, or another name here',
    '4: given-name: text means this name in the whole chain, and no longer the body as text | response.text for the other, or another name here',
  ]);
  expect(
    found(
      "  - call: GET kiln /a\n    expect: begins(url, 'http')\n  - call: GET kiln /b\n    keep: { url: $.next }\n",
    ),
  ).toContain(
    '4: unknown-name: url is defined further down, on line 6, and means that in the whole chain | response.url',
  );
  const { of, exit } = await runChain(
    `chain: A
inputs: { size: { default: 7 }, index: { default: 9 }, run: { default: mine } }
steps:
  - call: GET kiln /a
    expect: [ size == 7, response.size > 7, index == 9, run == 'mine', response.status == 200 ]
    keep: { url: $.next }
  - call: GET kiln /b
    expect: [ "url == '/later'", "ends(response.url, '/b')", "response.body.next == $.next" ]
  - each: text in ['x']
    steps:
      - call: GET kiln /\${text}
        expect: [ text == 'x', "contains(response.text, 'later')" ]
  - call: GET kiln /d
    expect: contains(text, 'later')
`,
    () => ({ json: '{"next":"/later"}' }),
    { project: KILN },
  );
  expect(of('expected').filter(({ passed }) => !passed)).toEqual([]);
  expect([of('expected').length, exit]).toEqual([11, 0]);
});

test.each([...RESERVED_NAMES])('%s is never a name of a chain', (name) => {
  expect(found(`  - call: GET kiln /a\n    keep: { "${name}": $.x }\n`).join()).toContain(
    `name-invalid: ${name} is a word of the language`,
  );
});

test('only these words are not to be had, and what can be is known', () => {
  expect([...RESERVED_NAMES].sort()).toEqual(
    'and body false headers in not nothing null or response secret services status steps true values'.split(
      ' ',
    ),
  );
  expect([...GIVEN_NAMES].sort()).toEqual(
    'arrived attempts callback cookies elapsed environment fields gathered index item page received run sent size text trailers type url'.split(
      ' ',
    ),
  );
});

test('a definition of chain or project gives an expression a name and arguments', async () => {
  const { of, exit } = await runChain(
    `chain: A
define:
  gross(price): round(price * rate, 2)
  dearest(list): max(list, gross(@.price))
  hello(): "'hello'"
steps:
  - call: GET kiln /a
    expect:
      - gross(10) == 11.9
      - dearest($.pieces).id == 'b'
      - map($.pieces, gross(@.price)) == [1.19, 2.38]
      - hello() == 'hello' && quoted('x') == "'x'"
      - gross($.none) ?? 0 == 0
`,
    () => ({ json: '{"pieces":[{"id":"a","price":1},{"id":"b","price":2}]}' }),
    { project: `${KILN}values: { rate: 1.19 }\ndefine: { "quoted(t)": "\\"'\\" + t + \\"'\\"" }\n` },
  );
  expect(of('expected').filter(({ passed }) => !passed)).toEqual([]);
  expect([of('expected').length, exit]).toEqual([5, 0]);
});

test('what a definition can’t be is said at its place, and what fails in it with its own', async () => {
  const at = (define: string): string[] => found('  - show: hello\n', `define:\n${define}`);
  expect(at('  gross: 1\n')).toEqual([
    '3: name-invalid: gross does not name a definition and its arguments | gross(value): an expression with value',
  ]);
  expect(at('  upper(x): x\n')).toEqual([
    '3: name-twice: upper is a function of the language | use another name',
  ]);
  expect(at('  twice(x, x): x\n')).toEqual(['3: name-twice: two arguments are called x | use another name']);
  expect(at('  again(x): again(x)\n')[0]).toContain('3: unknown-function: there is no function again');
  expect(at('  first_of(x): one(x)\n  one(x): x[0]\n')[0]).toContain('there is no function one');
  expect(at('  body_of(): $.body\n')).toEqual([
    '3: no-response-here: $ is the response of a step, and a definition knows only its arguments | body_of($) where it is used, and an argument here',
  ]);
  expect(at('  tax(price): price * rate\n')).toEqual([
    '3: unknown-name: rate is neither an argument of tax nor a value of the project | tax(price, rate)',
  ]);
  expect(found('  - show: ${tax(1, 2)}\n', 'define: { tax(price): price * 2 }\n')).toEqual([
    '4: wrong-arguments: tax takes 1 argument, but got 2 | tax(price)',
  ]);
  const { problem } = await runChain(
    'chain: A\ndefine:\n  gross(one): one.price * 2\nsteps:\n  - keep: { a: "gross({ prize: 1 })" }\n',
    () => ({}),
  ).then(({ of }) => of('step-ended')[0]!);
  expect(problem?.message).toBe(
    'in gross (test.chain.yaml:3): one.price found nothing: one has the members prize',
  );
});

test('a step is another one once a definition that it uses is changed', () => {
  const fingerprint = (define: string): string =>
    readChain(
      'a.chain.yaml',
      `chain: A\ndefine:\n${define}steps:\n  - keep: { a: outer(1) }\n`,
      NO_PROJECT,
    ).chain!.steps[0]!.fingerprint();
  const before = fingerprint('  inner(x): x\n  outer(x): inner(x)\n');
  expect(fingerprint('  inner(x): x + 1\n  outer(x): inner(x)\n')).not.toBe(before);
  expect(fingerprint('  inner(x): x\n  other(x): x\n  outer(x): inner(x)\n')).toBe(before);
});

test('definitions that double the work of each other come to an end', async () => {
  const define = Array.from(
    { length: 60 },
    (_, i) => `  f${i}(x): ${i === 0 ? 'x' : `f${i - 1}(x) + f${i - 1}(x)`}\n`,
  );
  const { of } = await runChain(
    `chain: A\ndefine:\n${define.join('')}steps:\n  - keep: { a: f23(1) }\n`,
    () => ({}),
  );
  expect(of('step-ended')[0]!.problem?.code).toBe('too-many-nodes');
});

test('what is joined to a secret is one, whatever is made of it', async () => {
  const { events } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { both: "\'Pw \' + $.password", loud: "upper(\'Pw \' + $.password)" }\n    show: ${loud}\n',
    () => ({ json: '{"password":"celadon-ash-4417"}' }),
    { project: KILN },
  );
  expect(JSON.stringify(events)).not.toMatch(/celadon-ash-4417/i);
});
