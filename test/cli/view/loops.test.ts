// Loops, undo that is left, and what a person sees of them, end to end.
import { expect, test } from '@jest/globals';
import { WorkLines } from '../../../src/cli/view/work-lines.ts';
import { LoopLines } from '../../../src/cli/view/loop-lines.ts';
import { progressBar, roughTime } from '../../../src/cli/view/progress-words.ts';
import { RunView } from '../../../src/cli/view/run-view.ts';
import { type SeenStep, StepLines } from '../../../src/cli/view/step-lines.ts';
import { Timeline } from '../../../src/cli/view/timeline.ts';
import { RunFold } from '../../../src/core/record/run-fold.ts';
import pc from 'picocolors';
import { fit, widthOf } from '../../../src/cli/terminal/text-width.ts';
import { startPractice } from '../../../src/practice/service.ts';
import { PRACTICE_VARIABLES } from '../../../src/practice/state.ts';
import { KILN, runChain } from '../../core/engine/support.ts';
import { batharon, folderWith, PRACTICE } from '../support.ts';
import { WrittenTerminal } from '../written-terminal.ts';

const LOAD = `chain: Load three pieces
steps:
  - each: piece in ['p1001', 'p1002', 'p1003']
    name: each_piece
    steps:
      - call: POST kiln /firings
        name: load
        json: { piece: "\${piece}" }
        keep: { firing: $.id }
        undo:
          - call: DELETE kiln /firings/\${firing}
cleanup:
  - call: GET kiln /racks
    name: last_look
`;

test('run --leave leaves what was made; cleanup takes it back, once', async () => {
  const practice = await startPractice({});
  const firings = async (): Promise<number> =>
    ((await (await fetch(new URL('/ledger', practice.url))).json()) as { firings: number }).firings;
  try {
    const folder = folderWith({
      'batharon.yaml': PRACTICE.replace('url: practice', `url: ${practice.url}`),
      'load.chain.yaml': LOAD,
    });
    const env = PRACTICE_VARIABLES;
    const left = await batharon(folder, ['run', '--leave'], { env });
    expect([left.code, await firings()]).toEqual([0, 3]);
    expect(left.stderr).toContain('4 steps of undo and cleanup left; batharon cleanup last carries them out');
    const taken = await batharon(folder, ['cleanup', 'last'], { env });
    expect([taken.code, await firings()]).toEqual([0, 0]);
    expect(taken.stderr).toMatch(/passed\s+undo\s+3 steps taken back[\s\S]*passed\s+last_look/);
    const again = await batharon(folder, ['cleanup', 'last'], { env });
    expect([again.code, again.stderr]).toEqual([2, expect.stringContaining('has left nothing')]);
    const unknown = await batharon(folder, ['cleanup', 'zzz'], { env });
    expect([unknown.code, unknown.stderr]).toEqual([2, expect.stringContaining('no run zzz is recorded')]);
    const plain = await batharon(folder, ['run'], { env });
    expect([plain.code, await firings()]).toEqual([0, 0]);
    const dry = await batharon(folder, ['run', '--dry'], { env });
    expect(dry.stderr).toMatch(
      /load\s+for each piece in \['p1001', 'p1002', 'p1003'\][\s\S]*"piece":"‹each_piece: piece›"/,
    );
  } finally {
    await practice.close();
  }
});

test('try sends a loop with what it needs, and says what stands inside one', async () => {
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'a.chain.yaml': `chain: A
steps:
  - call: GET kiln /racks
    name: racks
    keep: { ids: "$.racks[0:2].id" }
  - each: rack in ids
    name: look
    steps:
      - call: GET kiln /racks/\${rack}/pieces
        name: inner
        query: { limit: 1 }
    gather: { seen: inner.status }
  - show: \${length(seen)} seen
    name: say
`,
  });
  const inner = await batharon(folder, ['try', 'a.chain.yaml', 'inner']);
  expect([inner.code, inner.stderr]).toEqual([
    2,
    expect.stringMatching(/inner stands in look[\s\S]*batharon try FILE look/),
  ]);
  const loop = await batharon(folder, ['try', 'a.chain.yaml', 'look']);
  expect([loop.code, loop.stderr]).toEqual([
    0,
    expect.stringMatching(/passed\s+racks[\s\S]*passed\s+look\s+2 iterations/),
  ]);
  const say = await batharon(folder, ['try', 'a.chain.yaml', 'say']);
  expect([say.code, say.stderr]).toEqual([0, expect.stringContaining('2 seen')]);
});

