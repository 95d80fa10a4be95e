import type { FileName } from './files.ts';

/**
 * Lines with more than one mistake, or with one that was once put right wrongly, and the line that is then shown: as a person
 * would have written it, not only one that `check` accepts.
 */
export const WHOLE_LINES: Readonly<
  Record<FileName, readonly (readonly [right: string, wrong: string, shown: string])[]>
> = {
  'rack.chain.yaml': [
    [
      '      - time($.made) > since',
      '      - $.made + 3 months > since',
      '- "shift(time($.made), { months: 3 }) > since"',
    ],
    [
      '      - time($.made) > since',
      "      - shift(time($.made), '1 month') > since",
      '- "shift(time($.made), { months: 1 }) > since"',
    ],
    ['      title: upper($.title)', '      title: query($.title).page', 'title: url($.title).query.page'],
    ['      - status == 200', '      - isNumber($.price)', "- kind($.price) == 'number'"],
    [
      '  glaze: { kind: choice, choices: [ash, celadon], default: ash }',
      '  glaze: { kind: enum, values: [ash, celadon], default: ash }',
      'glaze: { kind: choice, choices: [ash, celadon], default: ash }',
    ],
    [
      '  limit: { kind: number, default: 5 }',
      '  limit: { type: integer, default: 5, min: 1 }',
      'limit: { kind: number, default: 5, must: limit >= 1 }',
    ],
    [
      '  limit: { kind: number, default: 5 }',
      '  limit: { kind: number, default: 5, required: true }',
      'limit: { kind: number, default: 5 }',
    ],
    [
      '  since: { kind: date, default: 2026-03-01 }',
      '  since: { kind: date, default: 01.03.2026 }',
      'since: { kind: date, default: 2026-03-01 }',
    ],
    ['  rack: { default: A3 }', '  rack: { default: "A3 }', 'rack: { default: "A3" }'],
    ['  rack: { default: A3 }', '  rack: = A3', 'rack: { default: A3 }'],
    [
      '  - call: GET kiln /racks/${rack}/pieces',
      '  - call: GET kiln racks/$rack/pieces',
      '- call: GET kiln /racks/${rack}/pieces',
    ],
    [
      '  - call: GET kiln /racks/${rack}/pieces',
      '  - request: GET kiln /racks/{rack}/pieces',
      '- call: GET kiln /racks/${rack}/pieces',
    ],
    [
      '  - call: GET kiln /racks/${rack}/pieces',
      '  - call: GET kiln:/racks/${rack}/pieces',
      '- call: GET kiln /racks/${rack}/pieces',
    ],
    [
      '  - call: GET kiln /racks/${rack}/pieces',
      '  - call: GET kiln /racks/#{rack}/pieces',
      '- call: GET kiln /racks/${rack}/pieces',
    ],
    [
      '  - call: GET kiln /racks/${rack}/pieces',
      '  - call: GET kiln /racks/" + rack + "/pieces',
      '- call: GET kiln /racks/${rack}/pieces',
    ],
    ['    as: desk', '    auth: bearer desk', 'as: desk'],
    ['    as: desk', '    as: ${secret.desk}', 'as: desk'],
    ['      limit: ${limit}', '      limit: ${limit}}', 'limit: ${limit}'],
    ['      Accept-Language: en', '      - Accept-Language: en', 'Accept-Language: en'],
    ['    timeout: 10s', '    timeout: 00:01:30', 'timeout: 1m30s'],
    ['      - status == 200', '      status == 200', '- status == 200'],
    ['      - status == 200', '      - status = 200 or 201', '- status in [200, 201]'],
    ['      - status == 200', '      - status != 404 or 410', '- "!(status in [404, 410])"'],
    ['      - length($.pieces) > 0', '      - length($.pieces > 0)', '- length($.pieces) > 0'],
    ['      - length($.pieces) > 0', '      - $.pieces not empty', '- length($.pieces) > 0'],
    [
      '      - length($.pieces) > 0',
      '      - response.body.pieces.length > 0',
      '- length(response.body.pieces) > 0',
    ],
    [
      '      - every($.pieces, @.cone <= 10)',
      '      - every($.pieces, $.cone =< 10)',
      '- every($.pieces, @.cone <= 10)',
    ],
    [
      '      - every($.pieces, @.cone <= 10)',
      '      - forall($.pieces, it.cone <= 10)',
      '- every($.pieces, @.cone <= 10)',
    ],
    [
      '      - every($.pieces, @.cone <= 10)',
      '      - every(p in $.pieces: p.cone <= 10)',
      '- every(p in $.pieces, p.cone <= 10)',
    ],
    ['      - elapsed < 800ms', '      - response.time < 800 ms', '- elapsed < 800ms'],
    ['      first: $.pieces[0].id', '      first: $.pieces[1].id || null', 'first: $.pieces[1].id ?? null'],
    ['      first: $.pieces[0].id', '      first: get($, "pieces.0.id")', 'first: $.pieces[0].id'],
    ['      title: upper($.title)', '      title: upper("$.title")', 'title: upper($.title)'],
    [
      '      title: upper($.title)',
      '      title: UPPER($.title) || "none"',
      'title: upper($.title) ?? "none"',
    ],
    [
      '  - when: deep == true && length(ids) > 1',
      '  - if: deep == "yes" and ids.length > 1',
      '- when: deep == true && length(ids) > 1',
    ],
    [
      "    expect: $.glaze in ['ash', 'celadon', glaze]",
      '    expect: $.glaze in (ash, celadon, glaze)',
      "expect: $.glaze in ['ash', 'celadon', glaze]",
    ],
    [
      '      dear: $.pieces[?@.price > limit]',
      '      dear: $.pieces[?price > limit && state == "done"]',
      'dear: $.pieces[?@.price > limit && @.state == "done"]',
    ],
    [
      '  glaze: { kind: choice, choices: [ash, celadon], default: ash }',
      '  glaze: { kind: choice, choices: ash, celadon, default: ash }',
      'glaze: { kind: choice, choices: [ash, celadon], default: ash }',
    ],
    [
      '      title: upper($.title)',
      '      title: piece ${first} of ${rack}',
      "title: \"'piece ' + first + ' of ' + rack\"",
    ],
    ['      - elapsed < 800ms', '      - size < 10KB && elapsed < 1 week', '- size < 10000 && elapsed < 7d'],
    ['      - status == 200', '      - status: == 200', '- status == 200'],
    ['      first: $.pieces[0].id', '      first: $.pieces[first].id', 'first: first($.pieces).id'],
    [
      '      title: upper($.title)',
      '      title: `rack ${rack}: ${$.title}`',
      "title: \"'rack ' + rack + ': ' + $.title\"",
    ],
    [
      '      title: upper($.title)',
      "      title: hmac_sha256($.title, 'key')",
      "title: hex(hmac('key', $.title, 'sha-256'))",
    ],
    [
      '  - when: deep == true && length(ids) > 1',
      '  - when: ids is defined and list.passed',
      '- when: exists(ids) && list.ok',
    ],
  ],
  'fire.chain.yaml': [
    [
      '    retry: { attempts: 4, wait: 1s..30s }',
      '    retry: { max: 4, delay: 1s-30s }',
      'retry: { attempts: 4, wait: 1s..30s }',
    ],
    ['    keep: { firing: $.id }', '    save: { firing: $.id }', 'keep: { firing: $.id }'],
    [
      "      while: $.state in ['waiting', 'heating']",
      "      while: $.state == 'waiting' | 'heating'",
      "while: $.state in ['waiting', 'heating']",
    ],
    [
      '    retry: { attempts: 4, wait: 1s..30s }',
      '    retry: { attempts: 4, on: [timeout, server-error] }',
      'retry: { attempts: 4, on: [no-response, 5xx] }',
    ],
  ],
  'loops.chain.yaml': [
    [
      '      next-query: { cursor: "${$.next_cursor}" }',
      '      next: { cursor: $.next_cursor }',
      'next-query: { cursor: "${$.next_cursor}" }',
    ],
    ['  - each: piece in pieces', '  - for: piece of pieces', '- each: piece in pieces'],
    ['      - max(prices) < 1000', '      - Math.max(prices) < 1000', '- max(prices) < 1000'],
    [
      '        day: ${date(now())}',
      '        day: ${now().format("yyyy-MM-dd")}',
      'day: ${format(now(), "yyyy-MM-dd")}',
    ],
  ],
  'batharon.yaml': [
    ['    token: ${secret.desk}', '    token: $KILN_DESK', 'token: ${secret.desk}'],
    ['    pace: 10 per second', '    rate-limit: 10/s', 'pace: 10 per second'],
  ],
};
