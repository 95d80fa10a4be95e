// What `explain` shows is checked against the language: each example is read and checked.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { chainKeys, inputKeys } from '../../src/core/chain/keys/chain-keys.ts';
import { expectationKeys, groupKeys, stepKeys, verbKeys } from '../../src/core/chain/keys/step-keys.ts';
import { askKeys } from '../../src/core/chain/keys/ask-keys.ts';
import { callKeys } from '../../src/core/chain/keys/call-keys.ts';
import type { KeyDefinition } from '../../src/core/chain/source/key-definition.ts';
import { eachKeys, repeatKeys, repeatStepKeys } from '../../src/core/chain/keys/loop-keys.ts';
import {
  callbackKeys,
  idempotencyKeys,
  paceKeys,
  pagesKeys,
  pollKeys,
  retryKeys,
} from '../../src/core/chain/keys/traffic-keys.ts';
import { projectKeys, serviceKeys, teamKeys } from '../../src/core/chain/keys/project-keys.ts';
import { credentialKeys } from '../../src/core/chain/keys/credential-keys.ts';
import { givenNames } from '../../src/core/chain/keys/given-names.ts';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { indent, topics } from '../../src/core/explain/topics.ts';
import { findTopics } from '../../src/core/explain/find-topics.ts';
import { GIVEN_NAMES, RESERVED_NAMES } from '../../src/core/chain/keys/given-names.ts';
import { OAUTH_GRANTS } from '../../src/core/chain/keys/credential-keys.ts';
import { INPUT_KINDS, READ_AS } from '../../src/core/chain/model.ts';
import { GUARDS } from '../../src/core/chain/project.ts';
import { keyHabits } from '../../src/core/chain/source/key-habits.ts';
import { valueHabits } from '../../src/core/chain/source/value-habits.ts';
import { habits } from '../../src/core/language/habits.ts';
import { RESERVED_WORDS } from '../../src/core/language/reserved-words.ts';
import { problemCodes } from '../../src/core/problem-codes.ts';

const names = ['counter', 'desk', 'office', 'archive', 'session', 'signer'];
const projectText = `services: { kiln: { url: "https://kiln.example/v1" } }
credentials:
  counter: { kind: bearer, token: "\${secret.counter}" }
  signer: { kind: message-signature, key-id: a, algorithm: hmac-sha256, key: "\${secret.signer}" }
secrets: { ${names.map((name) => `${name}: env KILN`).join(', ')} }
`;
const { project } = readProject('batharon.yaml', projectText, undefined, true);
const inputs =
  'inputs:\n  rack: { default: A3 }\n  cone: { kind: number, default: 6 }\n  report: { default: x }\n';
const before =
  '  - call: GET kiln /first\n    name: load\n    keep: { pieces: "$.pieces", piece: "$.pieces[0]" }\n';

const otherFile = (path: string): { path: string; text: string } => ({
  path,
  text: 'chain: Clear a rack\ninputs:\n  rack: { about: which }\nsteps:\n  - call: GET kiln /racks/${rack}\n',
});

function chainProblems(text: string): string[] {
  return readChain('example.chain.yaml', text, project, { files: otherFile })
    .findings.filter(({ level }) => level === 'problem')
    .map(({ message }) => message);
}
const steps = (text: string): string => `chain: Example\n${inputs}steps:\n${before}${text}`;
const asItem = (text: string): string => `  - ${indent(text, 4).trimStart()}\n`;

