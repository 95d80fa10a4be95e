// Mistakes that no single line shows: what stands where, and what goes over several lines. One message, and what to write.
import { expect, test } from '@jest/globals';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { FILES } from './files.ts';

const { project } = readProject('batharon.yaml', FILES['batharon.yaml'], undefined, true);
const FIRST =
  'chain: A\nsteps:\n  - call: GET kiln /racks\n    name: list\n    keep: { racks: $.racks, id: $.id }\n';
const step = (lines: string): string => FIRST + lines.replace(/^(?=.)/gm, '  ');

/** The file, the line of the message, and what is shown as the way to write it. */
const CHAINS: readonly (readonly [file: string, line: number, way: string | undefined])[] = [
  ['chain: A\nsteps:\n  - call: GET kiln /racks\n  expect: status == 200\n', 4, '    expect: status == 200'],
  ['chain: A\nsteps:\n- call: GET kiln /racks\nname: racks\n', 4, '  name: racks'],
  [
    'chain: A\ninputs:\n  - rack\n  - limit: 5\nsteps:\n  - show: ${rack} ${limit}\n',
    3,
    'rack: {}\n  limit: { default: 5 }',
  ],
  [
    'chain: A\ninputs:\n  n: { kind: number, must: > 0 }\nsteps:\n  - show: ${n}\n',
    3,
    'n: { kind: number, must: n > 0 }',
  ],
  [
    'chain: A\ninputs:\n  rack: { default: A3, choices: [A1, A2] }\nsteps:\n  - show: ${rack}\n',
    3,
    'rack: { default: A1, choices: [A1, A2] }',
  ],
  ['chain: A\ninputs:\n  n: { kind: number, choices: [1, 2] }\nsteps:\n  - show: ${n}\n', 3, 'kind: choice'],
  ['chain: A\nsteps\n  - call: GET kiln /racks\n', 2, 'steps:'],
  [
    step('- each: rack in racks\n  call: GET kiln /racks/${rack}\n'),
    7,
    'steps:\n  - call: GET kiln /racks/${rack}',
  ],
  [
    step('- each: rack in racks\n  steps:\n    call: GET kiln /racks/${rack}\n    name: one\n'),
    8,
    '    - call: GET kiln /racks/${rack}',
  ],
  [step('- repeat: 3\n  steps:\n    - call: GET kiln /racks\n'), 6, '- each: n in range(1, 3)'],
  [
    step('- call: GET kiln /racks\n  undo: DELETE kiln /racks/${id}\n'),
    7,
    'undo:\n      - call: DELETE kiln /racks/${id}',
  ],
  [`${FIRST}cleanup:\n  call: DELETE kiln /racks/\${id}\n`, 7, '- call: DELETE kiln /racks/${id}'],
  [step('- call: POST kiln /racks\n  json:\n    name = bowl\n    cone = 6\n'), 8, '{ name: bowl, cone: 6 }'],
  [step(`- call: POST kiln /racks\n  body: '{"name": "bowl"}'\n`), 7, 'json: {"name": "bowl"}'],
  [step(`- call: POST kiln /racks\n  json: '{"name": "bowl"}'\n`), 7, 'json: {"name": "bowl"}'],
  [
    step('- call: POST kiln /racks\n  content-type: text/plain\n'),
    7,
    'headers: { content-type: "text/plain" }',
  ],
  [
    step('- call: GET kiln /racks\n  auth: { token: abc }\n'),
    7,
    'credentials: { desk: { kind: bearer, token: "${secret.desk}" } } in batharon.yaml, and as: desk here',
  ],
  [step('- call: GET kiln /racks\n  output: film.mp4\n'), 7, 'save: film.mp4'],
  [step('- call: GET kiln /racks/${list.response.body.id}\n'), 6, '- call: GET kiln /racks/${list.body.id}'],
  [step('- call: GET kiln /racks\n  retry: { attempts: 3, backoff: exponential }\n'), 7, 'wait: 500ms..10s'],
  [step('- call: GET kiln /racks/<id>\n'), 6, '- call: GET kiln /racks/${id}'],
  [
    step('- call: GET kiln /racks/{rack}\n'),
    6,
    '${rack} inserts a value, which an input or a step above gives: inputs: { rack: {} }',
  ],
  [step('- show: "id is " + id\n'), 6, '- show: "id is ${id}"'],
  [
    step('- each: rack in racks:\n  steps:\n    - call: GET kiln /racks/${rack}\n'),
    6,
    '- each: rack in racks',
  ],
  [step('- each: i in 1..5\n  steps:\n    - call: GET kiln /racks/${i}\n'), 6, '- each: i in range(1, 5)'],
  [
    step('- call: GET kiln /racks\n  poll: { until: "status == \'done\'" }\n'),
    7,
    `poll: { until: "$.status == 'done'" }`,
  ],
  [step('- call: GET kiln /racks\n  keep:\n    price $.price\n'), 8, '{ price: $.price }'],
  [
    step('- call: GET kiln /racks\n  expect:\n    - status == 200\n    length($.racks) > 0\n'),
    9,
    '- length($.racks) > 0',
  ],
  [step('- call: GET kiln /racks\n  query:\n  limit: 5\n  page: 1\n'), 8, '      limit: 5'],
  [step('- call: GET kiln /racks\n  - expect: status == 200\n'), 7, 'expect: status == 200'],
  [
    step('- call: GET kiln /racks  query: { limit: 5 }\n'),
    6,
    '- call: GET kiln /racks\n    query: { limit: 5 }',
  ],
  [
    step('- call: GET kiln /racks -H "Accept: text/csv"\n'),
    6,
    '- call: GET kiln /racks\n    headers: { Accept: "text/csv" }',
  ],
  [step('- { call: GET kiln /racks, keep: { a: $.a }\n'), 6, '- { call: GET kiln /racks, keep: { a: $.a } }'],
  [step('- call: "GET kiln /racks\n'), 6, '- call: "GET kiln /racks"'],
  [step('- call: curl https://kiln.example/racks\n'), 6, '- call: GET https://kiln.example/racks'],
  [step('- call: POST kiln /racks\n  json:\n    - name: a\n      cone: 5\n    name: b\n'), 10, '- name: b'],
  [step('- call: POST kiln /racks\n  form:\n    file: @bowl.png\n'), 8, 'file: { file: bowl.png }'],
  [
    step('- each: row in rows.csv\n  steps:\n    - call: GET kiln /racks/${row.id}\n'),
    6,
    'inputs:\n  rows: { kind: rows, default: rows.csv }\nsteps:\n  - each: row in rows',
  ],
  [
    step('- each: rack in racks where rack.free\n  steps:\n    - show: ${rack}\n'),
    6,
    '- each: rack in racks[?@.free]',
  ],
  [
    'chain: A\ninputs:\n  rack: { default: A3, about: the rack: which one }\nsteps:\n  - show: ${rack}\n',
    3,
    'rack: { default: A3, about: "the rack: which one" }',
  ],
  [
    step('- look:\n    call: GET kiln /racks\n    name: b\n'),
    6,
    '- name: look\n    call: GET kiln /racks\n    name: b',
  ],
  [step('- call: GET kiln /racks\n  expect: status: 204\n'), 7, 'expect: status == 204'],
  [step('- call: GET kiln /film\n  save:\n    file: film.mp4\n'), 8, 'to: film.mp4'],
  [
    step('- call: GET kiln /racks\n  verify: false\n'),
    7,
    'insecure: yes on the service in batharon.yaml takes certificates that nothing vouches for, tls: says which are taken',
  ],
  [step('- call: GET kiln /racks\n  keep: { sum: $.a.reduce((a, b) => a + b.price, 0) }\n'), 7, undefined],
  [
    `${FIRST}  - call: GET kiln /racks name: b\n  - call: GET kiln /racks\n`,
    6,
    '- call: GET kiln /racks\n    name: b',
  ],
  [step('- call: GET kiln /racks\n  pages: yes\n'), 7, "pages:\n  next: link('next')\n  items: $.pieces"],
  ['chain: A\nsteps: all\n  - call: GET kiln /racks\n', 2, 'steps:'],
  [step('- call: GET kiln /racks\n  keep: racks\n    count: length($.racks)\n'), 7, 'keep:'],
  [
    'chain: A\nsteps:\n  - call: GET kiln /racks\n    name: a\n\n    call: GET kiln /racks\n    name: b\n',
    6,
    '  - call: GET kiln /racks',
  ],
  ['chain: A\ninputs:\n  rack: {}\n  steps:\n    - call: GET kiln /racks/${rack}\n', 4, 'steps:'],
  ['chain: A\nflow:\n  - call: GET kiln /racks\n', 2, 'steps:'],
  [step('- download: GET kiln /film\n  save: out/film.mp4\n'), 6, '- call: GET kiln /film'],
  [step('- stream: GET kiln /racks\n  stream: { within: 2s }\n'), 6, '- call: GET kiln /racks'],
  [step('- GET /racks\n  headers: { Accept: text/csv }\n'), 6, '- call: GET /racks'],
  [
    step('- call: POST kiln /racks { id: 3 }\n  expect: status == 201\n'),
    6,
    '- call: POST kiln /racks\n    json: { id: 3 }',
  ],
  [step('- for rack in racks:\n  steps:\n    - call: GET kiln /racks/${rack}\n'), 6, '- each: rack in racks'],
  [step('- each: [1, 2]\n  steps:\n    - call: GET kiln /racks/${rack}\n'), 6, '- each: rack in [1, 2]'],
  [step('- each: racks\n  steps:\n    - call: GET kiln /racks/${shelf}\n'), 6, '- each: shelf in racks'],
  [
    step('- each: a in racks\n  continue-on-error: yes\n  steps:\n    - call: GET kiln /racks/${a.id}\n'),
    7,
    'when-one-fails: continue',
  ],
  [step('- call: GET kiln /racks\n  limit: 50\n'), 7, 'query: { limit: 50 }'],
  [step('- call: GET kiln /racks/${racks[0]}.id\n'), 6, '- call: GET kiln /racks/${racks[0].id}'],
  [
    step('- each: a in racks\n  steps:\n    - call: GET kiln /racks/a.id\n'),
    8,
    '- call: GET kiln /racks/${a.id}',
  ],
  [
    step('- each: a in racks\n  steps:\n    - call: GET kiln /racks/${a}.id\n'),
    8,
    '- call: GET kiln /racks/${a.id}',
  ],
  [step('- call: GET kiln /racks/$.id\n'), 6, '- call: GET kiln /racks/${id}'],
  [step('- call: GET kiln /racks/id\n'), 6, '- call: GET kiln /racks/${id}'],
  [step('- call: GET kiln /racks/ + id\n'), 6, '- call: GET kiln /racks/${id}'],
  [step('- call: GET kiln "/racks"\n'), 6, '- call: GET kiln /racks'],
  [step('- call: GET kiln /racks, limit=5\n'), 6, '- call: GET kiln /racks?limit=5'],
  [step('- call: POST kiln /racks -d\n'), 6, '- call: POST kiln /racks'],
  [
    step('- call: GET kiln /racks\n  save: a.txt\n    - status == 200\n    - size > 3\n'),
    8,
    'its key on a line of its own above, or quotes around the whole text if it is one',
  ],
  [step('- call: GET kiln /racks\n  headers: { X-Id: id }\n'), 7, 'headers: { X-Id: "${id}" }'],
  [step('- show: id\n'), 6, '- show: ${id}'],
  [step('- show: length(racks) of them\n'), 6, '- show: ${length(racks)} of them'],
  [step('- show: "{id} it is"\n'), 6, '- show: "${id} it is"'],
  [step('- call: GET kiln /racks\n  must-fail: 404\n'), 7, 'expect: status == 404'],
  [step('- call: GET kiln /racks\n  name: rack list\n- show: ${rack.status}\n'), 7, 'name: rack'],
  [
    step("- call: GET kiln /kiln/events\n  stream: { until: event == 'done' }\n"),
    7,
    "stream: { until: item.event == 'done' }",
  ],
  [
    step("- call: GET kiln /kiln/events\n  stream: { until: $.event == 'done' }\n"),
    7,
    "stream: { until: item.event == 'done' }",
  ],
  [step('- call: GET kiln /racks\n  idempotency: ${uuid()}\n'), 7, 'idempotency: { key: "${uuid()}" }'],
  [
    'chain: A\nshapes:\n  Rack:\n    type: object\n    requires: [id]\nsteps:\n  - call: GET kiln /racks\n',
    5,
    'required: [id]',
  ],
  [
    'chain: A\nshapes:\n  Rack: { properties: { n: { type: int } } }\nsteps:\n  - call: GET kiln /racks\n',
    3,
    'Rack: { properties: { n: { type: integer } } }',
  ],
  [`${FIRST}results:\n  racks: $.racks\n`, 7, 'racks: racks'],
  [step('- ask: Which?\n  name: which\n  choices: [racks]\n'), 8, 'choices: racks'],
  [step('- call: GET kiln /racks\n  expect: |\n    - status == 200\n    - size > 3\n'), 7, 'expect:'],
  [
    step(
      '- call: POST kiln /graphql\n  json:\n    query:\n      query Racks($id: ID!) {\n        rack(id: $id) { id }\n      }\n',
    ),
    8,
    'query: |',
  ],
  [step("- each: n in 'a', 'b'\n  steps: [{ show: '${n}' }]\n"), 6, "- each: n in ['a', 'b']"],
  [
    step('- call: GET kiln /racks\n  retry: { attempts: 2, wait: 1s, 2s }\n'),
    7,
    'retry: { attempts: 2, wait: 1s..2s }',
  ],
  [step('- call: GET kiln /racks until done\n'), 6, '- call: GET kiln /racks'],
  [step('- call: GET kiln list.headers.location\n'), 6, '- call: GET kiln ${list.headers.location}'],
  [step('- call: GET kiln /racks\n  query: { page: "${id} + 1" }\n'), 7, 'query: { page: "${id + 1}" }'],
  [
    'chain: A\ninputs:\n  price: { kind: number, default: 24,50 }\nsteps:\n  - show: ${price}\n',
    3,
    'price: { kind: number, default: 24.50 }',
  ],
  [
    step('- call: GET kiln /racks\n  headers:\n    A: b\n  expect:\n    - $.errors does not exist\n'),
    10,
    '- exists($.errors) == false',
  ],
  [step('- call: GET kiln /racks\n  keep: { a: $.b ?: null }\n'), 7, 'keep: { a: $.b ?? null }'],
  [
    'chain: A\nshapes:\n  Rack: { type: object, minimum: zero }\nsteps:\n  - call: GET kiln /racks\n',
    3,
    undefined,
  ],
  [step('- call: GET kiln /racks;\n'), 6, '- call: GET kiln /racks'],
  [step('- call: GET kiln /racks\n  expect: size > zero\n'), 7, 'expect: size > 0'],
  [step('- call: GET kiln /racks\n  keep: |\n    a: $.b\n- show: ${a}\n'), 7, 'keep:'],
  // What stands below is another step, and no header.
  [
    step('- call: GET kiln /racks\n  headers:\n- call: GET kiln /racks\n'),
    7,
    'headers:\n  Accept-Language: en',
  ],
  [
    'chain: A\nshapes:\n  Rack: { properties: { n: string } }\nsteps:\n  - call: GET kiln /racks\n',
    3,
    'Rack: { properties: { n: { type: string } } }',
  ],
  [step('- when: racks.length > 0\n  steps: [{ wait: 1s }]\n'), 6, '- when: length(racks) > 0'],
  [step('- call: POST kiln /racks form\n'), 6, '- call: POST kiln /racks'],
  [step('- call: GET /racks kiln\n'), 6, '- call: GET kiln /racks'],
  [
    step("- call: GET kiln /racks\n  expect: any($.racks, state == 'done')\n"),
    7,
    "expect: any($.racks, @.state == 'done')",
  ],
  [step('- call: GET kiln /racks\n  expect: status == 20x\n'), 7, 'expect: status == 2xx'],
  [
    step('- call: GET kiln /racks\n  keep: { a: "hex(digest(body, sha-256))" }\n'),
    7,
    `keep: { a: "hex(digest(body, 'sha-256'))" }`,
  ],
  [step('- call: GET kiln /racks\n  json: { cone: = 9 }\n'), 7, 'json: { cone: 9 }'],
  [step('- call: GET kiln /racks\n  keep:\n    a: $.b\n    a: $.c\n'), 9, undefined],
  // An alias of what it stands in never ends.
  [step('- call: POST kiln /racks\n  json: &a { b: [*a] }\n'), 7, 'json: &a { b: [a] }'],
  // Signs lost, doubled or beside their key.
  [
    step("- call: GET kiln /racks\n  expect: every($.racks, fits(@, 'Rack')\n"),
    7,
    "expect: every($.racks, fits(@, 'Rack'))",
  ],
  [step("- call: GET kiln /racks\n  keep:\n    a: headers'etag']\n"), 8, "a: headers['etag']"],
  [
    step('- call: GET kiln /racks\n  json: { name: "${id}, rack: A3 }\n'),
    7,
    'json: { name: "${id}", rack: A3 }',
  ],
  [step('- call: GET kiln /racks\n  query: { limit; 5 }\n'), 7, 'query: { limit: 5 }'],
  [step('- call: GET kiln /racks\n  query: { limit: 5 }}\n'), 7, 'query: { limit: 5 }'],
  [step('- call: GET kiln /racks\n  expect: length[$.racks) > 0\n'), 7, 'expect: length($.racks) > 0'],
  [step('- show: ${text(id}}\n'), 6, '- show: ${text(id)}'],
  [step("- call: GET kiln /racks\n  expect: $.state in ['a'. 'b']\n"), 7, "expect: $.state in ['a', 'b']"],
  // Two lines in one, and keys of which only the colon is left.
  [
    step('- call: GET kiln /racks\n  query: { limit: 5 } expect: status == 200\n'),
    7,
    'query: { limit: 5 }\n    expect: status == 200',
  ],
  [
    step('- call: GET kiln /racks\n  expect: - status == 200\n    - size > 3\n'),
    7,
    'expect:\n      - status == 200',
  ],
  [step('- : GET kiln /racks\n'), 6, '- call: GET kiln /racks'],
  [step('- call: GET kiln /racks\n  keep:\n    a: status\n    $.first\n'), 9, 'first: $.first'],
  [
    step(
      '- call: POST kiln /racks\n  json:\n    query: |\n      { racks { id } }\n      variables: { a: "${id}" }\n',
    ),
    10,
    '      variables: { a: "${id}" }',
  ],
  // What stands one column beside the usual ones has moved, not all below it.
  [
    step('- call: GET kiln /racks\n  pages:\n   next-query:\n      page: ${page + 1}\n    items: $.racks\n'),
    8,
    '      next-query:',
  ],
  // One mistake, one message.
  [
    step(
      '- call: GET kiln /racks\n  keep: { first: "$..id" }\n- call: GET kiln /racks/${first}\n- call: DELETE kiln /racks/${first}\n',
    ),
    7,
    'keep: { first: "$.id" }',
  ],
  [step('- call: GET kiln /racks\n  keep: first\n    a: $.b\n- show: ${a}\n'), 7, 'keep:'],
  // Ideas of other programs.
  [step("- call: GET kiln /racks\n  expect: state == 'done'\n"), 7, "expect: $.state == 'done'"],
  ['chain: A\nsteps:.\n  - call: GET kiln /racks\n', 2, 'steps:'],
  [
    step('- call: GET kiln /racks\n  pages: { next: headers.link, items: $.racks }\n'),
    7,
    "pages: { next: link('next'), items: $.racks }",
  ],
  [
    step('- call: GET kiln /racks\n  pages: { next: link(next), items: $.racks }\n'),
    7,
    "pages: { next: link('next'), items: $.racks }",
  ],
  [step('- call: GET kiln /racks -> 404\n'), 6, '- call: GET kiln /racks\n    expect: status == 404'],
  [step('- call: GET kiln /racks as none\n'), 6, '- call: GET kiln /racks\n    as: none'],
  [step('- call: GET kiln /racks {\n'), 6, '- call: GET kiln /racks'],
  [step('- call: UPLOAD kiln /racks\n'), 6, '- call: PUT kiln /racks'],
  [
    step('- call: GET kiln /racks\n  keep: { ids: "$[*].id" }\n- call: GET kiln /racks/${ids}\n'),
    8,
    '- call: GET kiln /racks/${id}',
  ],
  [
    step('- call: GET kiln /racks\n  keep: { a: "map($, x => parse(x.data).celsius)" }\n'),
    7,
    'keep: { a: "map($, parse(@.data).celsius)" }',
  ],
  [step('- call: GET kiln /racks\n  expect: status in 204\n'), 7, 'expect: status == 204'],
  [step('- call: rack.chain.yaml\n'), 6, '- follow: rack.chain.yaml'],
  [step('- call: GET kiln /racks\n  status: 204\n'), 7, 'expect: status == 204'],
  [step("- call: POST kiln /racks\n  json: '{ name: bowl }'\n"), 7, 'json: { name: bowl }'],
  [step('- call: POST kiln /racks\n  json: { price: 12,50 }\n'), 7, 'json: { price: 12.50 }'],
  [step("- show: 'it isn't there'\n"), 6, "- show: 'it isn''t there'"],
  [step('- show: $length(racks) racks\n'), 6, '- show: ${length(racks)} racks'],
  [
    step('- repeat: until id == 3, up to 9\n  steps: [{ wait: 1s }]\n'),
    6,
    '- repeat: { until: id == 3, up-to: 9 }',
  ],
  [
    step('- call: GET kiln /racks\n  headers: { Range: "bytes ${id}-${id} + 9/*" }\n'),
    7,
    'headers: { Range: "bytes ${id}-${id + 9}/*" }',
  ],
];

