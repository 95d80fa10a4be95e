import { chainKeys, inputKeys } from './chain/keys/chain-keys.ts';
import { expectationKeys, groupKeys, stepKeys, verbKeys, writeKeys } from './chain/keys/step-keys.ts';
import { callKeys, partKeys } from './chain/keys/call-keys.ts';
import { eachKeys, followKeys, repeatKeys, repeatStepKeys } from './chain/keys/loop-keys.ts';
import {
  callbackKeys,
  idempotencyKeys,
  paceKeys,
  pagesKeys,
  pollKeys,
  retryKeys,
} from './chain/keys/traffic-keys.ts';
import { callbacksKeys, recordsKeys, projectKeys, serviceKeys } from './chain/keys/project-keys.ts';
import type { KeyDefinition } from './chain/source/key-definition.ts';
import { credentialKeys, credentialOriginsKey, credentialTestKey } from './chain/keys/credential-keys.ts';
import { givenNames } from './chain/keys/given-names.ts';
import { signature } from './language/functions/define.ts';
import { functions } from './language/functions/index.ts';
import { kindWords } from './language/kinds.ts';
import { problemCodes } from './problem-codes.ts';

/** Something that `explain` can say. */
export interface Topic {
  /** By which it is asked for. */
  readonly word: string;
  /** What sort of thing it is and where it stands. */
  readonly what: string;
  readonly group: string;
  readonly about: string;
  readonly details: readonly (readonly [label: string, text: string])[];
  readonly examples: readonly string[];
}

const KEY_GROUPS: readonly (readonly [group: string, keys: readonly KeyDefinition[]])[] = [
  ['key of a chain file', chainKeys],
  ['key of an input', inputKeys],
  ['key of a step', verbKeys],
  ['key of a step', stepKeys],
  ['key of a call', callKeys],
  ['key of a part of a multipart body', partKeys],
  ['key of a group', groupKeys],
  ['key of write', writeKeys],
  ['key of an expectation', expectationKeys],
  ['key of an each', eachKeys],
  ['key of a repeat', repeatKeys],
  ['key of a step with repeat', repeatStepKeys],
  ['key of a follow', followKeys],
  ['key of pages', pagesKeys],
  ['key of poll', pollKeys],
  ['key of retry', retryKeys],
  ['key of idempotency', idempotencyKeys],
  ['key of callback', callbackKeys],
  ['key of the project file', projectKeys],
  ['key of a service', serviceKeys],
  ['key of pace', paceKeys],
  ['key of callbacks', callbacksKeys],
  ['key of records', recordsKeys],
];

function keyTopic(group: string, key: KeyDefinition): Topic {
  return {
    word: key.name,
    what: `${group} · ${key.sort}`,
    group: group.replace(/^key/, 'keys'),
    about: key.about,
    details: [
      ['wants', key.wants],
      ...(key.default === undefined ? [] : [['default', key.default] as const]),
      ...(key.required ? [['must be there', 'yes'] as const] : []),
    ],
    examples: [key.example],
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

/** Everything that `explain` knows, in the order in which people meet it. */
export function topics(): Topic[] {
  return [
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
    })),
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
