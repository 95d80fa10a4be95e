// Provokes each code once and keeps what is printed in messages.txt, so that all messages can be read as one text, and a
// change of one is seen. UPDATE=1 npm test -- messages writes the file anew.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../src/core/chain/read/read-project.ts';
import { problemCodes } from '../../src/core/problem-codes.ts';
import { ProblemError } from '../../src/core/problems.ts';
import { adviceOf } from '../../src/cli/terminal/print-findings.ts';
import { runChain, type RunSetting } from '../core/engine/support.ts';

interface Said {
  readonly code: string;
  readonly message: string;
  readonly hint?: string | undefined;
  readonly instead?: string | undefined;
  readonly example?: string | undefined;
}

const KILN = 'services:\n  kiln: { url: "https://kiln.example/v1" }\n';
const OTHERS = { 'b.chain.yaml': 'chain: B\nsteps: [ { follow: a.chain.yaml } ]\n' };

/** What a check of a chain says; steps alone stand in a chain of their own. */
function checked(text: string, project = KILN): readonly Said[] {
  const read = readProject('batharon.yaml', project, undefined, true);
  const whole = text.startsWith('chain:') ? text : `chain: A\nsteps:\n${text}\n`;
  const { findings } = readChain('a.chain.yaml', whole, read.project, {
    files: (path) => {
      const other = (OTHERS as Record<string, string>)[path];
      return path === 'a.chain.yaml'
        ? { path, text: whole }
        : other === undefined
          ? undefined
          : { path, text: other };
    },
  });
  return [...read.findings, ...findings];
}

/** What a check says of an expression that a step keeps. */
const kept = (expression: string): readonly Said[] =>
  checked(`  - call: GET kiln /a\n    keep: { x: ${JSON.stringify(expression)} }`);

/** What a project file alone has wrong. */
const project = (text: string): readonly Said[] =>
  readProject('batharon.yaml', text, undefined, true).findings;

/** What a run says: failed expectations, failures of steps and of the run, and warnings. */
async function ran(
  steps: string,
  script: Parameters<typeof runChain>[1] = () => ({ json: '{}' }),
  setting: RunSetting = {},
): Promise<readonly Said[]> {
  const text = steps.startsWith('chain:') ? steps : `chain: A\nsteps:\n${steps}\n`;
  const { events } = await runChain(text, script, { project: KILN, allowUnexplained: true, ...setting });
  return events.flatMap((event): Said[] => {
    if (event.event === 'warning') return [event];
    if (event.event === 'expected' && !event.passed)
      return [
        {
          code: event.code!,
          message: `expected ${event.condition}, got ${event.got!}`,
          ...(event.hint === undefined ? {} : { hint: event.hint }),
        },
      ];
    return 'problem' in event && event.problem ? [event.problem] : [];
  });
}

const json =
  (text: string, more: object = {}): Parameters<typeof runChain>[1] =>
  () => ({ json: text, ...more });
const got = (expression: string, body: string): Promise<readonly Said[]> =>
  ran(`  - call: GET kiln /a\n    keep: { x: ${JSON.stringify(expression)} }`, json(body));
const redirecting =
  (location: string): Parameters<typeof runChain>[1] =>
  () => ({
    status: 302,
    headers: [['location', location]],
  });
const DEEP = `${'['.repeat(600)}${']'.repeat(600)}`;

