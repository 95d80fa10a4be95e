/** Files without a fault, each of which a mistake is put into. */
export const FILES = {
  'rack.chain.yaml': `chain: Pieces of a rack
about: What is on a rack, and what it costs.
tags: [nightly]
inputs:
  rack: { default: A3 }
  limit: { kind: number, default: 5 }
  deep: { kind: yes-no, default: no }
  glaze: { kind: choice, choices: [ash, celadon], default: ash }
  since: { kind: date, default: 2026-03-01 }
steps:
  - call: GET kiln /racks/\${rack}/pieces
    name: list
    as: desk
    query:
      state: waiting
      limit: \${limit}
    headers:
      Accept-Language: en
    timeout: 10s
    expect:
      - status == 200
      - length($.pieces) > 0
      - every($.pieces, @.cone <= 10)
      - elapsed < 800ms
      - time($.made) > since
      - headers['Content-Type'] == 'application/json'
    keep:
      first: $.pieces[0].id
      ids: $.pieces[*].id
      dear: $.pieces[?@.price > limit]
      title: upper($.title)
  - when: deep == true && length(ids) > 1
    name: deeper
    call: GET kiln /pieces/\${first}
    expect: $.glaze in ['ash', 'celadon', glaze]
    show: \${first} has glaze \${$.glaze} on \${date(now())}
  - wait: 2s
  - show: \${glaze} since \${since}, \${deep}
  - expect: list.status == 200
results:
  ids: ids
  dear: dear
  count: length(ids)
  title: replace(title, 'A', 'B')
`,
  'fire.chain.yaml': `chain: Fire a piece
inputs:
  piece: { about: which one }
  cone: { kind: number, default: 6, must: cone > 0 }
steps:
  - call: POST kiln /firings
    name: load
    json:
      piece: \${piece}
      cone: \${cone}
      tags: [night, "\${piece}"]
    idempotency: yes
    retry: { attempts: 4, wait: 1s..30s }
    expect: status == 202
    keep: { firing: $.id }
    undo:
      - call: DELETE kiln /firings/\${firing}
  - call: GET kiln /firings/\${firing}
    name: fired
    poll:
      until: $.state == 'done'
      while: $.state in ['waiting', 'heating']
      every: 1s..10s
      within: 5m
    on-fail: continue
  - when: fired.ok
    name: after
    steps:
      - call: PATCH kiln /pieces/\${piece}
        form: { state: fired }
        read-as: text
      - show: fired
    else:
      - show: not fired
cleanup:
  - call: DELETE kiln /trays/\${piece}
`,
  'loops.chain.yaml': `chain: All pieces
steps:
  - call: GET kiln /pieces
    name: all
    pages:
      next-query: { cursor: "\${$.next_cursor}" }
      items: $.pieces
      up-to: 50
    keep:
      pieces: gathered
  - each: piece in pieces
    name: look
    at-once: 4
    when-one-fails: continue
    steps:
      - call: GET kiln /pieces/\${piece.id}
        redirects: 2
        keep: { price: number($.price) }
    gather:
      prices: price
  - repeat:
      until: left == 0
      up-to: 20
      every: 2s
    start:
      left: "3"
    steps:
      - keep: { left: left - 1 }
  - expect:
      - holds: sum(prices) > 100
        because: the rack is worth more
      - max(prices) < 1000
  - write:
      to: prices.csv
      row:
        total: \${sum(prices)}
        day: \${date(now())}
      one-row-per: day
`,
  'batharon.yaml': `services:
  kiln:
    url: https://kiln.example/v1
    as: desk
    pace: 10 per second
    timeout: { connect: 2s, total: 20s }
    headers:
      Accept: application/json
credentials:
  desk:
    kind: bearer
    token: \${secret.desk}
  counter:
    kind: oauth2
    grant: client-credentials
    token-url: https://kiln.example/token
    client-id: studio
    client-secret: \${secret.counter}
secrets:
  desk: env KILN_DESK
  counter: file counter.txt
values:
  studio: north
environments:
  test:
    values.studio: south
  live:
    services.kiln.url: https://live.kiln.example/v1
    secrets.desk: env KILN_LIVE
default-environment: test
zone: Europe/Lisbon
guard: ask
`,
} as const;
export type FileName = keyof typeof FILES;
