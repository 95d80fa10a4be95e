// The view of a run, from events alone: on a terminal, and where there is none.
import { expect, test } from '@jest/globals';
import { eventSchema, type RunEvent } from '../../../src/core/events.ts';
import { RunView } from '../../../src/cli/view/run-view.ts';
import { timeWords } from '../../../src/core/units.ts';
import { wrap, fit, widthOf } from '../../../src/cli/terminal/text-width.ts';
import { KILN, runChain, type Reply } from '../../core/engine/support.ts';
import { WrittenTerminal } from '../written-terminal.ts';

const CHAIN = `chain: Fire the glazed pieces of a rack
steps:
  - call: GET kiln /racks/A3/pieces
    name: rack_pieces
    keep: { pieces: $.pieces, first: "$.pieces[0].id", price: $.price }
  - when: length(pieces) > 5
    name: many
    show: never
  - show: "a\\tb \${first}"
  - name: fire
    steps:
      - call: GET kiln /pieces/\${first}
        name: look
        expect: [ status == 200, "$.cone == 6" ]
  - call: GET kiln /never
`;

async function view(width: number, live: boolean, script: (nth: number) => Reply): Promise<string> {
  const { events } = await runChain(CHAIN, (_, nth) => script(nth), { project: KILN });
  const terminal = new WrittenTerminal(width, live);
  const run = new RunView(terminal);
  for (const event of events) run.show(event);
  return terminal.written;
}

const pieces = (nth: number): Reply =>
  nth === 0 ? { json: '{"pieces": [{"id": "p1"}, {"id": "p2"}], "price": 12.50}' } : { json: '{"cone": 7}' };

test('a line a step, words in a fixed column, and what failed in full', async () => {
  expect((await view(100, false, pieces)).split('\n')).toEqual([
    `Fire the glazed pieces of a rack${' '.repeat(60)}run test`,
    '        kiln at https://kiln.example',
    'passed  rack_pieces       200      0 ms  GET kiln /racks/A3/pieces  pieces: list of 2 · first: p1 · price: 12.50',
    'skipped many                             when: length(pieces) > 5 does not hold',
    'shows   a\\tb p1',
    'failed    look            200      0 ms  GET kiln /pieces/p1',
    '        expected   $.cone == 6',
    '        got        7',
    '        call       GET https://kiln.example/v1/pieces/p1 · 200',
    '        response   {"cone": 7}',
    '        details    batharon view test:fire.look',
    '        at         test.chain.yaml:14:35',
    '        code       not-as-expected (batharon explain not-as-expected)',
    'failed  fire                       0 ms',
    'failed at look. 2 of 4 steps passed, 1 skipped, 2 calls, 0 ms.',
    '',
  ]);
});

test('no line is wider than the terminal, and the one under way is written again in place', async () => {
  for (const width of [40, 60, 80, 126]) {
    const shown = await view(width, true, (nth) =>
      nth === 0
        ? pieces(0)
        : {
            status: 500,
            headers: [['content-type', 'text/html']],
            body: Buffer.from(`<html><title>${'very '.repeat(30)}long</title>`),
          },
    );
    // A line that is written again ends in its last form.
    const lines = shown.split('\n').map((line) => line.split('\r\u001b[2K').at(-1)!);
    for (const line of lines)
      if (!/^\s*(?:\S+ +)?\S{20,}$/.test(line)) expect([line, widthOf(line) <= width]).toEqual([line, true]);
    expect(shown).toContain('waits   rack_pieces');
    expect(lines.some((line) => line.startsWith('waits'))).toBe(false);
  }
});

test('widths count columns, not characters', () => {
  expect(['abc', 'é', 'e\u0301', '🌙', '漢字', '\u001b[31mred\u001b[39m'].map(widthOf)).toEqual([
    3, 1, 1, 2, 4, 3,
  ]);
  expect([fit('漢字漢字', 5), fit('abc', 3), fit('abcd', 3)]).toEqual(['漢字…', 'abc', 'ab…']);
  expect(wrap('one two three\nfour', 8)).toEqual(['one two', 'three', 'four']);
  expect([0.4, 999, 1500, 61_000].map(timeWords)).toEqual(['0 ms', '999 ms', '1.5 s', '1 min 1 s']);
});

