import { DIGEST_ALGORITHMS } from '../language/environment.ts';
import type { Topic } from './topic.ts';

type Row = readonly [
  word: string,
  about: string,
  examples: readonly string[],
  also?: string,
  details?: Topic['details'],
];

const rows = (group: string, what: string, all: readonly Row[]): Topic[] =>
  all.map(([word, about, examples, also = '', details = []]) => ({
    word,
    what,
    group,
    about,
    details,
    examples,
    also: also.split(', ').filter((one) => one !== ''),
  }));

const FIELDS: readonly Row[] = [
  [
    'expression',
    'What is kept, asked or expected is an expression: keep, results, gather, start, items, next, at, each, define, and every condition. A name stands bare, a text in quotes, a path begins with $ (the response) or a name.',
    ["keep:\n  first: $.pieces[0].id\n  label: upper(first) + '-' + text(index)"],
    'expressions, value expression, formula',
  ],
  [
    'condition',
    'An expression that is true or false: expect, when, until, while, give-up-when, must, holds. Nothing else counts as either; exists(x), x != null and length(x) > 0 ask. In `expect` all conditions of a list are tried.',
    ['expect:\n  - status == 200\n  - length($.pieces) > 0 && every($.pieces, @.cone <= 10)'],
    'conditions, boolean, truthy',
  ],
  [
    'plain text',
    'What is sent, written or shown is text, into which ${expression} inserts a value: call, headers, text, xml, file, save, to, show, because, URLs and credentials.',
    ['show: ${length(pieces)} pieces on rack ${rack}'],
    'template, interpolation, text field, string interpolation',
  ],
  [
    'typed text',
    'Text in which a whole ${…} keeps its kind, and an unquoted true, false, null or number is one: json, query, form, row, values, default, next-query, next-json, and the inputs of follow. Quotes make a text of it.',
    ['json:\n  piece: ${piece}\n  cone: 6\n  batch: "6"\n  note: for ${customer}'],
    'json body, types',
  ],
  [
    'setting',
    'Neither text nor expression: words of its own, a figure, or a duration, which may be one whole ${…}. yes and true are one, no and false too; none turns off what can be turned off (as, retry, pace, redirects, cookies, proxy).',
    ['timeout: 10s', 'redirects: none'],
    'settings, options, none, yes, no, true, false, on, off',
  ],
  [
    '${…}',
    'Inserts the value of an expression into a text. In a URL it is percent-encoded (raw(x) leaves / and ? alone), in xml escaped, in json a value. Nothing is an error; ${x ?? nothing} leaves the member, item or parameter out. Inside { } and [ ] of YAML it stands in double quotes.',
    ['call: GET kiln /racks/${rack}/pieces', 'query: { after: "${cursor ?? nothing}" }'],
    'insertion, insert, variable, interpolate, placeholder',
  ],
  [
    '$${',
    'A literal ${ in a text. Nothing else has to be escaped in one.',
    ['show: written as $${rack}'],
    'escape, escaping, literal, dollar',
  ],
  [
    'null in fields',
    'null is a value in json. In query, form and headers it leaves the parameter, field or header out.',
    ['headers: { Accept: null }'],
    'leave out, omit, optional parameter',
  ],
];