test.each(callKeys)('call: $name', ({ example }) => {
  expect(chainProblems(steps(asItem(`call: POST kiln /a\n${example}`)))).toEqual([]);
});
test.each(verbKeys)('step: $name', ({ example }) => {
  expect(
    chainProblems(steps(example.startsWith('- ') ? `${indent(example, 2)}\n` : asItem(example))),
  ).toEqual([]);
});
test.each(stepKeys)('step: $name', ({ name, example }) => {
  expect(
    chainProblems(
      steps(
        asItem(
          `call: GET kiln /a\n${name === 'name' ? example.replace('load', 'other') : name === 'show' ? example : example}`,
        ),
      ),
    ),
  ).toEqual([]);
});
test.each(askKeys)('ask: $name', ({ name, example }) => {
  const kind = name === 'must' ? 'kind: number\n' : '';
  expect(
    chainProblems(steps(asItem(`ask: Which?\nname: heat\n${kind}${example.replaceAll('cone', 'heat')}`))),
  ).toEqual([]);
});
test.each([...eachKeys, ...repeatStepKeys].filter(({ name }) => name !== 'steps'))(
  'loop: $name',
  ({ name, example }) => {
    const verb = name === 'start' ? 'repeat: { until: index > 3 }' : 'each: one in pieces';
    const inside = '- call: GET kiln /racks\n    name: found\n    keep: { firing: $.id, state: $.state }';
    const text = example.replace('found.state', 'state');
    expect(chainProblems(steps(asItem(`${verb}\nsteps:\n  ${inside}\n${text}`)))).toEqual([]);
  },
);
const INSIDE: readonly (readonly [string, readonly KeyDefinition[], string, readonly string[]])[] = [
  ['pages', pagesKeys, "next: link('next')", ['next', 'next-query', 'next-json']],
  ['poll', pollKeys, "until: $.state == 'done'", ['until']],
  ['retry', retryKeys, 'attempts: 3', ['attempts']],
  ['idempotency', idempotencyKeys, 'header: Kiln-Id', ['header']],
  ['callback', callbackKeys, 'within: 1m', ['within']],
];
test.each(INSIDE.flatMap(([of, keys, byDefault, hint]) => keys.map((key) => ({ of, key, byDefault, hint }))))(
  '$of: $key.name',
  ({ of, key: { name, example }, byDefault, hint }) => {
    const text = hint.includes(name) ? example : `${byDefault}\n${example}`;
    const inside = indent(text.replace('kiln_signature', 'signer').replace('${piece.id}', '${rack}'), 2);
    expect(chainProblems(steps(asItem(`call: POST kiln /a\njson: {}\n${of}:\n${inside}`)))).toEqual([]);
  },
);
test.each(paceKeys)('pace: $name', ({ example }) => {
  const text = `services:\n  kiln:\n    url: https://kiln.example/v1\n    pace:\n${indent(example, 6)}\n`;
  expect(readProject('batharon.yaml', text, undefined, true).findings).toEqual([]);
});
test.each(repeatKeys)('repeat: $name', ({ name, example }) => {
  const text = name === 'until' ? example : `until: state == 'done'\n${example}`;
  const inside = '- call: GET kiln /racks\n    keep: { state: $.state }';
  expect(chainProblems(steps(asItem(`repeat:\n${indent(text, 2)}\nsteps:\n  ${inside}`)))).toEqual([]);
});
test.each(groupKeys)('group: $name', ({ example }) => {
  expect(chainProblems(steps(asItem(`when: rack == 'A3'\nsteps:\n  - show: x\n${example}`)))).toEqual([]);
});
test.each(expectationKeys)('expectation: $name', ({ name, example }) => {
  expect(
    chainProblems(
      steps(
        asItem(
          `call: GET kiln /a\nexpect:\n  - ${name === 'holds' ? example : `holds: $.cone <= 10\n    ${example}`}`,
        ),
      ),
    ),
  ).toEqual([]);
});
test.each(inputKeys)('input: $name', ({ name, example }) => {
  const kind =
    name === 'choices'
      ? '    kind: choice\n'
      : name === 'must'
        ? '    kind: number\n'
        : name === 'columns'
          ? '    kind: rows\n'
          : '';
  const use = name === 'columns' ? 'each: row in cone\n    steps: [{ wait: 1s }]' : 'show: ${cone}';
  expect(
    chainProblems(`chain: Example\ninputs:\n  cone:\n${kind}${indent(example, 4)}\nsteps:\n  - ${use}\n`),
  ).toEqual([]);
});
test.each(chainKeys)('chain: $name', ({ name, example }) => {
  const rest =
    {
      chain: steps('').replace(/^.*\n/, ''),
      inputs: steps('').replace(inputs, ''),
      steps: 'chain: Example\n',
    }[name] ?? steps('');
  expect(
    chainProblems(`${rest.replace(/\n?$/, '\n')}${example.replace('${piece}', '${piece.id}')}\n`),
  ).toEqual([]);
});
test.each(projectKeys)('project: $name', ({ name, example }) => {
  const rest =
    name === 'environments'
      ? 'services: { kiln: { url: "https://test.example" } }\n'
      : name === 'credentials'
        ? 'secrets: { counter: env KILN }\n'
        : name === 'default-environment'
          ? 'environments: { practice: {} }\n'
          : name === 'team'
            ? 'secrets: { redis: env KILN_REDIS, team: env KILN_TEAM }\n'
            : '';
  expect(readProject('batharon.yaml', `${rest}${example}\n`, undefined, true).findings).toEqual([]);
});
test.each(teamKeys)('team: $name', ({ name, example }) => {
  const rest = ['redis', 'key'].filter((key) => key !== name).map((key) => `  ${key}: \${secret.${key}}\n`);
  const text = `secrets: { redis: env KILN_REDIS, team: env KILN_TEAM, key: env KILN_KEY }\nteam:\n${rest.join('')}  ${example}\n`;
  expect(readProject('batharon.yaml', text, undefined, true).findings).toEqual([]);
});
test.each(serviceKeys)('service: $name', ({ name, example }) => {
  const text = projectText.replace(
    /^services.*\n/,
    `services:\n  kiln:\n${name === 'url' ? '' : '    url: practice\n'}${indent(example, 4)}\n`,
  );
  expect(readProject('batharon.yaml', text, undefined, true).findings).toEqual([]);
});
test.each(Object.entries(credentialKeys))('credential: %s', (_, { example }) => {
  const text = `services: { kiln: { url: practice } }\nsecrets: { ${names.map((name) => `${name}: env KILN`).join(', ')} }\ncredentials:\n${indent(example, 2)}\n`;
  expect(readProject('batharon.yaml', text, undefined, true).findings).toEqual([]);
});
const NAME_PLACES: Readonly<Record<string, string>> = {
  index: 'each: one in pieces\nsteps:\n  - keep: { x: index + 1 }',
  gathered: "call: GET kiln /a\npages: { next: link('next') }\nexpect: length(gathered) > 0",
  page: 'call: GET kiln /a\npages: { next-query: { page: "${page + 1}" } }',
  arrived: "call: GET kiln /a\ncallback:\n  when: arrived.body.state == 'done'",
  item: "call: GET kiln /a\nstream: { until: item.event == 'done' }",
  received: 'call: GET kiln /a\nstream: { until: received > 100 }',
  callback: 'call: POST kiln /a\ncallback: { within: 1m }\njson: { notify: "${callback}" }',
};