test.each(CHAINS)('%j', (file, line, way) => {
  const { findings } = readChain('a.chain.yaml', file, project);
  expect(
    findings.map(({ place, instead, example, hint }) => [place?.line, instead ?? example ?? hint]),
  ).toEqual([[line, way]]);
});

test.each([
  step('- each: film in $.films ?? []\n  steps: [{ expect: film.length > 90 }]\n').replace(
    '$.films',
    'racks',
  ),
  step('- call: GET kiln /racks/${id}.geojson\n'),
  step('- call: GET kiln /racks/${id}.v2/list\n'),
  step("- call: GET kiln /search\n  query: { q: \"'id'\", sort: name, list: 'racks' }\n"),
  step('- call: GET kiln /search?q=a+id\n'),
  step('- call: GET kiln /Products(1)\n'),
  step('- show: all of the racks (racks)\n'),
  step('- call: POST kiln /graphql\n  json:\n    query: |\n      { racks { id } }\n'),
  step(
    "- call: POST kiln /graphql\n  json: { query: '{ racks { id } }', note: 'x;y', sum: '=1+1', title: 'Hello {id}' }\n",
  ),
  step('- call: GET kiln /a;v=1/b\n'),
  step('- call: POST kiln /racks\n  text: |\n    - no list\n    key: value\n'),
  // Words that every object of JavaScript has are none of a table.
  'chain: A\nshapes:\n  Rack: { type: object, constructor: 1, toString: 2 }\nsteps:\n  - call: GET kiln /racks\n',
  'chain: A\nshapes:\n  Rack: { type: object, x-enum: [a], title: Rack }\nsteps:\n  - call: GET kiln /racks\n',
])('no mistake: %j', (file) => {
  expect(readChain('a.chain.yaml', file, project).findings).toEqual([]);
});

