import { chainKeys, inputKeys } from '../chain/keys/chain-keys.ts';
import { expectationKeys, groupKeys, stepKeys, verbKeys, writeKeys } from '../chain/keys/step-keys.ts';
import { askKeys } from '../chain/keys/ask-keys.ts';
import { callKeys, fileKeys, partKeys } from '../chain/keys/call-keys.ts';
import { eachKeys, followKeys, repeatKeys, repeatStepKeys } from '../chain/keys/loop-keys.ts';
import {
  callbackKeys,
  idempotencyKeys,
  paceKeys,
  pagesKeys,
  pollKeys,
  retryKeys,
} from '../chain/keys/traffic-keys.ts';
import {
  callbacksKeys,
  recordsKeys,
  projectKeys,
  serviceKeys,
  teamKeys,
} from '../chain/keys/project-keys.ts';
import { streamKeys } from '../chain/keys/stream-keys.ts';
import type { KeyDefinition } from '../chain/source/key-definition.ts';
import {
  credentialKeys,
  credentialOriginsKey,
  credentialTestKey,
  GRANT_NEEDS,
  OAUTH_GRANTS,
} from '../chain/keys/credential-keys.ts';
import { givenNames } from '../chain/keys/given-names.ts';
import { signature } from '../language/functions/define.ts';
import { functions } from '../language/functions/index.ts';
import { kindWords } from '../language/kinds.ts';
import { problemCodes } from '../problem-codes.ts';
import { keyHabits } from '../chain/source/key-habits.ts';
import { valueHabits } from '../chain/source/value-habits.ts';
import { habits, otherNames } from '../language/habits.ts';
import { jobTopics } from './jobs.ts';
import { languageTopics } from './language-topics.ts';
import type { Topic } from './topic.ts';
import { INPUT_KIND_WORDS, READ_AS_WORDS } from './value-words.ts';

const KEY_GROUPS: readonly (readonly [group: string, keys: readonly KeyDefinition[]])[] = [
  ['key of a chain file', chainKeys],
  ['key of an input', inputKeys],
  ['key of a step', verbKeys],
  ['key of a step', stepKeys],
  ['key of a call', callKeys],
  ['key of a part of a multipart body', partKeys],
  ['key of a file as body', fileKeys],
  ['key of a group', groupKeys],
  ['key of write', writeKeys],
  ['key of an expectation', expectationKeys],
  ['key of an ask', askKeys],
  ['key of an each', eachKeys],
  ['key of a repeat', repeatKeys],
  ['key of a step with repeat', repeatStepKeys],
  ['key of a follow', followKeys],
  ['key of pages', pagesKeys],
  ['key of poll', pollKeys],
  ['key of stream', streamKeys],
  ['key of retry', retryKeys],
  ['key of idempotency', idempotencyKeys],
  ['key of callback', callbackKeys],
  ['key of the project file', projectKeys],
  ['key of a service', serviceKeys],
  ['key of pace', paceKeys],
  ['key of callbacks', callbacksKeys],
  ['key of records', recordsKeys],
  ['key of team', teamKeys],
];

/** The keys that stand with a key, or inside of what it takes. */
const GOES_WITH: Readonly<Record<string, readonly KeyDefinition[]>> = {
  call: callKeys,
  ask: askKeys,
  each: eachKeys,
  repeat: [...repeatKeys, ...repeatStepKeys],
  follow: followKeys,
  steps: groupKeys,
  write: writeKeys,
  expect: expectationKeys,
  inputs: inputKeys,
  multipart: partKeys,
  file: fileKeys,
  pages: pagesKeys,
  poll: [...pollKeys, ...callKeys.filter(({ name }) => name === 'retry')],
  stream: streamKeys,
  retry: retryKeys,
  idempotency: idempotencyKeys,
  callback: callbackKeys,
  services: serviceKeys,
  pace: paceKeys,
  callbacks: callbacksKeys,
  records: recordsKeys,
  team: teamKeys,
};

