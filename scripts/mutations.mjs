// `npm run prove -- mutations`: changes the core in one place after another, and runs the suites that are nearest. A change that no
// test notices is printed: either a test is missing, or what was changed does nothing. With words, only those whose file or text
// has one of them.
import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
const root = fileURLToPath(new URL('..', import.meta.url));
const words = process.argv.slice(2);
const mutations = JSON.parse(readFileSync(join(root, 'test/mutations/list.json'), 'utf8'));

/** A copy of the project in which a mutation can be made, without the program that is built. */
function copy() {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-mutations-'));
  for (const name of [
    'src',
    'test',
    'scripts',
    'bin',
    'dist',
    'docs',
    'examples',
    'package.json',
    'jest.config.js',
    'tsconfig.json',
    'README.md',
  ])
    cpSync(join(root, name), join(folder, name), { recursive: true });
  symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'));
  return folder;
}

/** Whether some test of the suites fails. */
function fails(folder, suites) {
  return new Promise((resolve) => {
    const child = spawn(
      process.execPath,
      [
        '--experimental-vm-modules',
        '--no-warnings',
        join(root, 'node_modules/jest/bin/jest.js'),
        '--rootDir',
        folder,
        '--bail',
        '--silent',
        '--runInBand',
        '--testTimeout=120000',
        ...suites.split(' ').map((suite) => `test/${suite}.test.ts`),
      ],
      {
        cwd: folder,
        stdio: 'ignore',
        env: { ...process.env, NODE_ENV: 'test' },
        // What goes on for ever is noticed too.
        timeout: 240_000,
        killSignal: 'SIGKILL',
      },
    );
    child.on('close', (code) => resolve(code !== 0));
  });
}

const chosen = mutations.filter(
  (one) => words.length === 0 || words.some((word) => `${one.file} ${one.from}`.includes(word)),
);
const waiting = [...chosen.entries()];
const survivors = [];
async function work() {
  const folder = copy();
  try {
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      const [nth, { file, from, suites, to }] = next;
      const path = join(folder, 'src/core', file);
      const text = readFileSync(path, 'utf8');
      if (text.split(from).length !== 2) {
        survivors.push(`${file}: this does not stand there once: ${from}`);
        continue;
      }
      writeFileSync(
        path,
        text.replace(from, () => to),
      );
      const noticed = await fails(folder, suites);
      writeFileSync(path, text);
      if (!noticed) survivors.push(`${file}: nothing notices ${JSON.stringify(to)} in the place of ${from}`);
      process.stdout.write(
        `${String(nth + 1).padStart(3)} of ${chosen.length} ${noticed ? 'noticed ' : 'SURVIVED'} ${file}  ${from.slice(0, 70)}\n`,
      );
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
await Promise.all(Array.from({ length: Math.min(2, availableParallelism()) }, work));
process.stdout.write(
  survivors.length === 0 ? `\nall ${chosen.length} were noticed\n` : `\n${survivors.join('\n')}\n`,
);
process.exit(survivors.length === 0 ? 0 : 1);