const ORDER: readonly Row[] = [
  [
    'order of a step',
    'when; the request with its retries, pages or polls; expectations that use no name kept here; keep, from top to bottom; the other expectations; write; save gives the file its name; show. A step whose expectation fails keeps nothing, and the run ends, undoes and cleans up, unless on-fail says continue.',
    [
      '- call: GET kiln /pieces\n  when: rack != null\n  expect: status == 200\n  keep: { pieces: $.pieces }\n  show: ${length(pieces)} pieces',
    ],
    'order, sequence, lifecycle, when does it run',
  ],
  [
    'files',
    'A chain file is NAME.chain.yaml, the project file batharon.yaml in its folder or one above. A bare run takes all chain files below the folder but those that another chain follows or a credential uses. Paths in a chain begin at the folder of that chain; an inserted value is one part of a name and leads nowhere else. Records lie in .batharon/runs beside the project file.',
    ['batharon run chains/fire.chain.yaml', 'file: designs/bowl.png'],
    'file, path, paths, where, folder, file names, chain.yaml, batharon.yaml, directory',
  ],
  [
    'names',
    'Inputs, values of the project, kept and gathered names, names of steps. A name is a letter, then letters, digits and _, and is defined once. A step may keep a value under its own name; steps.NAME is the step then. text, type, size, elapsed, attempts, cookies, url, sent, arrived, gathered, index, run, environment, page and callback may be names of a chain too: they then mean that in the whole chain, and response.url the address of the response.',
    ['keep: { url: $.next }\nexpect: begins(response.url, services.kiln.url)'],
    'name, variable, variables, scope, shadowing',
    [
      [
        'never names',
        'status headers body response steps secret services values true false null nothing in and or not',
      ],
    ],
  ],
  [
    'quotes in YAML',
    'YAML takes quotes at both ends for itself: "pieces" is the name pieces in an expression, "\'pieces\'" the text. An expression that begins with a quote, {, [, !, @, & or *, or has ": " or " #" in it, stands in double quotes; inside { } and [ ] also one with a comma or bracket. `check` says so and `check --fix` writes it.',
    ['keep: { all: "$.pieces[*].id" }', 'expect: "\'ash\' in $.glazes"'],
    'quotes, quoting, yaml, trap',
  ],
];

const OPERATORS: readonly Row[] = [
  [
    'operators',
    'From loosest to tightest: ||, then &&, then comparisons (== != < <= > >= in), then + and -, then * / %, then - before a value, then ??. ! applies to what directly follows it. A - between two values has blanks on both sides.',
    ['status in [2xx, 404] && (elapsed < 2s || size > 1000)'],
    'operator, precedence, priority, syntax, grammar',
  ],
  [
    '==',
    'Whether two values are equal, lists and objects by their contents, numbers by value. Values of different kinds never are.',
    ["$.state == 'done'"],
    'equals, equality, equal, ===',
  ],
  ['!=', 'Whether two values differ.', ['$.glaze != null'], 'not equal, differs, <>, !=='],
  [
    '<  <=  >  >=',
    'The order of two numbers, texts, times or durations. Other kinds have none: number(x) and time(x) read one from a text.',
    ['elapsed < 800ms', 'time($.made) > now() - 1d'],
    '<, >, <=, >=, less, greater, comparison, compare, order',
  ],
  [
    'in',
    'Whether an item of a list equals a value. For a part of a text there is contains(text, part), for members of an object keys(o).',
    ["$.glaze in ['ash', 'celadon']", 'status in [2xx, 404]'],
    'member of, one of, membership',
  ],
  [
    '&&',
    'Both conditions. The second counts only where the first does not decide.',
    ['length($.pieces) > 0 && status == 200'],
    'and, AND, both',
  ],
  [
    '||',
    'One of two conditions. For a value in place of nothing there is ??.',
    ["$.state == 'done' || $.state == 'cracked'"],
    'or, OR, either',
  ],
  [
    '!',
    'Not: before a condition, a function or parentheses.',
    ["!contains($.name, 'jar')", "!($.state == 'done')"],
    'not, NOT, negation, negate',
  ],
  [
    '+',
    'Adds numbers, durations, a time and a duration; joins two texts. text(x) makes a text of a number.',
    ["'rack ' + rack", 'now() + 5m', '$.price + 2.50'],
    'plus, add, concat, concatenate, concatenation, join texts',
  ],
  [
    '-',
    'Subtracts: numbers, durations, two times (which gives a duration), a duration from a time. It has blanks on both sides.',
    ['time($.ends) - now()'],
    'minus, subtract, difference',
  ],
  [
    '*  /  %',
    'Times, divided by, and the rest of a division. * is exact, / rounds to 34 digits.',
    ['round($.price * 1.19, 2)', 'index % 2 == 0'],
    '*, /, %, multiply, divide, modulo, mod, remainder, arithmetic',
  ],
  [
    '??',
    'The value on the right where the one on the left is nothing or null. It binds tighter than every other operator.',
    ["$.note ?? 'none'", 'query: { after: "${cursor ?? nothing}" }'],
    'default value, fallback, coalesce, nullish, optional',
  ],
  [
    'status class',
    '2xx stands for all statuses from 200 to 299, wherever a status is compared: 1xx to 5xx.',
    ['status == 2xx', 'status in [2xx, 404]'],
    '2xx, 4xx, 5xx, status code, status codes',
  ],
  [
    'duration',
    'A number and its unit, without a blank: ms, s, m, h, d; several together. It is a value of its own: durations are added, compared, multiplied.',
    ['250ms', '1h30m', 'elapsed < 2s'],
    'ms, seconds, minutes, hours, days, time span',
  ],
];