/** The page of the documentation on which a group of keys, or a key, is described. */
const PAGES: Readonly<Record<string, string>> = {
  'key of an ask': 'docs/asking.md',
  'key of an each': 'docs/looping.md',
  'key of a repeat': 'docs/looping.md',
  'key of a step with repeat': 'docs/looping.md',
  'key of a follow': 'docs/looping.md',
  'key of write': 'docs/looping.md',
  'key of pages': 'docs/paging.md',
  'key of poll': 'docs/polling.md',
  'key of stream': 'docs/streams.md',
  'key of callback': 'docs/polling.md',
  'key of callbacks': 'docs/polling.md',
  'key of retry': 'docs/limits.md',
  'key of idempotency': 'docs/limits.md',
  'key of pace': 'docs/limits.md',
  'key of records': 'docs/record.md',
  'key of team': 'docs/teams.md',
  'key of an each: spread': 'docs/teams.md',
  team: 'docs/teams.md',
  contract: 'docs/contracts.md',
  description: 'docs/contracts.md',
  shapes: 'docs/contracts.md',
  ask: 'docs/asking.md',
  each: 'docs/looping.md',
  title: 'docs/tables.md',
  'on-fail': 'docs/tables.md',
  repeat: 'docs/looping.md',
  follow: 'docs/looping.md',
  undo: 'docs/looping.md',
  write: 'docs/looping.md',
  pages: 'docs/paging.md',
  poll: 'docs/polling.md',
  callback: 'docs/polling.md',
  callbacks: 'docs/polling.md',
  retry: 'docs/limits.md',
  idempotency: 'docs/limits.md',
  repeatable: 'docs/limits.md',
  pace: 'docs/limits.md',
  secrets: 'docs/security.md',
  guard: 'docs/security.md',
  mask: 'docs/security.md',
  records: 'docs/record.md',
};

/** Words of other programs that mean a key here. */
const OTHER_WORDS: ReadonlyMap<string, readonly string[]> = (() => {
  const words = new Map<string, string[]>();
  for (const [word, keys] of keyHabits())
    for (const key of keys) words.set(key, [...(words.get(key) ?? []), word]);
  return words;
})();

/** What people look for that is no key elsewhere. */
const MORE_WORDS: Readonly<Record<string, readonly string[]>> = {
  team: ['distributed', 'cluster', 'machines', 'agents', 'valkey', 'workers', 'worker', 'scale'],
  spread: ['distribute', 'workers', 'worker', 'parallel machines', 'queue'],
};

function keyTopic(group: string, key: KeyDefinition): Topic {
  const inside = (GOES_WITH[key.name] ?? []).map(({ name }) => name);
  return {
    word: key.name,
    what: `${group} · ${key.sort}`,
    group: group.replace(/^key/, 'keys'),
    about: key.about,
    details: [
      ['wants', key.wants],
      [
        'may be left out',
        key.required ? 'no' : key.default === undefined ? 'yes' : `yes; then ${key.default}`,
      ],
      ...(inside.length > 0 ? [['goes with', [...new Set(inside)].join(', ')] as const] : []),
      ['page', PAGES[`${group}: ${key.name}`] ?? PAGES[group] ?? PAGES[key.name] ?? 'docs/language.md'],
    ],
    examples: [key.example],
    also: [
      ...(MORE_WORDS[key.name] ?? []),
      ...(OTHER_WORDS.get(key.name) ?? []),
      ...valueHabits()
        .filter(([, of]) => of === key.name)
        .map(([word]) => word),
    ],
  };
}

const VALUE_KINDS: readonly (readonly [word: string, about: string, example: string])[] = [
  ['null', 'The null of JSON. It is a value; nothing is none.', '$.glaze == null'],
  [
    'yes or no',
    'true or false. Only these decide a condition; no other value counts as either.',
    '$.glazed == true',
  ],
  [
    'number',
    'A decimal, exactly as its text denotes it: 12.50 keeps its zero, an integer beyond 2^53 its digits.',
    '$.price * 1.19',
  ],
  [
    'text',
    'Characters, counted and ordered by code points. In an expression it is written in single or double quotes.',
    "$.name == 'moon jar'",
  ],
  ['list', 'Items in order; places count from 0.', "$.state in ['waiting', 'fired']"],
  ['object', 'Members by name.', '{ id: $.id, cone: 6 }'],
  ['time', 'An instant. A time in a response is text until time(…) reads it.', 'time($.made) < now()'],
  ['duration', 'A length of time: 250ms, 1.5h, 1h30m.', 'elapsed < 800ms'],
  [
    'bytes',
    'What base64, hex and digests work on, and the body of a response that is no text.',
    "hex(digest($.name, 'sha-256'))",
  ],
  [
    'nothing',
    'What a path gives that finds nothing. In a field it is an error that says how far the path got; a ?? b gives b in its place.',
    "$.glaze ?? 'none'",
  ],
];

