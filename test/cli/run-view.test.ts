// The view of a run, from events alone: on a terminal, and where there is none.
import { expect, test } from '@jest/globals';
import { RunView } from '../../src/cli/run-view.ts';
import { fit, timeWords, widthOf, wrap } from '../../src/cli/terminal.ts';
import { KILN, runChain, type Reply } from '../engine/support.ts';
import { WrittenTerminal } from './written-terminal.ts';

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

test('a line a step, words in a fixed column, and what broke in full', async () => {
  expect((await view(100, false, pieces)).split('\n')).toEqual([
    `Fire the glazed pieces of a rack${' '.repeat(60)}run test`,
    'held    rack_pieces       200      0 ms  GET kiln /racks/A3/pieces  pieces: list of 2 · first: p1 · price: 12.50',
    'skipped many                             when: length(pieces) > 5 does not hold',
    'says    a\\tb p1',
    'broke     look            200      0 ms  GET kiln /pieces/p1',
    '        expected   $.cone == 6',
    '        came       7',
    '        call       GET https://kiln.example/v1/pieces/p1 · 200',
    '        answer     {"cone": 7}',
    '        closer     batharon view test:fire.look',
    '        stands     test.chain.yaml:14:35',
    '        code       not-as-expected (batharon explain not-as-expected)',
    'broke   fire                       0 ms',
    'broke at look. 2 of 4 steps held, 1 skipped, 2 calls, 0 ms.',
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
