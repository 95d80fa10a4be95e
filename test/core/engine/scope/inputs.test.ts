// Inputs and values: their kinds, what they are computed from, and that what was computed stays the same.
import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { NO_PROJECT } from '../../../../src/core/chain/read/read-project.ts';
import { pastOf } from '../../../../src/core/record/past-of-events.ts';
import { bodyText, KILN, plain, runChain } from '../support.ts';

const ok = () => ({ json: '{"ok":true}' });
const kept = { open: () => '', body: () => undefined };
const nobody = { sent: () => false, notSent: () => false };

describe('a default', () => {
  test.each([
    ['100', 'n + 1', 101],
    ['true', '!n', false],
    ['[1, 2]', 'length(n)', 2],
    ['{ a: 1 }', 'n.a', 1],
    ['"100"', "n == '100'", true],
    ['1.10', 'json(n)', '1.10'],
    ['{ kind: text, default: 1.10 }', "n == '1.10'", true],
    ['null', 'n == null', true],
    ['"${1 + 1}"', 'n * 2', 4],
    ['"${now()}"', 'date(n)', '2026-03-01'],
    ['"${now()} "', 'length(n) > 10', true],
  ])('%s gives the input its kind', async (written, expression, value) => {
    const input = written.startsWith('{ kind') ? written : `{ default: ${written} }`;
    const { results, exit } = await runChain(
      `chain: A\ninputs:\n  n: ${input}\nsteps:\n  - expect: 1 + 1 == length([1, 2])\nresults: { x: "${expression}" }\n`,
      ok,
    );
    expect([exit, plain(results)]).toEqual([0, { x: value }]);
  });

  test('uses the project, services, and the inputs above it; nothing else', async () => {
    const project = `${KILN}values:\n  team: glaze\n  batch: \${team}-\${1 + 1}\n`;
    const chain = (text: string): string =>
      `chain: A\ninputs:\n  n: { default: 2 }\n  title: { default: "${text}" }\nsteps:\n  - call: POST kiln /a\n    text: \${title}\n`;
    const { sent } = await runChain(chain('${batch} ${n * 2} ${services.kiln.url}'), ok, { project });
    expect(bodyText(sent[0]!)).toBe('glaze-2 4 https://kiln.example/v1');
    for (const text of ['${later}', '${title}', '${secret.x}', '$.a is ${$.a}'])
      await expect(runChain(chain(text), ok, { project })).rejects.toThrow(
        /nothing defines|no response|not here|only in|no name/i,
      );
  });

  test.each([
    ['007', 'neither a number'],
    ['{ kind: number, default: x }', 'not a number'],
    ['{ kind: number, default: "${uuid()}" }', ''],
  ])('%s is refused', async (written, message) => {
    const input = written.startsWith('{') ? written : `{ default: ${written} }`;
    const text = `chain: A\ninputs:\n  n: ${input}\nsteps:\n  - show: \${n}\n`;
    const { findings } = readChain('a.chain.yaml', text, NO_PROJECT);
    if (message !== '')
      expect(findings.map((one) => one.message)).toEqual([expect.stringContaining(message)]);
    else {
      const { exit, of } = await runChain(text, ok);
      expect([exit, of('run-ended')[0]!.problem?.code]).toEqual([2, 'input-invalid']);
    }
  });
});

test('what is followed has inputs of the same kinds as what is run by itself', async () => {
  const inner =
    'chain: I\ninputs:\n  n: { default: 1 }\n  t: {}\nsteps:\n  - call: POST kiln /i\n    json: { n: "${n + 1}", t: "${t}" }\n';
  const follow = (inputs: string): string =>
    `chain: A\nsteps:\n  - follow: i.chain.yaml\n    inputs: ${inputs}\n`;
  const setting = { project: KILN, chains: { 'i.chain.yaml': inner } };
  const { sent } = await runChain(follow('{ n: "5", t: 7 }'), ok, setting);
  expect(bodyText(sent[0]!)).toBe('{"n":6,"t":"7"}');
  const { of } = await runChain(follow('{ n: x, t: 7 }'), ok, setting);
  expect(of('step-ended')[0]!.problem).toMatchObject({
    code: 'input-invalid',
    message: "the input n: 'x' is not a number",
  });
});

test('what was computed stays the same when a run goes on, in the chains that it follows too', async () => {
  const inner =
    'chain: I\ninputs:\n  mine: { default: "${uuid()}" }\nsteps:\n  - call: GET kiln /i?m=${mine}\n  - call: GET kiln /last\n';
  const outer =
    'chain: A\ninputs:\n  own: { default: "${uuid()}" }\nsteps:\n  - call: GET kiln /a?o=${own}&b=${batch}\n  - follow: i.chain.yaml\n    name: inner\n';
  let draws = 0;
  const setting = {
    project: `${KILN}values: { batch: "\${uuid()}" }\n`,
    // No two draws are alike.
    ports: { chance: { next: () => (draws += 0.0001) % 1 } },
    chains: { 'i.chain.yaml': `${inner}  - call: GET kiln /end?m=\${mine}&b=\${batch}\n` },
  };
  const first = await runChain(outer, ({ url }) => ({ status: url.endsWith('/last') ? 500 : 200 }), setting);
  expect(first.exit).toBe(1);
  const { past } = pastOf(first.events, kept, nobody);
  const second = await runChain(`${outer}  - call: GET kiln /z?o=\${own}\n`, ok, {
    ...setting,
    past,
    inputs: Object.fromEntries(pastOf(first.events, kept, nobody).inputs),
  });
  const of = ({ sent }: typeof first, path: string): string[] =>
    sent.filter(({ url }) => url.includes(path)).map(({ url }) => url.replace(/^.*\?/, ''));
  const [, own, batch] = /o=(.+)&b=(.+)/.exec(of(first, '/a?')[0]!)!;
  expect(of(second, '/end?')).toEqual([`${of(first, '/i?')[0]!}&b=${batch!}`]);
  expect(of(second, '/z?')).toEqual([`o=${own!}`]);
});