const CASES: Readonly<Record<string, () => readonly Said[] | Promise<readonly Said[]>>> = {
  'bad-syntax': () => kept('$.a ==='),
  'too-long': () => kept(`'${'x'.repeat(10_001)}'`),
  'too-deep': () => kept(`${'('.repeat(150)}1${')'.repeat(150)}`),
  'filter-not-standard': () => kept('$.a[?match(@.b, 1) == true]'),
  'list-in-comparison': () => kept('$.a[?@.b[*] == 1]'),
  'unknown-name': () => kept('rakc.id'),
  'unknown-function': () => kept('lenght($.a)'),
  'unknown-member': () => checked('  - keep: { a: { one: 1 } }\n  - keep: { b: a.two }'),
  'unknown-zone': () => kept("date(now(), 'Europe/Celadon')"),
  'unknown-algorithm': () => kept("digest('a', 'sha-7')"),
  'wrong-arguments': () => kept('length()'),
  'wrong-kind': () => kept('lower(7)'),
  'kinds-differ': () => kept("1 < 'a'"),
  'not-yes-or-no': () => checked('  - call: GET kiln /a\n    expect: length($)'),
  'may-be-nothing': () =>
    checked('  - call: GET kiln /a\n    when: 1 == 2\n    keep: { x: $.x }\n  - show: ${x}'),
  'no-response-here': () => checked('  - keep: { a: $.b }'),
  'no-item': () => kept('@.a'),
  'function-not-here': () => kept('raw($.a)'),
  'pattern-invalid': () => kept("search($.a, '[')"),
  'number-pattern-invalid': () => kept("format(1, 'x.y')"),
  'date-pattern-invalid': () => kept("format(now(), 'yyyy-QQ')"),
  'existence-of-false': () => got('$.a[?@.on]', '{"a":[{"on":false}]}'),
  'path-in-no-item': () => got("$.a[?@.stat == 'x']", '{"a":[{"state":"x"}]}'),
  'path-in-some-items': () => got('$.a[*].b', '{"a":[{"b":1},{"c":1}]}'),
  'expectation-not-met': () =>
    ran(
      '  - call: GET kiln /a\n    expect: { holds: $.cone <= 10, because: the kiln is old, else: warning }',
      json('{"cone":11}'),
    ),
  'not-answered': () => ran('  - { ask: Which glaze?, name: glaze, choices: [ash, celadon] }'),
  'found-nothing': () => got('$.rack.piece', '{"rack":{"pieces":[1]}}'),
  'not-a-number': () => got('number($.a)', '{"a":"six"}'),
  'not-a-time': () => got('time($.a)', '{"a":"soon"}'),
  'not-encoded': () => got('unbase64($.a)', '{"a":"%%"}'),
  'not-json': () => ran('  - call: POST kiln /a\n    json: { wait: "${90s}" }'),
  'json-invalid': () => got('parse($.a)', '{"a":"{"}'),
  'division-by-zero': () => got('1 / $.a', '{"a":0}'),
  'list-too-long': () => got('range(1, $.a)', '{"a":99999999}'),
  'text-too-long': () => got("join(map(range(1, 90000), $.a), '')", JSON.stringify({ a: 'x'.repeat(1000) })),
  'json-too-deep': () => got('parse($.a)', JSON.stringify({ a: DEEP })),
  'yaml-trap': () => checked('  - show: piece #${x}, ${y}\n  - call: GET kiln /a\n    expect: !$.a'),
  'unknown-key': () => checked('  - call: GET kiln /a\n    expct: status == 200'),
  'missing-key': () => project('services: { kiln: {} }\n'),
  'wrong-form': () => checked('  - call: GET kiln /a\n    redirects: many'),
  'name-invalid': () => checked('  - keep: { 1a: 1 }'),
  'name-twice': () => checked('  - { name: a, wait: 1s }\n  - { name: a, wait: 1s }'),
  'unknown-service': () => checked('  - call: GET kln /a'),
  'unknown-credential': () => checked('  - call: GET kiln /a\n    as: desk'),
  'unknown-environment': () =>
    readProject('batharon.yaml', `${KILN}environments: { live: {} }\n`, 'alive', true).findings,
  'environment-needed': () => project(`${KILN}environments: { live: {}, test: {} }\n`),
  'expression-in-text': () => checked('  - call: POST kiln /a\n    json: { id: uuid() }'),
  'index-in-each-item': () => kept('$.a[?@.b == 1][0]'),
  'comment-in-text': () => checked('  - show: Order #1'),
  'sign-in-text': () => checked('  - call: GET kiln /a\n    query: { state: [new; paid] }'),
  'json-in-text': () => checked('  - call: POST kiln /a\n    json: |\n      {"a": 1}'),
  'file-in-text': () => checked('  - call: POST kiln /a\n    multipart: { photo: bowl.png }'),
  'text-in-expression': () => kept('${a}'),
  'secret-in-plain-text': () =>
    project(`${KILN}credentials: { desk: { kind: bearer, token: 8f3a91c0d2e54b6788aa } }\n`),
  'unknown-method': () => checked('  - call: GTE kiln /a'),
  'blank-in-path': () => checked('  - call: GET kiln /a /b'),
  'cursor-as-address': () => checked('  - call: GET kiln /a\n    pages: { next: $.next_cursor, items: $.a }'),
  'query-as-value': () => checked('  - call: GET kiln /a?${run.id}'),
  'path-in-quotes': () => checked('  - call: GET kiln /a\n    keep: { x: "upper(\'$.title\')" }'),
  'item-not-used': () => checked('  - call: GET kiln /a\n    expect: every($.pieces, $.cone <= 10)'),
  'length-as-member': () => checked('  - call: GET kiln /a\n    expect: $.a.length > 0'),
  'given-name': () => checked('  - call: GET kiln /a\n    keep: { url: $.next }'),
  'unused-input': () => checked('chain: A\ninputs: { rack: { default: A3 } }\nsteps: [ { wait: 1s } ]\n'),
  'chain-circle': () => checked('  - follow: a.chain.yaml'),
  'encoded-twice': () => checked('  - call: GET kiln /a\n    query: { q: "${percent(\'a b\')}" }'),
  'parameter-twice': () => checked('  - call: GET kiln /a?q=1\n    query: { q: 2 }'),
  'file-not-found': () => checked('  - follow: c.chain.yaml'),
  'plain-http': () =>
    project(
      'services: { kiln: { url: "http://kiln.example", as: desk } }\ncredentials: { desk: { kind: bearer, token: "${secret.desk}" } }\nsecrets: { desk: env DESK }\n',
    ),
  'not-sent-again': () =>
    ran('  - call: POST kiln /a\n    retry: { attempts: 3, wait: 1s }', json('{}', { status: 503 })),
  'next-page': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { all: $.pieces }',
      json('{"pieces":[1]}', { headers: [['link', '<?page=2>; rel="next"']] }),
    ),
  'not-as-expected': () => ran('  - call: GET kiln /a\n    expect: $.cone == 6', json('{"cone":7}')),
  'status-not-expected': () =>
    ran('  - call: GET kiln /a', json('{"detail":"no such rack"}', { status: 404 })),
  'response-not-as-typed': () =>
    ran('  - call: GET kiln /a', () => ({ json: '<html><title>Kiln closed</title></html>' })),
  'not-a-list': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { a: $.a }\n  - each: x in a\n    steps: [ { wait: 1s } ]',
      json('{"a":7}'),
    ),
  'not-a-count': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { n: $.n }\n  - each: x in [1]\n    at-once: ${n}\n    steps: [ { wait: 1s } ]',
      json('{"n":0}'),
    ),
  'not-a-duration': () =>
    ran('  - call: GET kiln /a\n    keep: { n: $.n }\n  - wait: ${n}', json('{"n":"soon"}')),
  'too-few-iterations': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { a: $.a }\n  - each: x in a\n    at-least: 2\n    steps: [ { wait: 1s } ]',
      json('{"a":[1]}'),
    ),
  'page-repeats': () =>
    ran(
      "  - call: GET kiln /a\n    pages: { next: link('next'), items: $.a }",
      json('{"a":[1]}', { headers: [['link', '</v1/a>; rel="next"']] }),
    ),
  'poll-given-up': () =>
    ran(
      "  - call: GET kiln /a\n    poll: { until: $.s == 'done', give-up-when: $.s == 'cracked', every: 1s, within: 5s }",
      json('{"s":"cracked"}'),
    ),
  'poll-unforeseen': () =>
    ran(
      "  - call: GET kiln /a\n    poll: { until: $.s == 'done', while: $.s == 'hot', every: 1s, within: 5s }",
      json('{"s":"cracked"}'),
    ),
  'not-a-pointer': () => got("pointer($, 'a')", '{"a":1}'),
  'clock-change': () =>
    ran('  - call: GET kiln /a\n    keep: { x: "time($.a) + 1d" }', json('{"a":"2026-03-28T12:00:00Z"}'), {
      project: `${KILN}zone: Europe/Paris\n`,
    }),
  'poll-out-of-time': () =>
    ran(
      "  - call: GET kiln /a\n    poll: { until: $.s == 'done', every: 1s, within: 3s }",
      json('{"s":"hot"}'),
    ),
  'bound-reached': () =>
    ran('  - repeat: { until: false == true, up-to: 3 }\n    steps: [ { call: GET kiln /a } ]'),
  'retry-after-too-long': () =>
    ran('  - call: GET kiln /a', json('{}', { status: 429, headers: [['retry-after', '3600']] })),
  'retry-after-unclear': () =>
    ran('  - call: GET kiln /a', (_, nth) => ({
      json: '{}',
      ...(nth > 0 ? {} : { status: 429, headers: [['retry-after', 'soon']] }),
    })),
  'no-callback': () =>
    ran('  - call: POST kiln /a\n    json: { to: "${callback}" }\n    callback: { within: 5s }', undefined, {
      ports: {
        callbacks: {
          open: async () => ({ url: 'http://127.0.0.1:1/x', close: () => undefined }),
        },
      },
    }),
  'too-many-redirects': () => ran('  - call: GET kiln /a', redirecting('https://kiln.example/v1/a')),
  'redirect-invalid': () => ran('  - call: GET kiln /a', redirecting('http://[')),
  'other-origin': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { next: $.next }\n  - call: GET kiln ${next}',
      json('{"next":"https://elsewhere.example/b"}'),
    ),
  'bad-insertion': () =>
    ran(
      '  - call: GET kiln /a\n    keep: { x: $.x }\n  - call: GET kiln /b\n    headers: { Note: "${x}" }',
      json('{"x":"a\\nb"}'),
    ),
  'not-a-url': () =>
    ran('  - call: GET kiln /a\n    keep: { x: $.x }\n  - call: GET kiln ${x}', json('{"x":"ftp://a"}')),
  'input-invalid': () =>
    ran(
      'chain: A\ninputs: { cone: { kind: number, default: 0, must: cone >= 1 } }\nsteps: [ { call: "GET kiln /${cone}" } ]\n',
    ),
  'secret-missing': () =>
    ran('  - call: GET kiln /a\n    headers: { Key: "${secret.desk}" }', undefined, {
      project: `${KILN}secrets: { desk: env DESK }\n`,
    }),
  'secret-too-short': () =>
    ran('  - call: GET kiln /a\n    headers: { Key: "${secret.desk}" }', undefined, {
      project: `${KILN}secrets: { desk: env DESK }\n`,
      secrets: { desk: 'abc' },
    }),
  'secret-elsewhere': () =>
    ran(
      '  - call: POST kiln /a\n    json: { key: "${secret.desk}" }',
      () => ({ status: 307, headers: [['location', 'https://elsewhere.example/b']] }),
      { project: `${KILN}secrets: { desk: env DESK }\n`, secrets: { desk: 'celadon-ash-4417' } },
    ),
  guarded: () =>
    ran('  - call: DELETE kiln /a', undefined, {
      project: `${KILN}environments: { live: { guard: reads-only } }\nenvironment: live\n`,
    }),
  'sign-in-refused': () =>
    ran('  - call: GET kiln /a', () => ({ status: 401, json: '{}' }), {
      project:
        'services:\n  kiln: { url: "https://kiln.example/v1", as: desk }\ncredentials: { desk: { kind: bearer, token: "${secret.desk}" } }\nsecrets: { desk: env DESK }\n',
      secrets: { desk: 'celadon-ash-4417' },
    }),
};

