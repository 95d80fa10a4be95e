// From one request to a chain: what is shown, what is saved, and values kept without writing a path by hand.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, expect, test } from '@jest/globals';
import { startPractice } from '../../../src/practice/service.ts';
import { atPrompt, batharon, folderWith, HAS_TERMINAL, PRACTICE } from '../support.ts';

const CHAIN =
  'chain: A\nsteps:\n  - call: GET kiln /glazes\n    name: glazes\n  - call: GET kiln /racks\n    name: racks\n';
let folder: string;
const read = (name: string): string => readFileSync(join(folder, name), 'utf8');

beforeAll(() => {
  folder = folderWith({ 'batharon.yaml': PRACTICE, 'a.chain.yaml': CHAIN });
});

test('new writes a chain that runs without a warning', async () => {
  const made = folderWith({});
  expect((await batharon(made, ['new', '.'])).code).toBe(0);
  for (const command of ['check', 'run']) {
    const { code, stderr } = await batharon(made, [command]);
    expect([code, stderr]).toEqual([0, expect.not.stringMatching(/warning/)]);
  }
});

test('send shows a small list whole, XML and events with the paths to write', async () => {
  const list = await batharon(folder, ['send', 'GET', 'kiln', '/glazes']);
  expect(list.stdout).toMatch(/^\$\[4\]\.price +\d/m);
  const xml = await batharon(folder, [
    'send',
    'GET',
    'kiln',
    '/glazes',
    '--header',
    'Accept: application/xml',
  ]);
  expect(xml.stdout).toMatch(/^\/g:glazes\/g:glaze\[1\]\/@name +ash$/m);
  expect(xml.stderr).toContain("in a chain: xpath(body, 'PATH', { g: 'urn:emberfold:glazes' })");
  const events = await batharon(folder, ['send', 'GET', 'kiln', '/kiln/events']);
  expect(events.stdout).toMatch(/^\$\[1\]\.event +'soaking'$/m);
});

test('send --only writes the step and sends nothing; --out saves and is no part of the step', async () => {
  const practice = await startPractice();
  const own = folderWith({ 'batharon.yaml': PRACTICE.replace('url: practice', `url: ${practice.url}`) });
  const asked = async (): Promise<number> =>
    ((await (await fetch(new URL('/ledger', practice.url))).json()) as { received: number }).received;
  try {
    const only = await batharon(
      own,
      ['send', 'POST', 'kiln', '/pieces', '--json', '{"name":"a"}', '--add', 'b.chain.yaml', '--only'],
      { env: { KILN_DESK_SECRET: 'x-secret-x' } },
    );
    expect([only.code, await asked()]).toEqual([0, 0]);
    expect(readFileSync(join(own, 'b.chain.yaml'), 'utf8')).toContain('call: POST kiln /pieces');
  } finally {
    await practice.close();
  }
  const nowhere = await batharon(folder, ['send', 'GET', 'kiln', '/racks', '--only']);
  expect([nowhere.code, nowhere.stderr]).toEqual([2, expect.stringContaining('--add FILE --only')]);
  const saved = await batharon(folder, [
    ...['send', 'GET', 'kiln', '/racks', '--out', 'racks.json', '--add', 'c.chain.yaml'],
  ]);
  expect(saved.code).toBe(0);
  expect((JSON.parse(read('racks.json')) as { racks: object[] }).racks.length).toBe(6);
  expect(read('c.chain.yaml')).not.toContain('save');
});

test('find --add keeps what was found in the response of a step', async () => {
  expect((await batharon(folder, ['run', 'a.chain.yaml'])).code).toBe(0);
  const elsewhere = await batharon(folder, ['find', 'ash', '--add', 'a.chain.yaml', 'racks', 'glaze']);
  expect([elsewhere.code, elsewhere.stderr]).toEqual([
    2,
    expect.stringMatching(/in no recorded response of racks[\s\S]*it occurs in glazes/),
  ]);
  const few = await batharon(folder, ['find', 'ash', '--add', 'a.chain.yaml']);
  expect(few.stderr).toContain('FILE STEP NAME');
  expect((await batharon(folder, ['find', 'ash', '--add', 'a.chain.yaml', 'glazes', 'glaze'])).code).toBe(0);
  expect(read('a.chain.yaml')).toContain('    keep:\n      glaze: $[0].name\n');
  expect((await batharon(folder, ['check', 'a.chain.yaml'])).code).toBe(0);
});

(HAS_TERMINAL ? test : test.skip)('try --keep asks which values are kept, by number', async () => {
  const { code, screen } = await atPrompt(folder, 'try a.chain.yaml racks --keep', [
    [/Numbers, or nothing for none: /, '2 3\r'],
    [/\[id\]: /, '\r'],
    [/\[pieces\]: /, 'count\r'],
  ]);
  expect([code, screen]).toEqual([0, expect.stringMatching(/^ 2 {2}\$\.racks\[0\]\.id +'A1'/m)]);
  expect(read('a.chain.yaml')).toContain(
    '    keep:\n      id: $.racks[0].id\n      count: $.racks[0].pieces\n',
  );
  // What failed has failed, also where something of it is kept.
  const failing = folderWith({
    'batharon.yaml': PRACTICE,
    'f.chain.yaml':
      'chain: F\nsteps:\n  - call: GET kiln /racks\n    name: racks\n    expect: length($.racks) == 1\n',
  });
  const failed = await atPrompt(failing, 'try f.chain.yaml racks --keep', [
    [/Numbers, or nothing for none: /, '\r'],
  ]);
  expect(failed.code).toBe(1);
  const nobody = await batharon(folder, ['try', 'a.chain.yaml', 'racks', '--keep']);
  expect([nobody.code, nobody.stderr]).toEqual([2, expect.stringContaining('nobody is here')]);
});

test('find gives the XPath of what stands in XML, and --add keeps it', async () => {
  const own = folderWith({
    'batharon.yaml': PRACTICE,
    'x.chain.yaml':
      'chain: X\nsteps:\n  - call: GET kiln /glazes\n    name: glazes\n    headers: { Accept: application/xml }\n',
  });
  expect((await batharon(own, ['run'])).code).toBe(0);
  const found = await batharon(own, ['find', 'ash']);
  expect(found.stdout).toContain(
    "first(xpath(body, '/g:glazes/g:glaze[1]/@name', { g: 'urn:emberfold:glazes' }))",
  );
  expect((await batharon(own, ['find', 'ash', '--add', 'x.chain.yaml', 'glazes', 'glaze'])).code).toBe(0);
  const { code, stderr } = await batharon(own, ['run']);
  expect([code, stderr]).toEqual([0, expect.stringContaining('glaze: ash')]);
});
