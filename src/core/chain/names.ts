/** A name that the language itself gives, for `explain`. */
export interface NameDocumentation {
  readonly name: string;
  readonly where: string;
  readonly about: string;
  /** An expression that uses it. */
  readonly example: string;
}

const after = 'expect, keep and show of a call';
const later = 'steps below a named step';

/** The names that an expression finds without anybody having kept them. */
export const givenNames: readonly NameDocumentation[] = [
  {
    name: 'index',
    where: 'the turns of each and repeat',
    about: 'The count of the innermost loop, from 0.',
    example: 'index + 1',
  },
  {
    name: 'gathered',
    where: 'expect, keep and show of a call with pages, and inside pages',
    about: 'The items of all pages so far, as a list.',
    example: 'length(gathered) > 0',
  },
  {
    name: 'page',
    where: 'pages',
    about: 'The number of the page that came, from 1.',
    example: 'page + 1',
  },
  {
    name: 'arrived',
    where: 'a call with callback',
    about: 'The request that called back: .body .text .headers .method .path .query.',
    example: "arrived.body.state == 'done'",
  },
  {
    name: 'callback',
    where: 'texts that a call with callback sends',
    about: 'The address at which it is waited for.',
    example: 'callback',
  },
  {
    name: '$',
    where: after,
    about:
      'The answer: the value of its JSON, a text, or bytes. It is that of the step it stands in and of no other.',
    example: '$.pieces[0].id',
  },
  {
    name: '@',
    where: 'filters, and the second argument of any, every, map, sort, min, max, unique and group',
    about: 'The item that is looked at.',
    example: '$.pieces[?@.cone > 6]',
  },
  { name: 'status', where: after, about: 'The status of the answer.', example: 'status == 200' },
  {
    name: 'headers',
    where: after,
    about: 'The fields of the answer by name; the case of letters does not count.',
    example: "headers['Content-Type'] == 'application/json'",
  },
  { name: 'body', where: after, about: 'The same as $.', example: 'body.pieces[0].id' },
  { name: 'text', where: after, about: 'The body as text.', example: "contains(text, 'kiln')" },
  {
    name: 'type',
    where: after,
    about: 'The media type of the body, without parameters.',
    example: "type == 'image/png'",
  },
  { name: 'size', where: after, about: 'The bytes of the body.', example: 'size > 1000' },
  { name: 'elapsed', where: after, about: 'How long the request took.', example: 'elapsed < 800ms' },
  {
    name: 'attempts',
    where: after,
    about: 'How many requests it took, redirects included.',
    example: 'attempts == 1',
  },
  {
    name: 'cookies',
    where: after,
    about: 'The cookies that the answer sets, by name.',
    example: 'exists(cookies.studio)',
  },
  {
    name: 'url',
    where: after,
    about: 'The address that answered, after redirects.',
    example: "begins(url, 'http')",
  },
  {
    name: 'sent',
    where: after,
    about: 'What was sent: sent.url, sent.headers and sent.json.',
    example: "sent.headers['accept'] == 'application/json'",
  },
  {
    name: 'run',
    where: 'everywhere',
    about: 'This run: run.id and run.started.',
    example: "join(['chain', run.id], '-')",
  },
  {
    name: 'environment',
    where: 'everywhere',
    about: 'The name of the environment in force; nothing where there is none.',
    example: "environment == 'live'",
  },
  {
    name: 'secret',
    where: 'texts of the project file, and texts that are sent',
    about: 'The secrets of the project: secret.NAME.',
    example: 'secret.desk',
  },
  {
    name: 'services',
    where: 'texts of the project file, and texts that are sent',
    about: 'The services of the project: services.NAME.url.',
    example: 'services.kiln.url',
  },
  { name: 'NAME.ok', where: later, about: 'Whether the step held.', example: 'load.ok' },
  { name: 'NAME.skipped', where: later, about: 'Whether the step was skipped.', example: 'load.skipped' },
  {
    name: 'NAME.failed',
    where: later,
    about: 'Whether the step failed and was passed (on-fail: continue).',
    example: 'load.failed',
  },
  { name: 'NAME.problem', where: later, about: 'Why the step failed.', example: "load.problem ?? 'none'" },
  {
    name: 'NAME.status',
    where: later,
    about: 'The status of a call; likewise .headers, .body, .url, .attempts and .elapsed.',
    example: 'load.status == 202',
  },
];