test('each code says what, why, and what to do; all stand in messages.txt', async () => {
  const lines: string[] = [];
  const silent: string[] = [];
  for (const code of Object.keys(problemCodes)) {
    const provoke = CASES[code];
    if (!provoke) continue;
    let said: readonly Said[];
    try {
      said = await provoke();
    } catch (error) {
      said = error instanceof ProblemError ? [error.problem] : [{ code: 'none', message: String(error) }];
    }
    const one = said.find((each) => each.code === code);
    if (!one) silent.push(`${code}: ${JSON.stringify(said.map((each) => [each.code, each.message]))}`);
    else {
      const advice = adviceOf(one).map(([label, text]) => `\n    ${label}: ${text}`);
      lines.push(`${code}\n    ${one.message}${advice.join('')}\n`);
    }
  }
  expect(silent).toEqual([]);
  const path = join(import.meta.dirname, 'messages.txt');
  const text = lines.join('\n');
  if (process.env.UPDATE === '1' || !existsSync(path)) writeFileSync(path, text);
  expect(text).toBe(readFileSync(path, 'utf8'));
});

/** Codes whose message needs a network, a disk, a terminal or a file of another format: the tests that meet them. */
const ELSEWHERE: Readonly<Record<string, string>> = {
  'team-away': 'team/shared.test.ts',
  'outcome-unknown': 'team/kills.test.ts',
  'no-worker': 'team/spread.test.ts',
  'team-missing': 'team/spread.test.ts',
  'worker-refused': 'team/spread.test.ts',
  'unknown-schema': 'core/chain/read/check-described.test.ts',
  'not-described': 'core/chain/read/check-described.test.ts',
  'not-as-described': 'core/chain/read/check-described.test.ts',
  'not-a-description': 'io/description/suites.test.ts',
  'no-description': 'cli/commands/calls.test.ts',
  'description-not-fetched': 'cli/commands/calls.test.ts',
  'description-missing': 'cli/commands/calls.test.ts',
  'description-altered': 'cli/commands/calls.test.ts',
  'description-flawed': 'cli/commands/calls.test.ts',
  'stream-ended': 'core/engine/call/stream.test.ts',
  'stream-out-of-time': 'core/engine/call/stream.test.ts',
  'stream-silent': 'core/engine/call/stream.test.ts',
  'live-empty': 'core/engine/call/stream.test.ts',
  'no-such-case': 'core/engine/steps/accept.test.ts',
  'pattern-too-large': 'core/language/expressions.test.ts',
  'not-text': 'core/language/expressions.test.ts',
  'number-too-long': 'core/language/expressions.test.ts',
  'too-many-nodes': 'core/language/expressions.test.ts',
  yaml: 'core/chain/source/yaml-traps.test.ts',
  'secret-not-here': 'core/engine/call/hostile.test.ts',
  unreachable: 'cli/project/folders.test.ts',
  'file-not-text': 'io/files/row-files.test.ts',
  'proxy-refused': 'cli/proxies.test.ts',
  'locked-unreadable': 'io/secrets/secrets.test.ts',
  'xml-invalid': 'core/language/functions.test.ts',
  'selector-invalid': 'io/files/markup.test.ts',
  'no-such-form': 'io/files/markup.test.ts',
  'namespace-hides': 'cli/commands/markup.test.ts',
  'xpath-invalid': 'core/language/functions.test.ts',
  'not-verified': 'io/credentials/credentials.test.ts',
  'file-not-written': 'core/engine/pace/traffic.test.ts',
  'row-not-fitting': 'cli/decisions.test.ts',
  'cannot-add': 'import/import.test.ts',
  'no-such-step': 'cli/records/recorded.test.ts',
  'no-record': 'api/api.test.ts',
  'record-unreadable': 'io/record/record.test.ts',
  'not-recorded': 'cli/records/recorded.test.ts',
  'not-sent': 'claims/requests.test.ts',
  'cannot-resume': 'claims/program.test.ts',
  'sent-before': 'core/engine/run/resume.test.ts',
  'import-unreadable': 'import/import.test.ts',
  'secret-moved': 'core/chain/read/read-project.test.ts',
  'not-trusted': 'cli/project/hostile-folder.test.ts',
  'input-missing': 'core/engine/scope/inputs.test.ts',
  'not-signed': 'practice/proofs.test.ts',
  'callback-ignored': 'core/engine/pace/traffic.test.ts',
  defect: 'cli/project/hostile-folder.test.ts',
  'budget-used-up': 'core/engine/pace/traffic.test.ts',
  'ledger-unreadable': 'io/http/traffic.test.ts',
  'listener-failed': 'io/http/traffic.test.ts',
  'time-limit': 'core/engine/run/run.test.ts',
  'connection-refused': 'core/engine/pace/traffic.test.ts',
  'connection-reset': 'claims/requests.test.ts',
  'unknown-host': 'core/engine/pace/traffic.test.ts',
  'host-unreachable': 'io/http/unreachable.test.ts',
  'tls-failed': 'io/http/http.test.ts',
  'certificate-refused': 'io/http/http.test.ts',
  'not-http': 'cli/commands/commands.test.ts',
  'body-too-large': 'io/http/transfer.test.ts',
  'body-broken': 'io/http/transfer.test.ts',
  'coding-unknown': 'io/http/transfer.test.ts',
  'headers-too-large': 'io/http/transfer.test.ts',
  'no-response': 'claims/requests.test.ts',
  'sign-in-failed': 'core/engine/run/run.test.ts',
  interrupted: 'api/api.test.ts',
};

test('a code that is not here is met by another test', () => {
  const unmet = Object.keys(problemCodes).filter((code) => !(code in CASES) && !(code in ELSEWHERE));
  expect(unmet).toEqual([]);
  const gone = Object.values(ELSEWHERE).filter((path) => !existsSync(join(import.meta.dirname, '..', path)));
  expect(gone).toEqual([]);
});