const SERVICE = 'services:\n  kiln: { url: https://kiln.example }\n';
const credential = (...lines: readonly string[]): string =>
  `services:\n  kiln: { url: https://kiln.example, as: desk }\ncredentials:\n  desk:\n${lines
    .map((line) => `    ${line}\n`)
    .join('')}secrets:\n  desk: env DESK\n`;
const OAUTH = [
  'kind: oauth2',
  'grant: client-credentials',
  'token-url: https://kiln.example/token',
  'client-id: me',
  'client-secret: ${secret.desk}',
];

const PROJECTS: readonly (readonly [file: string, way: string | undefined])[] = [
  // A name is missing, and nobody knows which; it is none of the keys that may stand elsewhere.
  [
    'services: { kiln: { url: https://a.example, as: me } }\ncredentials:\n  :\n    kind: bearer\n    token: ${secret.me}\nsecrets: { me: env T }\n',
    undefined,
  ],
  // Put right in two steps.
  ['services:\n  - kiln\n    url: https://a.example\n', 'kiln:'],
  [
    'services: { kiln: { url: https://a.example } }\nenvironments: { live: { services.kiln.uri: https://b.example } }\n',
    'environments: { live: { services.kiln.url: https://b.example } }',
  ],
  [
    'services: { kiln: { url: https://a.example } }\nteam: { redis: env KILN_REDIS, key: "${secret.k}" }\nsecrets: { k: env K }\n',
    'redis: ${secret.redis}, and under secrets: redis: env KILN_REDIS, where KILN_REDIS is redis://HOST:6379',
  ],
  ['services:\n  kiln: https://kiln.example\n', 'kiln: { url: "https://kiln.example" }'],
  [
    'services:\n  kiln: { url: https://kiln.example }\nenvironments:\n  live:\n    kiln: https://live.example\n',
    'services.kiln.url: https://live.example',
  ],
  [
    'services:\n  kiln:\n    url: https://kiln.example\n    as: desk\ncredentials:\n  desk: { kind: bearer, token: "${secret.desk}" }\nsecrets:\n  - desk: env DESK\n',
    'desk: env DESK',
  ],
  ['secrets:\n  desk: $(pass show desk)\n', 'desk: command pass show desk'],
  [
    'credentials:\n  desk: { kind: bearer, token: "Bearer ${secret.desk}" }\nsecrets:\n  desk: env DESK\n',
    'desk: { kind: bearer, token: "${secret.desk}" }',
  ],
  ['secrets:\n  desk: { value: hunter2pass }\n', 'desk: env NAME_OF_A_VARIABLE'],
  ['secrets:\n  post: env POST\n  desk:\n    env: DESK\n', 'desk: env DESK'],
  ['services:\n  kiln:\n    url: https://kiln.example\n  post\n    url: https://post.example\n', '  post:'],
  ['services:\n  - kiln:\n    url: https://kiln.example\n', 'kiln:'],
  ['services:\n  - name: kiln\n    url: https://kiln.example\n', 'kiln:'],
  ['services:\n  kiln: https://kiln.example\n    url: https://kiln.example\n', 'kiln:'],
  ['services:\n  kiln: { url: localhost:8080 }\n', 'kiln: { url: http://localhost:8080 }'],
  [
    'services:\n  kiln: { url: https://kiln.example, verify: no }\n',
    'kiln: { url: https://kiln.example, insecure: yes }',
  ],
  [`${SERVICE}environments:\n  - live:\n    services.kiln.url: https://live.example\n`, 'live:'],
  [`${SERVICE}environments:\n  live\n    services.kiln.url: https://live.example\n`, '  live:'],
  [`${SERVICE}environments:\n  live: { guard: confirm }\n`, 'live: { guard: ask }'],
  [`${SERVICE}environments:\n  live:\n    zone: Lisbon\n`, 'zone: Europe/Lisbon'],
  [
    `${SERVICE}environments:\n  stage: {}\n  test: {}\ndefault-environment: staging\n`,
    'default-environment: stage',
  ],
  [`${SERVICE}mask:\n  neer: [pin]\n`, 'never: [pin]'],
  [credential('kiind: bearer', 'token: ${secret.desk}'), 'kind: bearer'],
  [credential('kind: bearer', 'token: $(secret.desk)'), 'token: ${secret.desk}'],
  [
    credential('kind: bearer', 'token: ${secret.desk}').replace('env DESK', 'desk.pem'),
    'desk: file desk.pem',
  ],
  [credential('kind: bearer', 'token: ${secret.desk}').replace('env DESK', 'env("DESK")'), 'desk: env DESK'],
  [`${credential('kind: bearer', 'token: ${secret.desk}')}  mask:\n    also: [pin]\n`, 'mask:'],
  [credential(...OAUTH.with(1, 'grant: client_credentials_grant')), 'grant: client-credentials'],
  [credential(...OAUTH.with(2, 'token-url: /token')), 'token-url: ${services.kiln.url}/token'],
  [
    credential(...OAUTH.with(2, 'token-url: ${services.kiln}/token')),
    'token-url: ${services.kiln.url}/token',
  ],
  [credential(...OAUTH, 'scopes: [a, b]'), 'scope: a b'],
];

