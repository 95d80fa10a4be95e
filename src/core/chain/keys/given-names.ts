import {
  ANY,
  BIT,
  BYTES,
  DURATION,
  JSON_VALUE,
  type Kind,
  listOf,
  maybe,
  NUMBER,
  OBJECT,
  objectKind,
  TEXT,
} from '../../language/kinds.ts';
import { RESERVED_WORDS } from '../../language/reserved-words.ts';
import type { ReadAs } from '../model.ts';

/** A name that the language itself gives, for `explain`. */
export interface NameDocumentation {
  readonly name: string;
  readonly where: string;
  readonly about: string;
  /** An expression that uses it. */
  readonly example: string;
}

interface GivenName extends Omit<NameDocumentation, 'name'> {
  /** Nothing of a chain can be called so. */
  readonly reserved?: true;
}

interface ResponseNameDefinition {
  /** What it is, by how the body is read. */
  readonly kind: Kind | ((readAs: ReadAs | undefined) => Kind);
  readonly about: string;
  readonly example: string;
}

/** Fields of HTTP by their names: the case of letters does not count. */
export const HEADERS: Kind = { ...OBJECT, caseless: true };

/** The kind of `$` by how the body is read. */
export function responseKind(readAs: ReadAs | undefined): Kind {
  if (readAs === 'text' || readAs === 'xml' || readAs === 'html') return TEXT;
  if (readAs === 'lines') return listOf(TEXT);
  if (readAs === 'json-lines') return listOf(JSON_VALUE);
  if (readAs === 'csv' || readAs === 'events') return listOf(OBJECT);
  if (readAs === 'bytes') return BYTES;
  if (readAs === 'json') return JSON_VALUE;
  return { bits: JSON_VALUE.bits | BIT.bytes | BIT.nothing };
}

/** Names of the response to a call, in its own expressions. What each is then, the engine says of every one of them. */
export const RESPONSE_NAMES = {
  status: { kind: NUMBER, about: 'The status of the response.', example: 'status == 200' },
  headers: {
    kind: HEADERS,
    about: 'The fields of the response by name; the case of letters does not count.',
    example: "headers['Content-Type'] == 'application/json'",
  },
  fields: {
    kind: HEADERS,
    about: 'The fields of the response by name, each a list with a text for each time that it came.',
    example: "length(fields['Set-Cookie'] ?? []) == 2",
  },
  trailers: {
    kind: HEADERS,
    about: 'The fields that came after the body, by name.',
    example: "trailers['Content-Digest'] ?? ''",
  },
  body: { kind: responseKind, about: 'The same as $.', example: 'body.pieces[0].id' },
  text: { kind: maybe(TEXT), about: 'The body as text.', example: "contains(text, 'kiln')" },
  type: {
    kind: maybe(TEXT),
    about: 'The media type of the body, without parameters.',
    example: "type == 'image/png'",
  },
  size: { kind: NUMBER, about: 'The bytes of the body.', example: 'size > 1000' },
  elapsed: { kind: DURATION, about: 'How long the request took.', example: 'elapsed < 800ms' },
  attempts: {
    kind: NUMBER,
    about: 'How many requests it took, redirects included.',
    example: 'attempts == 1',
  },
  cookies: {
    kind: OBJECT,
    about:
      'The cookies that the service has set in this run, by name. Before the request is sent, those that it would carry.',
    example: 'exists(cookies.studio)',
  },
  url: { kind: TEXT, about: 'The address that answered, after redirects.', example: "begins(url, 'http')" },
  sent: {
    kind: objectKind({ url: TEXT, headers: HEADERS, json: maybe(ANY) }),
    about: 'What was sent: sent.url, sent.headers and sent.json.',
    example: "sent.headers['accept'] == 'application/json'",
  },
} as const satisfies Readonly<Record<string, ResponseNameDefinition>>;
export type ResponseName = keyof typeof RESPONSE_NAMES;

const after = 'expect, keep and show of a call';
const later = 'steps below a named step';

