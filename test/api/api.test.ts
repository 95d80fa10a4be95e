import { spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, expect, test } from '@jest/globals';
import { folderWith, NODE } from '../cli/support.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** A folder with the examples, in which the package is installed. */
let folder = '';

beforeAll(() => {
  folder = folderWith({ 'package.json': '{"type":"module"}' });
  for (const name of readdirSync(join(root, 'examples')).filter((one) => one.endsWith('.yaml')))
    cpSync(join(root, 'examples', name), join(folder, name));
  for (const name of readdirSync(join(root, 'examples/tests')))
    cpSync(join(root, 'examples/tests', name), join(folder, name));
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(root, join(folder, 'node_modules/batharon'), 'dir');
  symlinkSync(join(root, 'node_modules/@jest'), join(folder, 'node_modules/@jest'), 'dir');
});

function node(args: readonly string[], input?: string): { code: number | null; out: string } {
  const env = { ...process.env, NODE_OPTIONS: '' };
  const { status, stdout, stderr } = spawnSync(NODE, args, {
    cwd: folder,
    encoding: 'utf8',
    env,
    ...(input === undefined ? {} : { input }),
  });
  return { code: status, out: stdout + stderr };
}

test('the example with node:test passes', () => {
  const { code, out } = node(['--test', 'glazed.node-test.mjs']);
  expect([code, out]).toEqual([0, expect.stringMatching(/(?:pass|# pass) 2\b/)]);
});

test('the example with Jest passes, with a test for each step', () => {
  writeFileSync(
    join(folder, 'jest.config.json'),
    JSON.stringify({
      testMatch: ['**/*.jest.mjs'],
      moduleFileExtensions: ['mjs', 'js'],
      transform: {},
      watchman: false,
    }),
  );
  const { code, out } = node([
    '--experimental-vm-modules',
    join(root, 'node_modules/jest/bin/jest.js'),
    '--verbose',
    '--config',
    'jest.config.json',
  ]);
  expect([code, out]).toEqual([0, expect.stringMatching(/Find the glazed pieces of a rack\s+✓ rack_pieces/)]);
});

test('what files and inputs say wrongly is thrown with its code and place; what a service does is a result', () => {
  writeFileSync(join(folder, 'bad.chain.yaml'), 'chain: Bad\nsteps:\n  - call: GET kln /racks\n');
  const script = `
    import { openProject, BatharonError } from 'batharon';
    const project = await openProject('.');
    const said = [];
    const caught = async (work) => { try { await work(); } catch (error) { said.push([error instanceof BatharonError, error.code, error.place?.line]); } };
    await caught(() => project.run('bad.chain.yaml'));
    await caught(() => project.run('glazed.chain.yaml', { inputs: { rak: 1 } }));
    await caught(() => project.run('fire.chain.yaml', { inputs: { cone: 'hot' } }));
    await caught(() => project.report('nope', 'json'));
    await caught(() => project.report('last', 'constructor'));
    await caught(() => project.run('glazed.chain.yaml', { environment: 'nowhere' }));
    const failed = await project.run('kiln-closed.chain.yaml');
    said.push([failed.outcome, failed.exit, failed.failures.map(({ code }) => code), failed.steps.length > 1]);
    const again = project.run('glazed.chain.yaml');
    const [one, two] = await Promise.all([again, again]);
    said.push([one === two, one.results.serial]);
    for await (const _ of project.run('glazed.chain.yaml')) break;
    const { writeFileSync, readFileSync } = await import('node:fs');
    writeFileSync('named.chain.yaml', 'chain: N\\nsteps: [ { keep: { x: studio } } ]\\nresults: { x: x }\\n');
    const before = readFileSync('batharon.yaml', 'utf8');
    for (const studio of ['north', 'south']) {
      writeFileSync('batharon.yaml', before + 'values: { studio: ' + studio + ' }\\n');
      said.push((await project.run('named.chain.yaml')).results.x);
    }
    writeFileSync('batharon.yaml', before);
    const stop = new AbortController();
    stop.abort();
    said.push((await project.run('glazed.chain.yaml', { signal: stop.signal })).outcome);
    await project.close();
    console.log(JSON.stringify(said));
  `;
  const { code, out } = node(['--input-type=module', '-'], script);
  expect([code, JSON.parse(out)]).toEqual([
    0,
    [
      [true, 'unknown-service', 3],
      [true, 'input-invalid', null],
      [true, 'input-invalid', 7],
      [true, 'no-record', null],
      [true, 'wrong-form', null],
      [true, 'unknown-environment', 1],
      ['failed', 1, ['not-as-expected'], true],
      [true, '9007199262741017'],
      'north',
      'south',
      'interrupted',
    ],
  ]);
});

test('its types stand alone, and fit what it gives', () => {
  writeFileSync(
    join(folder, 'typed.mts'),
    `import { openProject, type RunEvent, type RunResult } from 'batharon';
const project = await openProject('.', { trust: true });
const run = project.run('glazed.chain.yaml', { inputs: { rack: 'A3' } });
for await (const event of run) if (event.event === 'request-sent') { const method: string = event.method; void method; }
const result: RunResult = await run;
const event: RunEvent | undefined = undefined;
// @ts-expect-error there is no such outcome
const wrong: boolean = result.outcome === 'held';
void event; void wrong;
`,
  );
  const { code, out } = node([
    join(root, 'node_modules/typescript/bin/tsc'),
    '--noEmit',
    '--strict',
    '--module',
    'nodenext',
    '--target',
    'es2023',
    '--lib',
    'es2023,esnext.disposable,dom',
    'typed.mts',
  ]);
  expect([code, out]).toEqual([0, '']);
});

test('docs/api.md is what the doc comments say, and each has one', () => {
  const { code, out } = node([join(root, 'scripts/api-docs.mjs'), '--check']);
  expect([code, out]).toEqual([0, '']);
  const index = readFileSync(join(root, 'src/api/index.ts'), 'utf8');
  // Nothing that starts a process or reads a command line.
  expect(index).not.toMatch(/process\.argv|child_process/);
});