/** What a terminal shows in the end, and each frame on the way. */
async function shown(iterations: number, live: boolean): Promise<{ lines: string[]; written: string }> {
  const { events } = await runChain(
    `chain: Many
steps:
  - each: n in range(1, ${iterations})
    name: look
    at-once: 8
    when-one-fails: continue
    steps:
      - call: GET kiln /\${n}
        name: one
        expect: [ status == 200, $.ok == true ]
  - show: done
`,
    (_, nth) =>
      nth % 10 === 3
        ? { status: 500, json: '{"ok": false}', after: 30 }
        : nth % 25 === 7
          ? { json: '{"ok": false}', after: 40 }
          : { json: '{"ok": true}', after: 20 },
    { project: KILN },
  );
  const terminal = new WrittenTerminal(100, live);
  const view = new RunView(terminal);
  for (const event of events) view.show(event);
  const { written } = terminal;
  return { lines: written.split('\n'), written };
}

test('a loop is one line and the first failure of each kind, with 100 iterations or with 10,000', async () => {
  for (const iterations of [100, 10_000]) {
    const { lines } = await shown(iterations, false);
    expect(lines.length).toBeLessThan(30);
    const marks = lines.filter((line) => /^\S/.test(line));
    expect(marks[1]).toMatch(
      new RegExp(`^failed  look +\\d+ of ${iterations} iterations passed · \\d+ failed`),
    );
    expect(marks[2]).toBe(
      `failed  look[3].one, the 4th of ${iterations} iterations: 4, and ${iterations / 10 - 1} more in the same way`,
    );
    expect(marks[3]).toMatch(
      /^failed {2}look\[7\]\.one, the 8th of \d+ iterations: 8, and \d+ more in the same way$/,
    );
    expect(marks.at(-2)).toBe('shows   done');
  }
});

test('the line of a loop says how long was waited in it, not before', async () => {
  const { events } = await runChain(
    'chain: A\nsteps:\n  - call: GET kiln /first\n  - each: n in [1, 2]\n    name: look\n    steps:\n      - call: GET kiln /${n}\n',
    (_, nth) => (nth === 0 ? { status: 429, headers: [['retry-after', '9']] } : {}),
    { project: KILN },
  );
  const terminal = new WrittenTerminal(120, false);
  const view = new RunView(terminal);
  for (const event of events) view.show(event);
  const lines = terminal.written.split('\n');
  expect(lines.find((line) => line.includes('look'))).not.toMatch(/waited/);
  expect(lines.at(-2)).toMatch(/waited 9\.0 s \(Retry-After from kiln\)/);
});

test('undo that failed 300 times is told by kind', async () => {
  const { events } = await runChain(
    `chain: Undo
steps:
  - each: n in range(1, 300)
    name: load
    steps:
      - call: POST kiln /\${n}
        name: one
        undo:
          - call: DELETE kiln /\${n}
  - expect: 1 + 1 == length(load.iterations)
`,
    ({ method, url }) => ({ status: method === 'POST' ? 201 : url.endsWith('0') ? 503 : 500 }),
    { project: KILN },
  );
  const terminal = new WrittenTerminal(100, false);
  const view = new RunView(terminal);
  for (const event of events) view.show(event);
  const lines = terminal.written.split('\n').filter((line) => line.startsWith('failed'));
  expect(lines.slice(1, 4)).toEqual([
    expect.stringMatching(/^failed +undo +0 of 300 steps taken back/),
    expect.stringMatching(
      /^failed +load\[299\]\.one\.undo\.0 DELETE kiln \/\$\{n\}, and 29 more in the same way/,
    ),
    expect.stringMatching(/^failed +load\[298\]\.one\.undo\.0 .*, and 269 more in the same way/),
  ]);
  expect(terminal.written.split('\n').length).toBeLessThan(50);
});