const PATHS: readonly Row[] = [
  [
    'path',
    'Leads to a part of a value, as RFC 9535 (JSONPath) has it. One of names and indexes finds one value or nothing; with *, .., a slice or a filter it finds several, which are a list. What is not there is nothing, and an error where a value is needed, with how far the path got.',
    ['$.pieces[0].glaze', "$['content-type']", 'pieces[-1].id'],
    'jsonpath, JSONPath, paths, query, selector, dot notation, index, [0]',
  ],
  [
    '[*]',
    'All items of a list, or all members of an object.',
    ['$.pieces[*].id'],
    'wildcard, all items, star, *',
  ],
  [
    '[0:3]',
    'Items from one place up to another, which is left out; negative places count from the end.',
    ['$.pieces[0:3]', '$.pieces[-2:]'],
    'slice, range of items, [1:3]',
  ],
  ['..', 'Members of that name however deep.', ['$..id'], 'descendant, recursive, deep'],
  [
    '[?…]',
    'The items for which a condition on @ holds. Inside the rules of RFC 9535 hold: a path alone asks whether it is there, and a comparison with what is not there is quietly false.',
    ['$.pieces[?@.glazed == true && @.cone > limit]', "$.pieces[?search(@.name, 'jar', 'i')]"],
    'filter, where, select, find, filtering',
  ],
  [
    'NAME in LIST',
    'In map, any, every, sort, min, max, unique and group an item may have a name, so that an inner @ does not hide it.',
    ['map(order in orders, first(users[?@.id == order.user]).name)'],
    'join, lookup, lambda, arrow function, =>, look up',
  ],
  [
    '{ [name]: value }',
    'An object whose member has a computed name; object(list) makes one of many.',
    ['{ [rack]: length(pieces) }', 'object(map($.pieces, [@.id, @.price]))'],
    'computed key, dynamic key, dictionary, map of',
  ],
];

