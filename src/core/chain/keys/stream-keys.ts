import { type KeyDefinition, amount, duration, text, yesNo } from '../source/key-definition.ts';

/** The keys of `stream`. */
export const streamKeys: readonly KeyDefinition[] = [
  {
    name: 'until',
    sort: 'condition',
    shape: text,
    wants: 'a condition',
    about:
      'Reading ends where it holds. It is tried with each item: `item` is the newest, `gathered` the list so far, `received` their number. Without it all is read to the end of the response.',
    example: "until: item.event == 'done'",
  },
  {
    name: 'within',
    manner: true,
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    default: '5m',
    about: 'How long it goes on, reconnections included; reaching it is a failure, unless enough: yes.',
    example: 'within: 30s',
  },
  {
    name: 'quiet',
    manner: true,
    sort: 'setting',
    shape: duration,
    wants: 'a duration',
    about:
      'The longest silence between two items; a longer one is a failure, unless enough: yes. Comments and empty lines are no items.',
    example: 'quiet: 10s',
  },
  {
    name: 'up-to',
    manner: true,
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    default: '10000',
    about: 'How many items at most; one more is a failure, unless enough: yes.',
    example: 'up-to: 500',
  },
  {
    name: 'enough',
    sort: 'setting',
    shape: yesNo,
    wants: 'yes or no',
    default: 'no',
    about:
      'What has come will do where `within`, `quiet` or `up-to` is reached: the connection is closed, and the step goes on.',
    example: 'enough: yes',
  },
  {
    name: 'newest',
    sort: 'setting',
    shape: amount,
    wants: 'a number',
    about:
      '`$` and `gathered` hold only so many of the newest items, so that a stream of any length needs no more memory than these.',
    example: 'newest: 100',
  },
  {
    name: 'live',
    sort: 'plain text',
    shape: text,
    wants: 'a text',
    about:
      'The text that each item adds to what a terminal shows while it comes, as for a chat. Where it gives nothing, the item adds none.',
    example: 'live: ${json(item.data).text}',
  },
];
