// A recorded run that is moved through by keys: the nodes, what keys do, and the built program at a pseudo-terminal.
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import * as fc from 'fast-check';
import pc from 'picocolors';
import { OpenRun } from '../../../src/api/open-run.ts';
import { widthOf } from '../../../src/cli/terminal/text-width.ts';
import { nodesOfRun } from '../../../src/cli/view/browse-nodes.ts';
import { Browser, type Key } from '../../../src/cli/view/browser.ts';
import { Records } from '../../../src/io/record/records.ts';
import { KILN, runChain } from '../../core/engine/support.ts';
import { atPrompt, batharon, folderWith, HAS_TERMINAL, PRACTICE } from '../support.ts';

const CHAIN = `chain: Look at <all> of it
steps:
  - call: GET kiln /racks
    name: racks
    keep: { first: '$.racks[0]["a b"]' }
  - each: n in range(1, 3)
    name: sweep
    when-one-fails: continue
    steps:
      - call: GET kiln /pieces/\${n}
        name: look
        expect: $.cone == 6
`;

async function opened(): Promise<OpenRun> {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-browse-'));
  const records = new Records(folder);
  const { id, writer } = records.begin(() => undefined);
  await runChain(
    CHAIN,
    ({ url }) => ({
      json: url.endsWith('racks')
        ? '{"racks":[{"a b":12345678901234567890,"wide":"宽宽宽\\u001b[2J"}]}'
        : `{"cone":${url.endsWith('2') ? 7 : 6}}`,
    }),
    {
      project: KILN,
      id,
      onEvent: (event) => writer.take(event),
      ports: { record: writer },
      allowUnexplained: true,
    },
  );
  await writer.close();
  return OpenRun.read(records, id);
}

const press = (browser: Browser, ...keys: string[]): unknown[] =>
  keys.flatMap((one) => {
    const named = /^[a-z]{2,}$/.test(one);
    const effect = browser.key(named ? { name: one } : { name: one, sequence: one });
    return effect === undefined ? [] : [effect];
  });
const shown = (browser: Browser): string =>
  browser
    .frame(100, 30)
    .map((line) => line.trimEnd())
    .join('\n');

test('steps, iterations, requests and bodies open and close, and what stands there is copied', async () => {
  const open = await opened();
  const browser = new Browser('Title', nodesOfRun(open), pc.createColors(false));
  expect(shown(browser)).toMatch(/^Title +1 of 2\npassed +> racks 200/);
  press(browser, 'right', 'down', 'down', 'down', 'right', 'down', 'down', 'right');
  expect(shown(browser)).toContain('response 200');
  press(browser, '/', 'w', 'i', 'd', 'e', 'return');
  expect(shown(browser)).toMatch(/> {3}|>/);
  expect(press(browser, 'c')).toEqual([{ copy: '$.racks[0].wide' }]);
  expect(press(browser, 'up', 'c')).toEqual([{ copy: "$.racks[0]['a b']" }]);
  expect(shown(browser)).toContain('12345678901234567890');
  // What failed is found, though nothing around it is open.
  press(browser, '/', 'e', 'x', 'p', 'e', 'c', 't', 'e', 'd', 'return', 'n');
  expect(shown(browser)).toMatch(/failed +> +expected \$\.cone == 6/);
  press(browser, 'left', 'left', 'left');
  expect(shown(browser)).toMatch(/> {2,}sweep|> sweep/);
  expect(shown(browser)).not.toContain('expected');
  press(browser, '/', 'z', 'z', 'z', 'return');
  expect(shown(browser)).toContain('nothing has zzz in it');
  expect(press(browser, 'q')).toEqual([{ quit: true }]);
});

test('whatever is pressed, the screen keeps its form', async () => {
  const open = await opened();
  const key = fc.constantFrom(
    ...[
      'up',
      'down',
      'left',
      'right',
      'pageup',
      'pagedown',
      'home',
      'end',
      'return',
      'backspace',
      'n',
      'p',
      'c',
      '/',
      'e',
      'x',
    ],
  );
  fc.assert(
    fc.property(
      fc.array(key, { maxLength: 60 }),
      fc.integer({ min: 30, max: 130 }),
      fc.integer({ min: 4, max: 40 }),
      (keys, width, height) => {
        const browser = new Browser('Title', nodesOfRun(open), pc.createColors(false));
        for (const name of keys) {
          browser.key({ name, sequence: name.length === 1 ? name : undefined } satisfies Key);
          const frame = browser.frame(width, height);
          expect(frame).toHaveLength(height);
          for (const line of frame) expect(widthOf(line)).toBeLessThanOrEqual(width);
          expect(frame.filter((line) => line.slice(12).startsWith('>')).length).toBeLessThanOrEqual(1);
        }
      },
    ),
    { numRuns: 100 },
  );
});

(HAS_TERMINAL ? test : test.skip)(
  'at a terminal it takes the screen, copies, and gives the screen back',
  async () => {
    const folder = folderWith({
      'batharon.yaml': PRACTICE,
      'racks.chain.yaml': 'chain: Racks\nsteps:\n  - call: GET kiln /racks\n    name: racks\n',
    });
    expect((await batharon(folder, ['run'])).code).toBe(0);
    const { code, screen } = await atPrompt(folder, 'view --browse last:racks', [
      [/q quit/, 'c'],
      [/copied/, 'q'],
    ]);
    expect(code).toBe(0);
    expect(screen).toMatch(/Racks · passed/);
    expect(screen).toContain(`\u001b]52;c;`);
    const copied = /52;c;([\w+/=]+)/.exec(screen)?.[1] ?? '';
    expect(Buffer.from(copied, 'base64').toString()).toMatch(/^\w+:racks$/);
    const without = await batharon(folder, ['view', '--browse']);
    expect([without.code, without.stderr]).toEqual([2, expect.stringContaining('--browse needs a terminal')]);
  },
);

(HAS_TERMINAL ? test : test.skip)('a run that is longer than the screen asks first', async () => {
  const folder = folderWith({
    'batharon.yaml': PRACTICE,
    'long.chain.yaml': `chain: Long\nsteps:\n${'  - call: GET kiln /racks\n'.repeat(40)}`,
  });
  expect((await batharon(folder, ['run'])).code).toBe(0);
  const no = await atPrompt(folder, 'view', [[/Move through it\?/, 'no\r']]);
  expect([no.code, no.screen.match(/GET \/v1\/racks|GET kiln \/racks|passed/g)!.length > 30]).toEqual([
    0,
    true,
  ]);
  const yes = await atPrompt(folder, 'view', [
    [/Move through it\?/, '\r'],
    [/q quit/, 'q'],
  ]);
  expect([yes.code, yes.screen]).toEqual([0, expect.stringContaining('1 of 40')]);
});
