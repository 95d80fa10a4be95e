import * as z from 'zod';
import {
  type KeyDefinition,
  amount,
  count,
  duration,
  map,
  pause,
  shapeOf,
  text,
  yesNo,
} from '../source/key-definition.ts';

/** The keys of `pages`. */
export const pagesKeys: readonly KeyDefinition[] = [
  {
    name: 'next',
    sort: 'value expression',
    shape: text,
    wants: 'an expression',
    about:
      'The address of the next page, as it came in the response. Nothing, null or an empty text ends it.',
    example: "next: link('next')",
  },
  {
    name: 'next-query',
    sort: 'typed text',
    shape: map,
    wants: 'a map of names and values',
    about:
      'Parameters of the URL that lead to the next page. `page` is the page that came, from 1. An insertion that gives nothing, null or an empty text ends it.',
    example: 'next-query:\n  page: ${page + 1}',
  },
  {
    name: 'next-json',
    sort: 'typed text',
    shape: map,
    wants: 'a map of names and values',
    about:
      'Members of the JSON body that lead to the next page. An insertion that gives nothing, null or an empty text ends it.',
    example: 'next-json:\n  cursor: ${$.next_cursor}',
  },
  {
    name: 'items',
    sort: 'value expression',
    shape: text,
    wants: 'an expression',
    default: '$',
    about: 'The items of a page. Those of all pages together are `gathered`.',
    example: 'items: $.pieces',
  },
  {
    name: 'until',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'No further page is asked for where it holds.',
    example: 'until: length(gathered) >= 100',
  },
  {
    name: 'up-to',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '100',
    about: 'How many pages at most; more to come is a failure, unless enough: yes.',
    example: 'up-to: 20',
  },
  {
    name: 'enough',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    default: 'no',
    about: 'The pages up to `up-to` are enough, even where there are more.',
    example: 'enough: yes',
  },
];

/** The keys of `poll`. */
export const pollKeys: readonly KeyDefinition[] = [
  {
    name: 'until',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    required: true,
    about: 'The request is sent again until it holds.',
    example: "until: $.state == 'done'",
  },
  {
    name: 'while',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'What holds while one has to wait. Where neither it nor `until` holds, the step fails at once.',
    example: "while: $.state in ['waiting', 'heating']",
  },
  {
    name: 'give-up-when',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'Where it holds, the step fails at once.',
    example: "give-up-when: $.state == 'cracked'",
  },
  {
    name: 'every',
    manner: true,
    sort: 'setting',
    shape: pause,
    wants: 'a duration, or two with .. between them',
    default: '1s..10s',
    about:
      'How long it waits between requests; of two durations it doubles from the first to the second. Retry-After of the service comes first.',
    example: 'every: 2s',
  },
  {
    name: 'within',
    manner: true,
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    default: '5m',
    about: 'How long it goes on; reaching it is a failure.',
    example: 'within: 15m',
  },
  {
    name: 'at',
    sort: 'value expression',
    shape: text,
    wants: 'an expression',
    about: 'Where to ask: the call itself is sent once, then GET goes to this address of its response.',
    example: 'at: headers.location',
  },
];

/** The keys of `retry`, on a call or a service. */
export const retryKeys: readonly KeyDefinition[] = [
  {
    name: 'attempts',
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '4',
    about: 'How many requests at most, the first one included.',
    example: 'attempts: 4',
  },
  {
    name: 'on',
    sort: 'setting',
    shape: shapeOf(() => z.array(z.string().regex(/^(?:no-response|[45]\d\d|[45]xx)$/))),
    wants: 'a list of no-response, statuses, and classes of them such as 5xx',
    default: '[no-response, 429, 5xx]',
    about:
      'What is repeated. no-response is a time limit, or a connection that was refused or broken off. A method that is not idempotent is repeated only where the first request was certainly not processed, unless the call says repeatable or idempotency.',
    example: 'on: [no-response, 503]',
  },
  {
    name: 'wait',
    sort: 'setting',
    shape: pause,
    wants: 'a duration, or two with .. between them',
    default: '1s..30s',
    about:
      'How long it waits; of two durations it doubles from the first to the second, up to a quarter longer by chance, never less.',
    example: 'wait: 500ms..10s',
  },
  {
    name: 'when',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'A response for which it holds is repeated too.',
    example: "when: $.state == 'busy'",
  },
  {
    name: 'retry-after',
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    default: '1m',
    about:
      'How long it waits in all when the service says so: with 429, or 503 with Retry-After. 0s takes such a response as it is.',
    example: 'retry-after: 10m',
  },
];

/** The keys of `callback`. */
export const callbackKeys: readonly KeyDefinition[] = [
  {
    name: 'within',
    manner: true,
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    default: '2m',
    about: 'How long it is waited for; reaching it is a failure.',
    example: 'within: 30s',
  },
  {
    name: 'when',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about: 'Which request is the one that is waited for. Others are answered and left aside.',
    example: "when: arrived.body.state == 'done'",
  },
  {
    name: 'signed-by',
    sort: 'setting',
    shape: text,
    wants: 'a credential of kind message-signature',
    about: 'The request has to be signed with its key (RFC 9421); one that is not is refused with 401.',
    example: 'signed-by: kiln_signature',
  },
];

export const idempotencyKeys: readonly KeyDefinition[] = [
  {
    name: 'header',
    sort: 'setting',
    shape: text,
    wants: 'the name of a header field',
    default: 'Idempotency-Key',
    about: 'The field in which the key is sent.',
    example: 'header: Kiln-Request-Id',
  },
  {
    name: 'key',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about: 'The key. Without it one is made up, the same in every attempt.',
    example: 'key: load-${piece.id}',
  },
];

/** The keys of `pace` of a service. */
export const paceKeys: readonly KeyDefinition[] = [
  {
    name: 'rate',
    sort: 'setting',
    shape: shapeOf(() => z.string().regex(PER)),
    wants: 'a number per second, minute, hour or day',
    about: 'How many calls may be sent in that time.',
    example: 'rate: 10 per second',
  },
  {
    name: 'burst',
    sort: 'setting',
    shape: count,
    wants: 'a number',
    default: '1',
    about: 'How many of them may go at the same moment, after a pause.',
    example: 'burst: 5',
  },
  {
    name: 'at-once',
    manner: true,
    sort: 'setting',
    shape: count,
    wants: 'a number',
    about: 'How many of its calls may be under way at the same time.',
    example: 'at-once: 4',
  },
  {
    name: 'budget',
    sort: 'setting',
    shape: shapeOf(() => z.string().regex(/^\d{1,9} per (?:hour|day)$/)),
    wants: 'a number per hour or day',
    about:
      'How many calls in all, by all runs of the project on this machine, until the hour or the day (UTC) ends. A run that would need more stops.',
    example: 'budget: 1000 per day',
  },
];

/** `10 per second` */
export const PER = /^(\d{1,9}(?:\.\d{1,3})?) per (second|minute|hour|day)$/;