describe('a whole object', () => {
  const project = KILN;
  const send = async (lines: string): Promise<Awaited<ReturnType<typeof runChain>>> =>
    runChain(
      `chain: A\nsteps:\n  - call: GET kiln /first\n    keep: { m: $.m }\n  - call: POST kiln /a\n${lines}`,
      () => ({ json: '{"m":{"a b":"1&2","list":["x",null,"y"],"none":null,"n":1.10},"ok":true}' }),
      { project },
    );

  test('gives the parameters of a query and a form', async () => {
    const { sent } = await send('    query: ${m}\n    form: ${m}\n');
    expect(sent[1]!.url).toBe('https://kiln.example/v1/a?a%20b=1%262&list=x&list=y&n=1.10');
    expect(bodyText(sent[1]!)).toBe('a+b=1%262&list=x&list=y&n=1.10');
  });

  test('gives fields, and what can be none is refused', async () => {
    const { sent } = await send('    headers: "${ {\'X-A\': 1, Accept: null} }"\n');
    const fields = new Map(sent[1]!.headers.map(([name, value]) => [name.toLowerCase(), value]));
    expect([fields.get('x-a'), fields.get('accept')]).toEqual(['1', '*/*']);
    for (const object of ["{'a b': 1}", "{a: 'x\\ny'}"]) {
      const { of } = await send(`    headers: '\${ ${object.replaceAll("'", "''")} }'\n`);
      expect(of('step-ended').at(-1)!.problem?.code).toBe('bad-insertion');
    }
  });

  test('is refused where it is none, and where it holds a secret', async () => {
    const { of } = await send('    query: ${m.list ?? 1}\n');
    expect(of('step-ended').at(-1)!.problem?.code).toBe('wrong-kind');
    await expect(send('    query: ${1 + 1}\n')).rejects.toThrow('an object is wanted here');
  });

  test('gives the inputs of a chain that is followed', async () => {
    const inner =
      'chain: I\ninputs:\n  rack: {}\n  n: { default: 1 }\nsteps:\n  - call: GET kiln /${rack}/${n}\n';
    const run = async (object: string): Promise<Awaited<ReturnType<typeof runChain>>> =>
      runChain(`chain: A\nsteps:\n  - follow: i.chain.yaml\n    inputs: "\${ ${object} }"\n`, ok, {
        project,
        chains: { 'i.chain.yaml': inner },
      });
    expect((await run("{rack: 'A3'}")).sent[0]!.url).toMatch(/\/A3\/1$/);
    expect((await run("{rak: 'A3'}")).of('step-ended')[0]!.problem).toMatchObject({
      code: 'input-invalid',
      hint: 'the nearest is rack',
    });
    expect((await run('{n: 2}')).of('step-ended')[0]!.problem?.code).toBe('input-missing');
  });
});

test('an object in a text that is shown stands there as JSON, long ones on several lines, secrets masked whole', async () => {
  const long = 'x'.repeat(90);
  const { of, exit } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    keep: { token: hidden($.t), o: $.o, all: $ }\n    show: "got ${o} and ${all}"\n',
    () => ({ json: `{"o":{"a":[1.10,null]},"t":"s3cr3t-of-clay","long":"${long}"}` }),
    { project: KILN },
  );
  expect([exit, of('shown')[0]!.text]).toEqual([
    0,
    `got {"a":[1.10,null]} and {\n  "o": {\n    "a": [\n      1.10,\n      null\n    ]\n  },\n  "t": "‹secret token›",\n  "long": "${long}"\n}`,
  ]);
});

test('why something must hold takes insertions; what comes to nothing there stays as written', async () => {
  const { of } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /a\n    expect:\n      - { holds: $.n == 2, because: "n is ${$.n}" }\n      - { holds: $.n == 3, because: "m is ${$.m}" }\n',
    () => ({ json: '{"n":1}' }),
    { project: KILN },
  );
  expect(of('expected').map(({ because }) => because)).toEqual(['n is 1', 'm is ${$.m}']);
});

describe('a step that follows a chain', () => {
  const inner =
    'chain: I\nsteps:\n  - call: GET kiln /i\n    keep: { got: $.n }\nresults: { n: got, list: "[got, 2]" }\n';
  const run = async (lines: string): Promise<Awaited<ReturnType<typeof runChain>>> =>
    runChain(`chain: A\nsteps:\n${lines}`, () => ({ json: '{"n":1}' }), {
      project: KILN,
      chains: { 'i.chain.yaml': inner },
    });

  test('expects, keeps and shows what that chain gives', async () => {
    const { exit, of } = await run(
      '  - follow: i.chain.yaml\n    expect: n == 1 && length(list) == 2\n    keep: { twice: n * 2 }\n    show: got ${n}, ${twice}\n',
    );
    expect([exit, of('shown')[0]!.text]).toEqual([0, 'got 1, 2']);
    expect((await run('  - follow: i.chain.yaml\n    expect: n == 2\n')).exit).toBe(1);
  });

  test('does not guess which of two is meant', async () => {
    const kept = '  - keep: { n: "5" }\n  - follow: i.chain.yaml\n    name: inner\n';
    await expect(run(`${kept}    expect: n == 1\n`)).rejects.toThrow("can't be told which is meant");
    expect(
      (await run(`${kept}    expect: length(list) == 2\n  - expect: inner.n == 1 && n == 5\n`)).exit,
    ).toBe(0);
  });
});
