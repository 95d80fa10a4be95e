// Runs the end-to-end tests of the built program on each version of Node.js that it supports. The binaries come as npm
// packages; a version that can't be had is said and left out.
import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const VERSIONS = ['20', '22', '24', '26'];
const SUITES = ['test/cli', 'test/api', 'test/claims/program'];

const folder = mkdtempSync(join(tmpdir(), 'batharon-nodes-'));
// Some tests run the program as another user.
chmodSync(folder, 0o755);
const failed = [];
let tried = 0;
for (const version of VERSIONS) {
  const at = join(folder, version);
  const name = `node-${process.platform}-${process.arch}`;
  const installed = spawnSync(
    'npm',
    [
      'install',
      '--no-save',
      '--ignore-scripts',
      '--no-audit',
      '--no-fund',
      '--prefix',
      at,
      `${name}@${version}`,
    ],
    { stdio: ['ignore', 'ignore', 'pipe'], encoding: 'utf8' },
  );
  const node = join(at, 'node_modules', name, 'bin/node');
  if (installed.status !== 0 || !existsSync(node)) {
    process.stdout.write(`LEFT OUT: Node.js ${version} could not be installed\n`);
    continue;
  }
  tried++;
  const { stdout } = spawnSync(node, ['--version'], { encoding: 'utf8' });
  process.stdout.write(`\nNode.js ${stdout.trim()}\n`);
  const { status } = spawnSync(
    process.execPath,
    [
      '--experimental-vm-modules',
      '--disable-warning=ExperimentalWarning',
      'node_modules/jest/bin/jest.js',
      '--silent',
      ...SUITES,
    ],
    { cwd: root, stdio: 'inherit', env: { ...process.env, BATHARON_NODE: node } },
  );
  if (status !== 0) failed.push(stdout.trim());
  rmSync(at, { recursive: true, force: true });
}
rmSync(folder, { recursive: true, force: true });
process.stdout.write(
  failed.length > 0
    ? `failed on ${failed.join(', ')}\n`
    : `passed on ${tried} of ${VERSIONS.length} versions\n`,
);
process.exitCode = failed.length > 0 || tried === 0 ? 1 : 0;
