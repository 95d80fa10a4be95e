import type { Topic } from './topic.ts';

/** A whole chain for one of the usual jobs, with other files that it needs, by their names. */
export interface Job {
  readonly word: string;
  readonly also: string;
  readonly about: string;
  readonly chain: string;
  readonly files?: Readonly<Record<string, string>>;
}

/** Who signs in, in the project files below. */
const DESK = `credentials:
  desk:
    kind: oauth2
    grant: client-credentials
    token-url: \${services.kiln.url}/token
    client-id: studio-desk
    client-secret: \${secret.desk}
secrets:
  desk: env KILN_DESK_SECRET
`;

/** The jobs of connecting a service, in the order in which people meet them. */
export const JOBS: readonly Job[] = [
  {
    word: 'job: sign in',
    also: 'sign in, login, oauth, token, authenticate, bearer',
    about:
      'The project file says who signs in; calls of the service carry the credential, and no chain speaks of it.',
    chain: `chain: Signed in without a word about it
steps:
  - call: GET kiln /racks
    expect: status == 200
  - call: GET kiln /glazes
    as: none
    expect: status == 401
`,
    files: {
      'batharon.yaml': `services:
  kiln:
    url: practice
    as: desk
${DESK}`,
    },
  },
  {
    word: 'job: list and look up',
    also: 'list, look up, get, read, search, find an item, next request',
    about: 'A value of one response goes into the next request.',
    chain: `chain: Look a glazed piece up
inputs:
  rack: { default: A3 }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    query: { state: waiting, limit: 20 }
    expect:
      - status == 200
      - length($.pieces) > 0
    keep:
      id: first($.pieces[?@.glazed == true]).id
  - call: GET kiln /pieces/\${id}
    expect:
      - $.id == id
      - $.rack == rack
    keep: { price: $.price }
results:
  price: price
`,
  },
  {
    word: 'job: create, read back, change, delete',
    also: 'create, post, update, patch, put, delete, crud',
    about: 'What is made is taken away again, whatever happens in between.',
    chain: `chain: A piece comes and goes
steps:
  - call: POST kiln /pieces
    json: { name: test, rack: B2, price: 12.50 }
    expect: status == 201
    keep: { id: $.id }
  - call: GET kiln /pieces/\${id}
    expect: $.name == 'test'
    keep: { tag: "headers['ETag']" }
  - call: PATCH kiln /pieces/\${id}
    headers: { If-Match: "\${tag}" }
    json: { cone: 8 }
    expect: $.cone == 8
cleanup:
  - call: DELETE kiln /pieces/\${id}
    expect: status == 204
`,
  },
  {
    word: 'job: loop',
    also: 'loop, for each, foreach, iterate, parallel, concurrency, batch',
    about: 'One request for each item, some at the same time; gather makes a list of what each kept.',
    chain: `chain: The prices of a rack
steps:
  - call: GET kiln /racks/A3/pieces
    query: { limit: 50 }
    keep: { pieces: $.pieces }
  - each: piece in pieces
    name: look
    at-once: 4
    when-one-fails: continue
    steps:
      - call: GET kiln /pieces/\${piece.id}
        keep: { price: $.price }
    gather:
      prices: price
  - expect: every(look.iterations, @.ok)
  - show: \${length(prices)} pieces cost \${sum(prices)}
`,
  },
  {
    word: 'job: pages',
    also: 'pages, paging, pagination, cursor, next page, offset, all items, Link',
    about: 'By a link, by a cursor, by a number: gathered has the items of all pages.',
    chain: `chain: All pieces, in three ways
steps:
  - call: GET kiln /racks/A3/pieces
    pages:
      next: link('next')
      items: $.pieces
    keep: { by_link: "gathered[*].id" }
  - call: GET kiln /pieces
    query: { limit: 50 }
    pages:
      next-query:
        cursor: \${$.next_cursor}
      items: $.pieces
    keep: { by_cursor: "gathered[*].id" }
  - call: GET kiln /pieces
    query: { limit: 50, page: 1 }
    pages:
      next-query:
        page: \${page + 1}
      items: $.pieces
      up-to: 20
    keep: { by_number: "gathered[*].id" }
  - expect:
      - by_cursor == by_number
      - every(by_link, @ in by_cursor)
`,
  },
  {
    word: 'job: poll',
    also: 'poll, polling, wait for, long-running, job, async, until done, status endpoint',
    about: 'Asks again until the job is done. A state that neither until nor while knows ends it.',
    chain: `chain: Fire a piece and wait
steps:
  - call: POST kiln /firings
    json: { piece: p1003, cone: 5 }
    expect: status == 202
    keep: { firing: $.id }
    undo:
      - call: DELETE kiln /firings/\${firing}
  - call: GET kiln /firings/\${firing}
    poll:
      until: $.state == 'done'
      while: $.state in ['waiting', 'heating', 'soaking', 'cooling']
      every: 1s..10s
      within: 5m
    keep: { kept_at: $.cone }
`,
  },
  {
    word: 'job: pace and 429',
    also: '429, rate limit, retry, pace, throttle, backoff, flaky, unreliable, idempotency key',
    about:
      'Retry-After is obeyed without a word. pace keeps to a rate; retry repeats what got no response or a server error; idempotency lets a POST be repeated.',
    chain: `chain: Ask a moody service
steps:
  - call: GET kiln /moody/racks
    retry: { attempts: 20, wait: 10ms..100ms, on: [no-response, 429, 5xx], when: type != 'application/json' }
    read-as: text
    expect: status == 2xx
  - call: POST kiln /firings
    json: { piece: p1021 }
    idempotency: yes
    retry: { attempts: 5, wait: 100ms..2s }
    expect: status == 202
    keep: { firing: $.id }
cleanup:
  - call: DELETE kiln /firings/\${firing}
`,
    files: {
      'batharon.yaml': `services:
  kiln:
    url: practice
    as: desk
    pace: { rate: 20 per second, burst: 5, at-once: 4 }
${DESK}`,
    },
  },
  {
    word: 'job: files up and down',
    also: 'upload, download, file, multipart, attachment, binary, save, image',
    about:
      'A file is read while it is sent, a body written while it comes; it has its name once the step has passed.',
    chain: `chain: A picture up, a film down
steps:
  - call: PUT kiln /pieces/p1001/photo
    file: bowl.svg
    expect:
      - status == 201
      - $.sha256 == hex(digest(bytes('bowl.svg'), 'sha-256'))
  - call: PUT kiln /pieces/p1001/photo
    multipart:
      title: Bowl
      drawing: { file: bowl.svg, type: image/svg+xml }
    expect: begins($.type, 'multipart/form-data')
  - call: GET kiln /film
    query: { megabytes: 2 }
    save: out/film.mp4
    expect:
      - type == 'video/mp4'
      - size > 1000000
`,
    files: { 'bowl.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"/>\n' },
  },
  {
    word: 'job: rows in and out',
    also: 'csv, rows, table, spreadsheet, jsonl, import rows, export rows, write a file',
    about:
      'An input of kind rows is read row by row; write puts a row into a file, and brings the row with the same key up to date.',
    chain: `chain: What pieces of a list cost
inputs:
  wanted: { kind: rows, default: pieces.csv, columns: { cone: number } }
steps:
  - each: row in wanted
    steps:
      - call: GET kiln /pieces/\${row.id}
        expect: status == 200
        write:
          to: prices.csv
          row:
            id: \${row.id}
            price: \${$.price}
            day: \${date(now())}
          one-row-per: id
`,
    files: { 'pieces.csv': 'id,cone\np1001,6\np1002,7\n' },
  },
  {
    word: 'job: environments',
    also: 'environment, environments, staging, production, stage, live, --env',
    about:
      'One chain, several places: an environment sets what differs, and guard keeps it from changing anything unasked.',
    chain: `chain: The same in each environment
steps:
  - call: GET kiln /racks
    expect: length($.racks) > 0
  - show: \${studio} in \${environment}
`,
    files: {
      'batharon.yaml': `services:
  kiln:
    url: practice
    as: desk
${DESK}values:
  studio: north
environments:
  practice: {}
  live:
    services.kiln.url: https://api.emberfold.example/v1
    secrets.desk: env KILN_LIVE_SECRET
    values.studio: south
    guard: ask
default-environment: practice
`,
    },
  },
  {
    word: 'job: followed chains',
    also: 'follow, include, call another chain, reuse, subroutine, shared steps, import a chain',
    about: 'Another chain as a step: its inputs are given, its results are members of the name of the step.',
    chain: `chain: The pieces of two racks
define:
  label(rack, ids): rack + ' has ' + text(length(ids))
steps:
  - each: rack in ['A1', 'A2']
    steps:
      - follow: rack.chain.yaml
        name: one
        inputs: { rack: "\${rack}" }
        show: \${label(rack, ids)}
    gather:
      ids: one.ids
results:
  ids: flat(ids)
`,
    files: {
      'rack.chain.yaml': `chain: The pieces of a rack
inputs:
  rack: { about: which rack }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    query: { limit: 50 }
    keep:
      ids: $.pieces[*].id
results:
  ids: ids
`,
    },
  },
  {
    word: 'job: notice that a service has changed',
    also: 'api changed, drift, breaking change, contract, contract test, schema, json schema, openapi, has the response the right structure, nightly',
    about:
      'fits(…) holds a response to a schema under shapes; batharon shape makes one of recorded responses. Where the service has an OpenAPI description, `description: FILE` on it does that for every response, with contract: strict as a failure; batharon run --against passed compares with the last run.',
    chain: `chain: The racks are as we rely on
shapes:
  Rack:
    type: object
    required: [id, pieces]
    properties:
      id: { type: string }
      pieces: { type: integer, minimum: 0 }
steps:
  - call: GET kiln /racks
    expect: every(rack in $.racks, fits(rack, 'Rack'))
`,
  },
  {
    word: 'job: undo',
    also: 'undo, rollback, cleanup, teardown, compensate, take back, finally',
    about:
      'undo on the step that made something takes it back at the end of the run, the last first; cleanup is for the whole chain.',
    chain: `chain: Make three pieces, and take them back
steps:
  - each: name in ['cup', 'bowl', 'jar']
    steps:
      - call: POST kiln /pieces
        json: { name: "\${name}", rack: B2, price: 12.50 }
        expect: status == 201
        keep: { id: $.id }
        undo:
          - call: DELETE kiln /pieces/\${id}
`,
  },
];

export const jobTopics: readonly Topic[] = JOBS.map(({ word, also, about, chain, files = {} }) => ({
  word,
  what: 'whole example',
  group: 'usual jobs',
  about,
  details: [],
  examples: [chain.trimEnd(), ...Object.entries(files).map(([name, text]) => `# ${name}\n${text.trimEnd()}`)],
  also: also.split(', '),
}));