test.each(PROJECTS)('%j', (file, way) => {
  const { findings } = readProject('batharon.yaml', file, file.includes('live:') ? 'live' : undefined, false);
  expect(findings.map(({ instead, example, hint }) => instead ?? example ?? hint)).toEqual([way]);
});

test.each([
  ['YYYY-MM-DD', 'yyyy-MM-dd'],
  ['yyyy-mm-dd', 'yyyy-MM-dd'],
  ['dd.mm.yyyy', 'dd.MM.yyyy'],
  ['dd.mm.', 'dd.MM.'],
  ['yyyy-mm-dd HH:mm', 'yyyy-MM-dd HH:mm'],
  ['yyyy-MM-dd HH:MM', 'yyyy-MM-dd HH:mm'],
  ['%Y-%m-%dT%H:%M:%S', "yyyy-MM-dd'T'HH:mm:ss"],
  ['YYYY-MM-DDTHH:mm:ssZ', "yyyy-MM-dd'T'HH:mm:ssX"],
])('a date by the pattern %s', (pattern, meant) => {
  const { findings } = readChain(
    'a.chain.yaml',
    step(`- keep: { day: "format(now(), '${pattern}')" }\n  show: \${day}\n`),
    project,
  );
  expect(findings.map(({ instead }) => instead)).toEqual([
    `- keep: { day: "format(now(), '${meant.replaceAll("'", "\\\\'")}')" }`,
  ]);
});

test.each(['HH:mm d', 'yyyy-MM-dd HH:mm', "yyyy-MM-dd'T'HH:mm:ssX", 'mm:ss', 'hh:mm a', 'MMMM d', 'd.M.yy'])(
  'the pattern %s has no mistake',
  (pattern) => {
    const escaped = pattern.replaceAll("'", "\\\\'");
    const { findings } = readChain(
      'a.chain.yaml',
      step(`- keep: { day: "format(now(), '${escaped}')" }\n  show: \${day}\n`),
      project,
    );
    expect(findings).toEqual([]);
  },
);