const OUTSIDE: readonly Row[] = [
  [
    'exit codes',
    'How a command ended, for scripts and build servers. Of several chains it is the highest of 130, 4, 2, 3, 1.',
    ['batharon run chains --tag nightly --junit results.xml'],
    'exit code, exit, return code, status of the command, ci',
    [
      ['0', 'all passed'],
      ['1', 'an expectation did not hold'],
      ['2', 'a file or the command is wrong; nothing was sent'],
      ['3', 'the run could not be completed: no response, a refused sign-in, a limit'],
      ['4', 'a defect of Batharon itself'],
      ['130', 'interrupted'],
    ],
  ],
  [
    'inputs on the command line',
    'Inputs are given by name; @FILE takes a value from a file. One that is not given has its default, or is missing before anything is sent.',
    ['batharon run fire.chain.yaml --give piece=p1001 --give rows=@pieces.csv'],
    '--give, arguments, parameters, command line',
  ],
  [
    'sources of secrets',
    'Where a secret comes from: env NAME (a variable of the environment), file PATH, command WORDS (its output), ask (typed in, once a run), locked (stored with batharon secret set). It is inserted as ${secret.NAME}, in texts of the project file and texts that are sent, and masked everywhere else.',
    ['secrets:\n  desk: env KILN_DESK\n  office: locked'],
    'secret source, environment variable, api key, password, env, vault, hide',
  ],
  [
    'environments and overrides',
    'Dotted keys that an environment sets in place of those of the file. --env NAME chooses one; the first line of a run says which is in force and where each service is.',
    [
      'environments:\n  live:\n    services.kiln.url: https://api.emberfold.example/v1\n    secrets.desk: env KILN_LIVE\n    guard: ask',
    ],
    'staging, production, --env, override, stage',
  ],
  [
    'as',
    'The credential of a call: by default that of its service; `as: NAME` another, `as: none` none. A credential goes only to the origins of its service, and to its own `origins`.',
    ['as: counter', 'as: none'],
    'auth, authentication, authorization, credential, login, sign in, token, bearer, nobody',
  ],
  [
    'idempotent methods',
    'GET, HEAD, OPTIONS, TRACE, PUT and DELETE may be sent again after a failure. Others only where the first request was certainly not processed, or with idempotency: yes or repeatable: yes.',
    ['idempotency: yes'],
    'safe methods, resend, twice, duplicate, POST retry',
  ],
  [
    'client authentication',
    'How a client of OAuth 2.0 proves who it is: client_secret_basic (with a secret, by default), client_secret_post, private_key_jwt (with signing-key), none (without a secret).',
    ['client-auth: client_secret_post'],
    'client-auth, client_secret_basic, client_secret_post, private_key_jwt, public client',
  ],
  [
    'algorithms',
    `Digests and HMACs: ${DIGEST_ALGORITHMS.join(', ')}. Message signatures: hmac-sha256, ed25519, ecdsa-p256-sha256, ecdsa-p384-sha384, rsa-pss-sha512, rsa-v1_5-sha256.`,
    ["hex(hmac(secret.desk, body, 'sha-256'))"],
    'algorithm, hash, sha256, hmac, crypto, signing',
  ],
  [
    'Retry-After',
    'A 429, and a 503 with Retry-After, is waited for as the service asks, at least a second, at most a minute in all and ten times a call; then the response is taken as it is. retry: { retry-after: 10m } waits longer, 0s takes it at once. Rate-limit headers are obeyed before it comes to that.',
    ['retry: { retry-after: 10m }'],
    '429, 503, rate limit, too many requests, throttling, RateLimit, backoff',
  ],
  [
    'bounds',
    'An expression has at most 10,000 characters and 100 levels, visits 10 million nodes, makes lists of a million items and texts of 64 MiB; numbers have 1,000 digits; JSON is 500 levels deep; a body in memory 64 MiB. A loop has up-to: 100000 iterations, a repeat 50, pages 100, a poll 5 minutes, a callback 2 minutes, a redirect 5 hops.',
    ['up-to: 500'],
    'limits, maximum, bound, how many, memory',
  ],
  [
    'commands',
    'send tries one request, try one step; check finds mistakes, --fix writes what YAML misreads; run carries chains out, --dry shows what would be sent; view, find, eval and compare look at what came; resume goes on with a run that broke, cleanup takes back what it left; import makes a chain of a curl line; report writes HTML, Markdown, JUnit or HAR.',
    ['batharon send GET https://api.emberfold.example/v1/racks', 'batharon run fire.chain.yaml --env live'],
    'cli, command line, usage, help, how to start',
  ],
];

/** What is said of the language besides its words. */
export const languageTopics: readonly Topic[] = [
  ...rows('fields', 'sort of field', FIELDS),
  ...rows('how a chain is read', 'language', ORDER),
  ...rows('operators', 'operator', OPERATORS),
  ...rows('paths', 'part of a path', PATHS),
  ...rows('around a run', 'command line and project', OUTSIDE),
];