test.each(givenNames)('name: $name', ({ name, example, where }) => {
  const field = Object.hasOwn(NAME_PLACES, name)
    ? NAME_PLACES[name]!
    : where.startsWith('texts')
      ? `call: GET kiln /a\nheaders:\n  Mark: \${${example}}`
      : where.startsWith('steps below')
        ? `keep:\n  x: ${JSON.stringify(example)}`
        : `call: GET kiln /a\nkeep:\n  x: ${JSON.stringify(example)}`;
  const text = steps(asItem(name === 'environment' ? `show: \${environment ?? 'none'}` : field)).replace(
    'secret.desk',
    'secret.counter',
  );
  expect(chainProblems(text)).toEqual([]);
});

test('each code that is explained is used somewhere, and codes of warnings are no others', () => {
  const sources = readdirSync(new URL('../../src', import.meta.url), { recursive: true, withFileTypes: true })
    .filter((entry) => entry.name.endsWith('.ts') && entry.name !== 'problem-codes.ts')
    .map((entry) => readFileSync(join(entry.parentPath, entry.name), 'utf8'))
    .join('\n');
  expect(Object.keys(problemCodes).filter((code) => !sources.includes(`'${code}'`))).toEqual([]);
});

test('every word is explained, and every code', () => {
  const all = topics();
  for (const { about, word } of all) expect([word, about]).toEqual([word, expect.stringMatching(/.{12,}/)]);
  expect(all.filter(({ group }) => group === 'codes of errors').map(({ word }) => word)).toEqual(
    Object.keys(problemCodes),
  );
});

test.each([
  ['429', 'job: pace and 429'],
  ['loop', 'job: loop'],
  ['pagination', 'job: pages'],
  ['upload', 'job: files up and down'],
  ['rollback', 'job: undo'],
  ['oauth', 'job: sign in'],
  ['regex', 'search'],
  ['operators', 'operators'],
  ['&&', '&&'],
  ['exit codes', 'exit codes'],
  ['escape', '$${'],
  ['csv', 'csv'],
  ['condition', 'condition'],
  ['setting', 'setting'],
  ['order', 'order of a step'],
  ['grants', 'client-credentials'],
  ['precedence', 'operators'],
  ['where', 'files'],
  ['=~', '=~'],
  ['foreach', 'each'],
  ['how to upload a file', 'job: files up and down'],
])('%s leads to %s', (asked, word) => {
  const { named, speaking } = findTopics(topics(), asked);
  expect([...named, ...speaking].map((topic) => topic.word)).toContain(word);
});

test('any word of what is said finds something, and no habit stays unknown', () => {
  const all = topics();
  const words = [
    ...habits().flatMap((habit) => habit.words),
    ...keyHabits().keys(),
    ...valueHabits().map(([word]) => word),
  ];
  const lost = words.filter((word) => {
    const { named, speaking } = findTopics(all, word);
    return named.length + speaking.length === 0;
  });
  expect(lost).toEqual([]);
});

test('explain --all is at most 25,000 words', () => {
  const text = topics().map(({ about, details, examples, what, word }) =>
    [word, what, about, ...details.flat(), ...examples].join(' '),
  );
  expect(text.join(' ').split(/\s+/).length).toBeLessThan(25_000);
});

test('it says every operator, every reserved word, and every word of a setting', () => {
  const all = topics()
    .map((topic) => JSON.stringify(topic))
    .join('\n');
  const words = [
    ...RESERVED_WORDS,
    ...RESERVED_NAMES,
    ...GIVEN_NAMES,
    ...READ_AS,
    ...INPUT_KINDS,
    ...OAUTH_GRANTS,
    ...GUARDS,
  ];
  expect(words.filter((word) => !all.includes(word))).toEqual([]);
});