/** What a word of other programs means here. */
function habitTopics(): Topic[] {
  const renamed = otherNames();
  return habits()
    .filter(({ words }) => !words.every((word) => renamed.has(word)))
    .map(({ words, say, example: [elsewhere, here] }) => ({
      word: words[0]!,
      what: 'habit of other languages',
      group: 'habits of other languages',
      about: `${say}.`,
      details: [],
      examples: [`${elsewhere}  is written  ${here}`],
      also: words,
    }));
}

/** Functions by the names that they have elsewhere. */
const FUNCTION_WORDS: ReadonlyMap<string, readonly string[]> = (() => {
  const words = new Map<string, string[]>();
  for (const [other, here] of otherNames()) words.set(here, [...(words.get(here) ?? []), other]);
  return words;
})();

/** Values of keys that have words of their own. */
function wordTopics(): Topic[] {
  const rows = (
    group: string,
    what: string,
    words: Readonly<Record<string, readonly [about: string, also: string]>>,
  ): Topic[] =>
    Object.entries(words).map(([word, [about, also]]) => ({
      word,
      what,
      group,
      about,
      details: [],
      examples: [],
      also: [
        ...also.split(', '),
        ...valueHabits()
          .filter(([, key, value]) => value === word && what.endsWith(key))
          .map(([other]) => other),
      ],
    }));
  return [
    ...rows('kinds of input', 'value of kind', INPUT_KIND_WORDS),
    ...rows('ways to read a body', 'value of read-as', READ_AS_WORDS),
    ...OAUTH_GRANTS.map((grant): Topic => ({
      word: grant,
      what: 'value of grant',
      group: 'grants of OAuth 2.0',
      about: `A grant of a credential of kind oauth2. It needs ${GRANT_NEEDS[grant].join(', ') || 'nothing besides the client'}.`,
      details: [['page', 'docs/credentials/oauth2.md']],
      examples: [`desk: { kind: oauth2, grant: ${grant}, … }`],
      also: [
        'grant',
        'grants',
        'oauth',
        ...valueHabits()
          .filter(([, of, value]) => of === 'grant' && value === grant)
          .map(([word]) => word),
      ],
    })),
  ];
}

/** Everything that `explain` knows, in the order in which people meet it. */
export function topics(): Topic[] {
  return [
    ...jobTopics,
    ...languageTopics,
    ...KEY_GROUPS.flatMap(([group, keys]) => keys.map((key) => keyTopic(group, key))),
    ...Object.entries(credentialKeys).map(([kind, { about, keys, example }]): Topic => ({
      word: kind,
      what: 'kind of credential',
      group: 'kinds of credential',
      about,
      details: keys.map(
        ({ name, about: what, required }) => [name, `${what}${required ? '' : ' May be left out.'}`] as const,
      ),
      examples: [`credentials:\n${indent(example, 2)}`],
      also: [
        ...valueHabits()
          .filter(([, of, value]) => of === 'credential' && value === kind)
          .map(([word]) => word),
        ...keys.flatMap(({ name }) => OTHER_WORDS.get(name) ?? []),
      ],
    })),
    keyTopic('credentials', credentialOriginsKey),
    keyTopic('credentials', credentialTestKey),
    ...givenNames.map(({ name, where, about, example }): Topic => ({
      word: name,
      what: `name in ${where}`,
      group: 'names',
      about,
      details: [],
      examples: [example],
    })),
    ...VALUE_KINDS.map(([word, about, example]): Topic => ({
      word,
      what: 'kind of value',
      group: 'kinds of value',
      about,
      details: [],
      examples: [example],
    })),
    ...[...functions.values()].map((definition): Topic => ({
      word: definition.name,
      what: `function · ${definition.family}`,
      group: `functions: ${definition.family}`,
      about: definition.about,
      details: [
        ['written', signature(definition)],
        ...definition.parameters
          .filter(({ passing }) => passing === 'value')
          .map(({ name, bits }) => [name, bits > 1000 ? 'any value' : kindWords(bits)] as const),
      ],
      examples: definition.examples.map(([expression, result]) => `${expression}  gives  ${result}`),
      also: FUNCTION_WORDS.get(definition.name) ?? [],
    })),
    ...wordTopics(),
    ...habitTopics(),
    ...Object.entries(problemCodes).map(([code, { means, level }]): Topic => ({
      word: code,
      what: level === 'warning' ? 'code of a warning' : 'code of an error',
      group: 'codes of errors',
      about: means,
      details: [],
      examples: [],
    })),
  ];
}

export function indent(text: string, blanks: number): string {
  return text.replace(/^(?=.)/gm, ' '.repeat(blanks));
}