test('all that a run may tell: pages, waits, redirects, rows, undo that failed, cleanup', async () => {
  const { events } = await runChain(
    `chain: Everything
steps:
  - call: GET kiln /list
    name: list
    pages: { next: $.next, items: $.items }
    keep: { ids: gathered }
  - call: GET kiln /moved
    name: moved
  - call: GET kiln /busy
    name: busy
    retry: { attempts: 3, on: [503], wait: 1s }
  - call: GET kiln /job
    name: job
    poll: { until: $.state == 'done', every: 2s }
  - call: POST kiln /load
    name: load
    keep: { firing: $.id }
    undo:
      - call: DELETE kiln /load/\${firing}
        name: unload
  - write: { to: out.csv, row: { id: "\${firing}" } }
    name: row
  - wait: 3s
    name: rest
  - show: \${firing} of \${length(ids)}
cleanup:
  - call: GET kiln /bye
    name: bye
`,
    ({ url }, nth) => {
      if (url.includes('/list'))
        return nth === 0
          ? { json: '{"items": [1, 2], "next": "https://kiln.example/v1/list?page=2"}' }
          : { json: '{"items": [3], "next": null}' };
      if (url.endsWith('/moved'))
        return { status: 302, headers: [['location', 'https://kiln.example/v1/new']] };
      if (url.endsWith('/busy') && nth === 4)
        return { status: 429, headers: [['retry-after', '12']], json: '{"title": "slower"}' };
      if (url.endsWith('/busy') && nth === 5) return { status: 503, json: '{}' };
      if (url.endsWith('/job')) return { json: `{"state": "${nth < 9 ? 'heating' : 'done'}"}` };
      if (url.includes('/load/')) return { status: 500, json: '{"title": "Kiln closed"}' };
      return { json: '{"id": "f1"}' };
    },
    {
      project: KILN,
      ports: {
        rows: {
          open: () => Promise.reject(new Error('no rows to read')),
          write: () => Promise.resolve({ change: 'added', nth: 7 }),
        },
      },
    },
  );
  const still = new WrittenTerminal(100, false);
  const live = new WrittenTerminal(100, true);
  for (const terminal of [still, live]) {
    const run = new RunView(terminal);
    for (const event of events) run.show(event);
  }
  expect(still.written.split('\n')).toEqual([
    `Everything${' '.repeat(82)}run test`,
    '        kiln at https://kiln.example',
    'passed  list              200      0 ms  GET kiln /list  2 pages, 3 items · ids: list of 3',
    'passed  moved             200      0 ms  GET kiln /new',
    '        redirected to https://kiln.example/v1/new',
    'passed  busy              200    13.1 s  GET kiln /busy  3 attempts',
    'passed  job               200     4.0 s  GET kiln /job  heating ×2 → done',
    'passed  load              200      0 ms  POST kiln /load  firing: f1',
    'passed  row                        0 ms  row 7 of out.csv',
    'passed  rest                      3.0 s  wait',
    'shows   f1 of 3',
    'failed  undo             0 of 1 step taken back',
    'failed  load.undo.unload',
    '        expected   status < 400',
    '        got        500, "Kiln closed"',
    '        call       DELETE https://kiln.example/v1/load/f1 · 500',
    '        response   {"title": "Kiln closed"}',
    '        details    batharon view test:load.undo.unload',
    '        at         test.chain.yaml:19:9',
    '        code       status-not-expected (batharon explain status-not-expected)',
    '        cleanup',
    'passed  bye               200      0 ms  GET kiln /bye',
    'warning 1 step of undo and cleanup left; batharon cleanup last carries them out',
    'failed at undo. 8 of 8 steps passed, 13 calls, 20.1 s, waited 12.0 s (Retry-After from kiln).',
    '',
  ]);
  // While it goes on, the line of the step says what it waits for.
  const shown = live.written.split('\r\u001b[2K').map((line) => line.trimEnd());
  for (const line of [
    'waits   list             GET kiln /list  page 1, 2 items',
    'waits   job              GET kiln /job  heating, again in 2.0 s',
    'waits   rest             for 3.0 s',
    'waits   busy             GET kiln /busy  503, again in 1.1 s',
  ])
    expect(shown).toContain(line);
  expect(shown.some((line) => /^waits {3}busy .* kiln says wait, until \d\d:\d\d:\d\d$/.test(line))).toBe(
    true,
  );
});

test('a run that goes on: what passed before is counted, what has changed is said, a problem of the run is told in full', () => {
  const at = Date.UTC(2026, 2, 1);
  const place = { file: 'a.chain.yaml', line: 4, column: 5 };
  const events: RunEvent[] = [
    {
      event: 'run-resumed',
      at,
      version: 2,
      run: '4o',
      chain: 'Fire',
      file: 'a.chain.yaml',
      changed: ['look'],
    },
    { event: 'passed-before', at, step: 'rack', title: 'rack' },
    { event: 'passed-before', at, step: 'load', title: 'load' },
    { event: 'step-began', at, step: 'fire', type: 'each', title: 'fire', fingerprint: 'x', place },
    { event: 'loop-began', at, step: 'fire', atOnce: 1, of: 2 },
    { event: 'passed-before', at, step: 'fire', title: 'fire', iterations: 1 },
    { event: 'iteration-began', at, step: 'fire', iteration: 1, item: "'p2'" },
    { event: 'iteration-ended', at, step: 'fire', iteration: 1, outcome: 'interrupted', elapsed: 4 },
    {
      event: 'step-ended',
      at,
      step: 'fire',
      outcome: 'interrupted',
      elapsed: 5,
      iterations: { passed: 1, failed: 0 },
    },
    { event: 'undo-left', at, undo: 1, cleanup: 2, names: {} },
    {
      event: 'run-ended',
      at,
      outcome: 'interrupted',
      exit: 130,
      results: {},
      calls: 0,
      elapsed: 5,
      problem: { code: 'interrupted', message: 'the run was interrupted', hint: 'batharon resume', place },
    },
  ];
  const written = (brief: boolean): string[] => {
    const terminal = new WrittenTerminal(100, false);
    const run = new RunView(terminal, brief);
    for (const event of events) run.show(eventSchema.parse(event));
    return terminal.written.split('\n');
  };
  const end = [
    'failed  the run was interrupted',
    '        hint       batharon resume',
    '        at         a.chain.yaml:4:5',
    '        code       interrupted (batharon explain interrupted)',
    'interrupted. 2 of 3 steps passed, 0 calls, 5 ms.',
    '',
  ];
  expect(written(false)).toEqual([
    `Fire${' '.repeat(90)}run 4o`,
    'warning look has changed since',
    'passed  rack             passed before',
    'passed  load             passed before',
    '        fire             1 iteration passed before',
    'interrupted fire             1 of 2 iterations passed  5 ms',
    'warning 3 steps of undo and cleanup left; batharon cleanup last carries them out',
    ...end,
  ]);
  expect(written(true)).toEqual([
    `Fire${' '.repeat(90)}run 4o`,
    'passed  2 steps passed before',
    '        fire             1 iteration passed before',
    'interrupted fire             1 of 2 iterations passed  5 ms',
    ...end,
  ]);
});
