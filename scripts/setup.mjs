// Installs what is missing and builds what has changed. Says so only when there is something to do.
// Everything goes to standard error, so that the program's own output stays clean.
import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const at = (...parts) => join(root, ...parts);
const hash = (...contents) =>
  contents.reduce((sum, content) => sum.update(content).update('\0'), createHash('sha256')).digest('hex');
const read = (path) => (existsSync(path) ? readFileSync(path, 'utf8') : '');

const lockHash = () => hash(read(at('package-lock.json')));
const installed = () => read(at('node_modules/.batharon-stamp')) === lockHash();

function sourceHash() {
  const files = ['src', 'examples']
    .flatMap((folder) => readdirSync(at(folder), { recursive: true }).map((name) => join(folder, name)))
    .filter((name) => statSync(at(name)).isFile())
    .sort();
  files.push('scripts/build.mjs', 'package.json', 'package-lock.json');
  return hash(...files.flatMap((name) => [name, read(at(name))]));
}
const built = () => read(at('dist/.stamp')) === sourceHash();

const LOCK = at('.setup-lock');
const STALE_AFTER = 10 * 60_000;

/** One set-up at a time: a second one waits, and takes over a lock that is older than ten minutes. */
async function withLock(work) {
  for (let waited = 0; ; waited += 200) {
    try {
      mkdirSync(LOCK);
      break;
    } catch (error) {
      if (error.code !== 'EEXIST') throw error;
      const age = existsSync(LOCK) ? Date.now() - statSync(LOCK).mtimeMs : 0;
      if (age > STALE_AFTER) rmSync(LOCK, { recursive: true, force: true });
      else if (waited === 0) process.stderr.write('another set-up is running here; waiting for it\n');
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
  }
  try {
    return work();
  } finally {
    rmSync(LOCK, { recursive: true, force: true });
  }
}

function run(command, args) {
  const { status, error } = spawnSync(command, args, {
    cwd: root,
    stdio: ['ignore', 2, 2],
    shell: process.platform === 'win32',
  });
  if (error) throw error;
  if (status !== 0) process.exit(status ?? 1);
}

if (!installed() || !built()) {
  await withLock(() => {
    if (!installed()) {
      process.stderr.write('installing packages (npm ci), about half a minute\n');
      run('npm', ['ci', '--include=dev', '--loglevel=error']);
      writeFileSync(at('node_modules/.batharon-stamp'), lockHash());
    }
    if (!built()) {
      process.stderr.write('building\n');
      run(process.execPath, [at('scripts/build.mjs')]);
      writeFileSync(at('dist/.stamp'), sourceHash());
    }
  });
}
