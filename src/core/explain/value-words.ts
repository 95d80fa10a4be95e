import type { InputKind, ReadAs } from '../chain/model.ts';

type Words<T extends string> = Readonly<Record<T, readonly [about: string, also: string]>>;

/** What each kind of input is. */
export const INPUT_KIND_WORDS: Words<InputKind> = {
  text: ['The text as it is given. Also where neither kind nor default says otherwise.', 'string'],
  number: ['A number in the notation of JSON, with the digits it came with.', 'integer, decimal'],
  'yes-no': ['yes or true, no or false; in expressions true and false.', 'boolean, flag'],
  choice: ['One of the texts under choices.', 'enum, select'],
  date: ['A date or a time of RFC 3339; without an offset in the zone of the project.', 'datetime'],
  json: ['A value in JSON: lists and objects too.', 'object, array'],
  rows: ['A file of rows (CSV, JSON Lines, JSON), read row by row by each.', 'csv, table'],
  secret: ['A text that is asked for at a terminal, masked everywhere, and never in a file.', 'password'],
};

/** What $ is by each way of reading a body. */
export const READ_AS_WORDS: Words<ReadAs> = {
  json: ['A value, its numbers as they came.', 'application/json'],
  text: ['A text, in the charset that its content type names, else UTF-8.', 'plain'],
  xml: ["A text; xpath($, '//glaze/@name') reads from it, xml($) makes an object of it.", 'xpath, soap'],
  html: [
    "A text; css($, 'td.price'), xpath($, '//td') and form($) read from it as a browser would.",
    'page, scraping',
  ],
  csv: [
    'A list of objects, by the names in the first row; { csv: ";" } names what separates cells.',
    'table',
  ],
  'json-lines': ['A list of values, one a line.', 'ndjson, jsonl'],
  events: [
    'A list of server-sent events with data, and event and id where given, when the stream has ended.',
    'sse',
  ],
  lines: ['A list of texts, one a line.', 'log'],
  bytes: ['Bytes, for base64, hex and digests.', 'binary'],
};
