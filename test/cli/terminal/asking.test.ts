// Questions at a terminal, with the built program at a pseudo-terminal that `script` makes.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { matching } from '../../../src/cli/terminal/choose.ts';
import { atPrompt, batharon, folderWith, HAS_TERMINAL, PRACTICE } from '../support.ts';

const atTerminal = HAS_TERMINAL ? test : test.skip;

test('what is typed is looked for, and what is just that stands first', () => {
  const choices = ['Book 10', 'Old Book 1', 'Book 1', 'Cup'].map((name) => ({ name }));
  expect(matching(choices, ' book 1 ').map(({ name }) => name)).toEqual(['Book 1', 'Book 10', 'Old Book 1']);
  expect(matching(choices, '')).toBe(choices);
});

const FILES = {
  'batharon.yaml': PRACTICE,
  'ask.chain.yaml': [
    'chain: Glaze a piece',
    'inputs:',
    '  rack: { about: where it stands }',
    '  kind: { kind: choice, choices: [bowl, cup] }',
    '  pin: { kind: secret }',
    '  limit: { kind: number, must: limit <= 50 }',
    'steps:',
    '  - call: GET kiln /glazes',
    "    keep: { names: '$[*].name' }",
    '  - ask: Which glaze for ${kind}?',
    '    name: glaze',
    '    choices: names',
    '    default: cobalt',
    '  - ask: Sure?',
    '    name: sure',
    '    kind: yes-no',
    '  - call: GET kiln /racks/${rack}/pieces',
    "    headers: { X-Pin: '${pin}' }",
    '    query: { limit: 1 }',
    '    expect: sure',
    'results: { glaze: glaze, kind: kind }',
  ].join('\n'),
};

const INPUTS = [
  [/where it stands/, 'A3\r'],
  [/return to choose/, '\u001b[B\r'],
  [/\? .*pin/, 'swordfish\r'],
  [/\? .*limit/, '51\r'],
  [/must satisfy/, '\u007f\u007f50\r'],
] as const;

atTerminal('inputs and questions are answered there, are recorded, and not asked again', async () => {
  const folder = folderWith(FILES);
  const { code, screen } = await atPrompt(folder, 'run ask.chain.yaml', [
    ...INPUTS,
    // All keys at once: what was typed counts, not what was shown meanwhile.
    [/Which glaze for cup\?/, 'cel\r'],
    [/Sure\?/, '\r'],
    [/yes or no[^)]/, 'no\r'],
  ]);
  expect(code).toBe(1);
  expect(screen).toMatch(/passed {2}glaze +.* glaze: celadon/);
  expect(screen).not.toContain('swordfish');
  const runs = join(folder, '.batharon/runs');
  const record = readdirSync(runs)
    .flatMap((run) => readdirSync(join(runs, run)).map((file) => join(runs, run, file)))
    .filter((file) => /\.jsonl?$/.test(file))
    .map((file) => readFileSync(file, 'utf8'))
    .join('');
  expect(record).toContain('"answered"');
  expect(record).not.toContain('swordfish');
  // What is answered is known: only the step that failed is carried out again.
  const resumed = await atPrompt(folder, 'resume last', []);
  expect([resumed.code, /\? .*(?:glaze|Sure)/.test(resumed.screen)]).toEqual([1, false]);
  const replayed = await batharon(folder, ['run', 'ask.chain.yaml', '--replay', 'last']);
  expect([replayed.code, replayed.stderr]).toEqual([1, expect.stringContaining('glaze: celadon')]);
});

atTerminal('Ctrl-C at a question interrupts the run, and at an input ends the command', async () => {
  const folder = folderWith(FILES);
  const asked = await atPrompt(folder, 'run ask.chain.yaml', [...INPUTS, [/Which glaze/, '\u0003']]);
  expect([asked.code, asked.screen]).toEqual([130, expect.stringContaining('interrupted glaze')]);
  const input = await atPrompt(folder, 'run ask.chain.yaml', [[/where it stands/, '\u0003']]);
  expect(input.code).toBe(130);
});

atTerminal.each<[string, NodeJS.ProcessEnv]>([
  ['--no-ask', {}],
  ['', { CI: 'true' }],
])('with %p and %p nobody is asked, at a terminal too', async (option, variables) => {
  const folder = folderWith(FILES);
  const { code, screen } = await atPrompt(folder, `run ask.chain.yaml ${option}`, [], variables);
  expect([code, screen]).toEqual([2, expect.stringContaining('--give kind=bowl|cup')]);
});

test('without a terminal it is what is given, or the default, or an error that lists the choices', async () => {
  const folder = folderWith(FILES);
  const give = ['rack=A3', 'kind=cup', 'pin=swordfish', 'limit=5'].flatMap((one) => ['--give', one]);
  const run = (...more: string[]) => batharon(folder, ['run', 'ask.chain.yaml', ...give, ...more]);
  const none = await run();
  expect([none.code, none.stderr]).toEqual([
    3,
    expect.stringMatching(/nobody is there to answer sure[\s\S]*--give sure=yes/),
  ]);
  const given = await run('--give', 'sure=yes', '--give', 'glaze=tenmoku', '--print', 'glaze');
  expect([given.code, given.stdout]).toEqual([0, 'tenmoku\n']);
  const wrong = await run('--give', 'glaze=temnoku');
  expect([wrong.code, wrong.stderr]).toEqual([
    1,
    expect.stringMatching(/is none of the choices[\s\S]*tenmoku/),
  ]);
});

atTerminal('what a service offers is shown, and never obeyed by the terminal', async () => {
  const hostile = 'a\\u001b[2J\\u001b]0;title\\u0007b';
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'h.chain.yaml': [
      'chain: H',
      'steps:',
      `  - keep: { evil: '"${hostile}"' }`,
      '  - ask: Which ${evil}?',
      '    name: which',
      '    choices: [x, "${evil}"]',
      '  - ask: What?',
      '    name: what',
      '    default: ${evil}',
      'results: { same: evil == what && evil == which }',
    ].join('\n'),
  });
  const { code, screen } = await atPrompt(folder, 'run h.chain.yaml --print same', [
    [/return to choose/, '\u001b[B\r'],
    [/What\?/, '\r'],
  ]);
  expect([code, screen.trim().endsWith('true')]).toEqual([0, true]);
  expect(screen).not.toContain('\u0007');
  expect(screen).not.toContain(']0;title\u0007');
});
