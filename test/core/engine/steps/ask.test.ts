// Questions to a person, on a virtual clock with scripted responses and a scripted person.
import { expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import type { Answer, Question } from '../../../../src/core/ports.ts';
import { Turns } from '../../../../src/io/in-turn.ts';
import { KILN, runChain, type RunSetting } from '../support.ts';

const options: RunSetting = { project: KILN, allowUnexplained: true };
const json = () => ({ json: '{"glazes":["ash","celadon"],"prices":{"Ash, matt":4.5,"Cobalt":7}}' });

/** A person who says the same to every question. */
const person = (answer: Answer | undefined, asked: Question[] = []): RunSetting => ({
  ...options,
  ports: {
    ask: (question) => {
      asked.push(question);
      return Promise.resolve(answer);
    },
  },
});
const chain = (ask: string, more = ''): string =>
  `chain: A\nsteps:\n  - call: GET kiln /glazes\n    keep: { glazes: $.glazes, prices: $.prices }\n  - ask: Which of \${length(glazes)}?\n    name: it\n${ask}${more}results: { it: it }\n`;

test.each<[string, string, Answer, unknown]>([
  ['a choice out of a response', '    choices: glazes\n', 1, 'celadon'],
  ['a choice by its label', '    choices: prices\n', 0, 4.5],
  ['a choice as written', '    choices: [ash, 6]\n', 1, 6],
  ['a choice with labels', '    choices: { Low: 1, High: 9 }\n', 1, 9],
  ['a text', '', 'x', 'x'],
  ['a number', '    kind: number\n', '12', 12],
  ['a number by its default', '    default: 3\n', '4', 4],
  ['yes or no', '    kind: yes-no\n', false, false],
])('%s is what the name means', async (_, ask, answer, expected) => {
  const asked: Question[] = [];
  const { exit, results, events } = await runChain(chain(ask), json, person(answer, asked));
  expect([exit, results.get('it')]).toEqual([0, expected]);
  expect(asked[0]?.text).toBe('Which of 2?');
  expect(events.filter(({ event }) => event === 'asked' || event === 'answered')).toMatchObject([
    { event: 'asked', step: 'it' },
    { by: 'person' },
  ]);
});

test('what will not do is said, and not taken', async () => {
  const asked: Question[] = [];
  const ask = '    kind: number\n    must: it < 10\n';
  const { exit, events } = await runChain(chain(ask), json, person('12', asked));
  expect(asked[0]!.check('x')).toContain("'x' is not a number");
  expect(asked[0]!.check('12')).toContain('must satisfy it < 10, but is 12');
  expect(asked[0]!.check('9')).toBeUndefined();
  // A port that does not obey changes nothing.
  expect([exit, events.at(-1)]).toEqual([1, expect.objectContaining({ outcome: 'failed' })]);
});

test.each<[string, string, Record<string, string>, number, unknown]>([
  ['what was given', '    choices: prices\n', { it: 'Cobalt' }, 0, 7],
  ['the default', '    choices: glazes\n    default: celadon\n', {}, 0, 'celadon'],
  ['a wrong thing given', '    choices: glazes\n', { it: 'celadn' }, 1, 'celadon'],
  ['nothing', '    choices: glazes\n', {}, 3, '--give it=ash, or default: on the step'],
])('without a person it is %s', async (_, ask, given, exit, expected) => {
  const ran = await runChain(chain(ask), json, { ...options, answers: new Map(Object.entries(given)) });
  const hint = ran.events.flatMap((one) => (one.event === 'step-ended' ? [one.problem?.hint] : [])).at(-1);
  expect([ran.exit, exit === 0 ? ran.results.get('it') : hint]).toEqual([exit, expected]);
});

test('a secret is hidden from then on, whatever it comes to', async () => {
  const { events, results, sent } = await runChain(
    "chain: A\nsteps:\n  - ask: Code of password=qz7?\n    name: code\n    kind: secret\n  - call: GET kiln /a\n    headers: { X-Code: '${code}' }\n    keep: { upper: upper(code) }\nresults: { upper: upper }\n",
    () => ({ json: '"the code is swordfish"' }),
    person('swordfish'),
  );
  expect(sent[0]?.headers).toContainEqual(['X-Code', 'swordfish']);
  expect(results.get('upper')).toBe('SWORDFISH');
  expect(JSON.stringify(events)).not.toMatch(/swordfish|qz7/i);
});

test('one question at a time, while other iterations go on', async () => {
  let [open, most] = [0, 0];
  const order: string[] = [];
  const { exit, results } = await runChain(
    'chain: A\nsteps:\n  - each: i in [1, 2, 3, 4]\n    at-once: 4\n    steps:\n      - ask: Which for ${i}?\n        name: which\n        when: i <= 2\n      - call: GET kiln /${i}\n    gather: { all: i }\nresults: { all: all }\n',
    ({ url }) => {
      order.push(url.slice(-1));
      return { json: '{}' };
    },
    {
      ...options,
      around: (ports) => ({
        ...ports,
        ask: new Turns().take(async (question: Question) => {
          most = Math.max(most, ++open);
          await new Promise<void>((resolve) => ports.clock.timer(1000, resolve));
          open--;
          return question.text;
        }),
      }),
    },
  );
  expect([exit, most, results.get('all')]).toEqual([0, 1, [1, 2, 3, 4]]);
  expect(order.slice(0, 2).toSorted()).toEqual(['3', '4']);
});

test.each<[string, string, string]>([
  ['no name', '  - ask: Which?\n', 'an answer needs a name, by which later steps use it'],
  ['a choice without choices', '  - { ask: Which?, name: a, kind: choice }\n', 'a choice needs choices'],
  [
    'a kind besides choices',
    '  - { ask: W?, name: a, kind: number, choices: [b] }\n',
    'of the kind of the choices',
  ],
  [
    'a default that is none',
    '  - { ask: Which?, name: a, default: c, choices: [b] }\n',
    'c is none of the choices',
  ],
  [
    'a default of another kind',
    '  - { ask: W?, name: a, kind: number, default: c }\n',
    "'c' is not a number",
  ],
  [
    'a secret in the file',
    '  - { ask: W?, name: a, kind: secret, default: c }\n',
    'a secret has no default in a file',
  ],
  [
    'choices out of a response that there is not',
    '  - { ask: W?, name: a, choices: $.x }\n',
    'this step sends nothing',
  ],
  ['choices that are none', '  - { ask: W?, name: a, choices: length("x") }\n', 'choices are a list'],
  [
    'a question at the end',
    '  - wait: 1s\ncleanup:\n  - { ask: W?, name: a }\n',
    'nobody is asked at the end',
  ],
  ['a question in undo', '  - { wait: 1s, undo: [{ ask: W?, name: a }] }\n', 'nobody is asked at the end'],
])('%s is found before anything is sent', (_, steps, expected) => {
  const { project } = readProject('batharon.yaml', KILN, undefined, true);
  const { findings } = readChain('a.chain.yaml', `chain: A\nsteps:\n${steps}`, project);
  expect(findings.map(({ message }) => message).join()).toContain(expected);
});

test('questions of different sorts wait for one another, and one that fails holds up none', async () => {
  const turns = new Turns();
  const said: string[] = [];
  const slow = turns.take(async (what: string) => {
    said.push(`begin ${what}`);
    await new Promise((resolve) => setImmediate(resolve));
    said.push(`end ${what}`);
    if (what === 'bad') throw new Error('bad');
  });
  const other = turns.take((what: string) => Promise.resolve(said.push(what)));
  await Promise.allSettled([slow('a'), other('b'), slow('bad'), other('c')]);
  expect(said).toEqual(['begin a', 'end a', 'b', 'begin bad', 'end bad', 'c']);
});
