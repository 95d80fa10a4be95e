// Everything that must hold: formatting, lint, types, import rules, dead code, then all tests.
// `npm test -- PATTERN` runs only the tests whose file matches, and none of the rest.
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const wanted = process.argv.slice(2);

/** Runs a tool; its output is shown only where it fails. */
function quietly(name, script, args) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [script, ...args], {
      cwd: root,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let output = '';
    child.stdout.on('data', (data) => (output += data));
    child.stderr.on('data', (data) => (output += data));
    child.on('close', (code) => {
      process.stdout.write(code === 0 ? `${name}: clean\n` : `${name}:\n${output}\n`);
      resolve(code === 0 ? output : undefined);
    });
  });
}

async function importRules() {
  const output = await quietly('import rules', 'node_modules/dependency-cruiser/bin/dependency-cruise.mjs', [
    'src',
    '--config',
    '.dependency-cruiser.cjs',
  ]);
  // A tool that sees no modules finds no faults either.
  const modules = Number(/(\d+) modules/.exec(output ?? '')?.[1] ?? 0);
  if (output !== undefined && modules < 50)
    process.stdout.write(`import rules: only ${modules} modules were looked at\n`);
  return output !== undefined && modules >= 50;
}

/** What finds most mistakes, at once. */
const first = () =>
  Promise.all([
    quietly('types', 'node_modules/typescript/bin/tsc', ['-p', '.']),
    quietly('types of the page', 'node_modules/typescript/bin/tsc', ['-p', 'src/report/page']),
    quietly('formatting', 'node_modules/prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']),
  ]);

/** What takes longest, one after the other beside the tests, which wait as much as they compute. */
const others = async () => [
  await quietly('lint', 'node_modules/eslint/bin/eslint.js', ['.']),
  await importRules(),
  await quietly('dead code', 'node_modules/knip/bin/knip.js', ['--no-progress']),
];
const isClean = (results) => results.every((result) => result !== undefined && result !== false);

/** Some tests want a real web server or browser; it is installed where that is possible, and they say so where it is not. */
function installPeer(name, program) {
  if (existsSync(program) || !existsSync('/usr/bin/apt-get') || process.getuid?.() !== 0) return;
  process.stderr.write(`installing ${name} for the tests\n`);
  const install = () =>
    spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', name], {
      stdio: 'ignore',
      timeout: 120_000,
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  if (install().status === 0) return;
  spawnSync('apt-get', ['update', '-qq'], { stdio: 'ignore', timeout: 60_000 });
  if (install().status !== 0) process.stderr.write(`${name} could not be installed\n`);
}

/** Data that Debian publishes and npm does not: unpacked beside the packages, so nothing is installed. */
function fetchPublished(name) {
  const folder = fileURLToPath(new URL(`../node_modules/.cache/published/${name}`, import.meta.url));
  if (existsSync(folder) || !existsSync('/usr/bin/apt-get')) return;
  process.stderr.write(`fetching ${name} for the tests\n`);
  const work = mkdtempSync(join(tmpdir(), 'batharon-published-'));
  const download = () =>
    spawnSync('apt-get', ['download', '-qq', name], { cwd: work, stdio: 'ignore', timeout: 60_000 });
  if (download().status !== 0 && process.getuid?.() === 0) {
    spawnSync('apt-get', ['update', '-qq'], { stdio: 'ignore', timeout: 60_000 });
    download();
  }
  const [file] = readdirSync(work).filter((one) => one.endsWith('.deb'));
  // Under its name only once it is whole.
  const isWhole = file && spawnSync('dpkg', ['-x', file, 'data'], { cwd: work }).status === 0;
  if (isWhole) cpSync(join(work, 'data'), `${folder}.${process.pid}`, { recursive: true });
  if (isWhole && !existsSync(folder)) renameSync(`${folder}.${process.pid}`, folder);
  rmSync(`${folder}.${process.pid}`, { recursive: true, force: true });
  if (!isWhole) process.stderr.write(`${name} could not be fetched\n`);
  rmSync(work, { recursive: true, force: true });
}
const wants = (pattern) => wanted.length === 0 || wanted.some((one) => pattern.test(one));
if (wants(/credentials|servers/)) installPeer('apache2', '/usr/sbin/apache2');
if (wants(/proxies|streams/))
  for (const [name, program] of [
    ['tinyproxy', '/usr/bin/tinyproxy'],
    ['squid', '/usr/sbin/squid'],
  ])
    installPeer(name, program);
if (wants(/servers/)) installPeer('nginx', '/usr/sbin/nginx');
if (wants(/team/)) installPeer('redis-server', '/usr/bin/redis-server');
if (wants(/import/)) installPeer('curl', '/usr/bin/curl');
if (wants(/report|markup/)) installPeer('chromium', '/usr/bin/chromium');

if (wants(/description|suites/)) fetchPublished('libtest-json-schema-acceptance-perl');

const checked = wanted.length > 0 ? [] : await first();
const beside = wanted.length > 0 ? Promise.resolve([]) : others();
const jest = spawn(
  process.execPath,
  [
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    'node_modules/jest/bin/jest.js',
    ...wanted,
  ],
  { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] },
);
jest.on('close', async (code) => {
  const clean = isClean([...checked, ...(await beside)]);
  process.exit(code !== 0 ? (code ?? 1) : clean ? 0 : 1);
});