const OTHER_NAMES = {
  index: {
    where: 'the iterations of each and repeat',
    about: 'The count of the innermost loop, from 0.',
    example: 'index + 1',
  },
  gathered: {
    where: 'expect, keep and show of a call with pages, and inside pages and stream',
    about: 'The items of all pages, or of the stream, so far, as a list.',
    example: 'length(gathered) > 0',
  },
  item: {
    where: 'stream',
    about:
      'The newest item: an event with .data, .event and .id, the value of a line of JSON, or the text of a line.',
    example: "item.event == 'done'",
  },
  received: {
    where: 'stream, and expect, keep and show of a call with stream',
    about: 'How many items have come, those among them that `newest` let go.',
    example: 'received > 100',
  },
  page: { where: 'pages', about: 'The number of the page that came, from 1.', example: 'page + 1' },
  arrived: {
    where: 'a call with callback',
    about: 'The request that the callback listener received: .body .text .headers .method .path .query.',
    example: "arrived.body.state == 'done'",
  },
  callback: {
    where: 'texts that a call with callback sends',
    about: 'The address at which it is waited for.',
    example: 'callback',
  },
  response: {
    where: after,
    reserved: true,
    about:
      'The response, with each of the names below as a member: response.status, response.url. They are there also where the chain has a name of its own that is called like one of them.',
    example: 'response.status == 200',
  },
  steps: {
    where: later,
    reserved: true,
    about:
      'A step by its name, also where the step keeps a value under that name: steps.NAME.status, steps.NAME.body, steps.NAME.ok.',
    example: 'steps.load.status == 202',
  },
  $: {
    where: after,
    about:
      'The response: the value of its JSON, a text, or bytes. It is always the response of its own step.',
    example: '$.pieces[0].id',
  },
  '@': {
    where: 'filters, and the second argument of any, every, map, sort, min, max, unique and group',
    about: 'The item that is looked at.',
    example: '$.pieces[?@.cone > 6]',
  },
  run: {
    where: 'everywhere',
    about: 'This run: run.id and run.started.',
    example: "join(['chain', run.id], '-')",
  },
  environment: {
    where: 'everywhere',
    about: 'The name of the environment in force; nothing where there is none.',
    example: "environment == 'live'",
  },
  secret: {
    where: 'texts of the project file, and texts that are sent',
    reserved: true,
    about: 'The secrets of the project: secret.NAME.',
    example: 'secret.desk',
  },
  services: {
    where: 'texts of the project file, and texts that are sent',
    reserved: true,
    about: 'The services of the project: services.NAME.url.',
    example: 'services.kiln.url',
  },
  'NAME.ok': { where: later, about: 'Whether the step passed.', example: 'load.ok' },
  'NAME.skipped': { where: later, about: 'Whether the step was skipped.', example: 'load.skipped' },
  'NAME.failed': {
    where: later,
    about: 'Whether the step failed and was passed (on-fail: continue).',
    example: 'load.failed',
  },
  'NAME.problem': {
    where: later,
    about: 'Why the step failed: .code, as explain lists them, .message and .hint.',
    example: "load.problem.code == 'time-limit'",
  },
  'NAME.status': {
    where: later,
    about: 'The status of a call; likewise .headers, .body, .url, .attempts and .elapsed.',
    example: 'load.status == 202',
  },
} as const satisfies Readonly<Record<string, GivenName>>;

/** The names that an expression finds without anybody having kept them. */
export const givenNames: readonly NameDocumentation[] = [
  ...Object.entries(OTHER_NAMES).map(([name, { where, about, example }]) => ({
    name,
    where,
    about,
    example,
  })),
  ...Object.entries(RESPONSE_NAMES).map(([name, { about, example }]) => ({
    name,
    where: after,
    about,
    example,
  })),
];

/** Names that a chain can't give; `values` and the words of the grammar are words of the language. */
export const RESERVED_NAMES: ReadonlySet<string> = new Set([
  'status',
  'headers',
  'body',
  ...Object.entries(OTHER_NAMES).flatMap(([name, one]) => ('reserved' in one ? [name] : [])),
  'values',
  ...RESERVED_WORDS,
]);

/** What the language gives by names that a chain may give as well; its own then count. */
export const GIVEN_NAMES: ReadonlySet<string> = new Set(
  [...Object.keys(RESPONSE_NAMES), ...Object.keys(OTHER_NAMES)].filter(
    (name) => !RESERVED_NAMES.has(name) && /^[a-z]+$/.test(name),
  ),
);

/** Names of them that mean something in a call with `stream` only, which says itself where they are taken. */
export const OF_STREAMS: ReadonlySet<string> = new Set(['item', 'received']);

/** What the language calls by a name, in a few words: "the body as text". */
export function meaningOf(name: string): string {
  const about = givenNames.find((one) => one.name === name)?.about ?? '';
  return about.replace(/[.:].*$/s, '').replace(/^./, (char) => char.toLowerCase());
}

/** How to say what the language calls by a name that the chain has given to something else; undefined if there is no other way. */
export function otherwiseCalled(name: string): string | undefined {
  return Object.hasOwn(RESPONSE_NAMES, name) ? `response.${name}` : undefined;
}

const namesOfResponses = new Map<ReadAs | undefined, Readonly<Record<string, Kind>>>();

/** The kinds of the names of a response, by how its body is read; `response` has them all. */
export function responseNameKinds(
  readAs: ReadAs | undefined,
  described?: Kind,
): Readonly<Record<string, Kind>> {
  if (described) {
    const names: Record<string, Kind> = { ...responseNameKinds(readAs), body: described };
    delete names['response'];
    return { ...names, response: objectKind(names) };
  }
  let known = namesOfResponses.get(readAs);
  if (!known) {
    known = Object.fromEntries(
      Object.entries(RESPONSE_NAMES).map(([name, { kind }]) => [
        name,
        typeof kind === 'function' ? kind(readAs) : kind,
      ]),
    );
    known = { ...known, response: objectKind(known) };
    namesOfResponses.set(readAs, known);
  }
  return known;
}