test('while it goes on, the iterations under way are shown, a few lines, none too wide', async () => {
  const { written } = await shown(200, true);
  const frames = written.split('\r\u001b[2K');
  const frame = frames.filter((one) => one.includes('of 200 done'))[3]!;
  expect(frame).toMatch(
    /waits {3}look +[━╌]{12} \d+ of 200 done · \d+ failed · 8 at once · \d+ calls\n +\[\d+\] +\d+ +one/,
  );
  expect(frame).toContain('and 3 more');
  for (const line of frame.replace(/\u001b\[\d*[AK]/g, '').split('\n'))
    expect(widthOf(line)).toBeLessThanOrEqual(100);
  // Nothing of it stays.
  expect(frames.at(-1)).not.toContain('of 200 done');
});

test('how far a loop is, and how long it probably goes on', () => {
  expect([0, 1, 6, 12].map((done) => progressBar(done, 12))).toEqual([
    '╌'.repeat(12),
    `━${'╌'.repeat(11)}`,
    `${'━'.repeat(6)}${'╌'.repeat(6)}`,
    '━'.repeat(12),
  ]);
  expect([10, 61_000, 119_000, 121_000, 7_300_000].map(roughTime)).toEqual([
    '1 s',
    '61 s',
    '119 s',
    '2 min',
    '2 h',
  ]);
  const terminal = new WrittenTerminal(80, true);
  const lines = new StepLines(terminal);
  const at = 1_000_000;
  const began = { event: 'loop-began', at, step: 'sweep', atOnce: 8, of: 10_000 } as const;
  const step = { began: { title: 'sweep', request: undefined }, depth: 0 } as unknown as SeenStep;
  const loop = new LoopLines(lines, step, began, new WorkLines());
  for (let i = 0; i < 500; i++)
    loop.take(
      {
        event: 'iteration-ended',
        at: at + (i + 1) * 20,
        step: 'sweep',
        iteration: i,
        outcome: 'passed',
        elapsed: 1,
      },
      undefined,
    );
  const [head = ''] = loop.progress();
  expect(head).toContain('╌'.repeat(12));
  expect(head).toContain('500 of 10000 done · about 3 min left');
  expect(widthOf(head)).toBeLessThanOrEqual(80);
});

test('what an interrupted run did and waited for is drawn, and ends where it ended', async () => {
  const fold = new RunFold();
  await runChain(
    `chain: A
steps:
  - each: n in [1, 2]
    name: jobs
    at-once: 2
    steps:
      - call: GET kiln /\${n}
        name: job
        poll: { until: $.done, every: 60s, within: 1h }
`,
    () => ({ json: '{"done":false}', after: 1000 }),
    { project: KILN, interruptAt: 6, onEvent: (event) => fold.take(event) },
  );
  const terminal = new WrittenTerminal(120, true);
  new Timeline(terminal).run(fold.run!);
  const rows = terminal.written.split('\n').filter((line) => /\[[01]\]/.test(line));
  expect(rows).toHaveLength(2);
  for (const row of rows) {
    expect(row).toContain('interrupted at job');
    expect(row).toMatch(/[▏█]+·+[▏█]+·+[▏█]/);
    // No block of one kind over the whole length.
    expect(row).not.toMatch(/█{6}/);
  }
});

test('a cut text is as wide as it may be, and leaves no colour behind', () => {
  const colours = pc.createColors(true);
  const text = `${colours.red('failed')} look ${colours.dim('36 of 60 宽 iterations')} end`;
  for (let columns = 1; columns < 40; columns++) {
    const cut = fit(text, columns);
    expect(widthOf(cut)).toBeLessThanOrEqual(columns);
    // What is opened is closed.
    const codes = [...cut.matchAll(/\u001b\[(\d+)m/g)].map(([, code]) => code);
    expect(codes).toEqual(['31', '39', '2', '22']);
  }
});

test('a log is told every ten seconds how far a loop is', async () => {
  const terminal = new WrittenTerminal(80, false);
  const view = new RunView(terminal);
  await runChain(
    'chain: A\nsteps:\n  - each: n in range(1, 40)\n    name: fire\n    steps:\n      - call: GET kiln /a\n',
    () => ({ json: '{}', after: 1000 }),
    { project: KILN, onEvent: (event) => view.show(event) },
  );
  const said = terminal.written.match(/^ +fire: \d+ of 40 done.*$/gm) ?? [];
  expect(said.map((line) => /\d+ of 40/.exec(line)![0])).toEqual([
    '9 of 40',
    '19 of 40',
    '29 of 40',
    '39 of 40',
  ]);
  expect(said[1]).toContain('about 2');
});
