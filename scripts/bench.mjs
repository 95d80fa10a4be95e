// Measures, as ratios within one run; `npm run bench -- language` takes one part of it.
// The programs that are compared are bundled and started with the same means as the program itself.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { bundle } from './build.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));
try {
  await bundle('bench/script.ts', join(folder, 'script'));
  writeFileSync(
    join(folder, 'script.cjs'),
    `require(${JSON.stringify(join(root, 'bin/launch.cjs'))})(${JSON.stringify(join(folder, 'script'))}, 'batharon-bench');\n`,
  );
  await build({
    absWorkingDir: root,
    entryPoints: ['bench/server.ts', 'bench/calls-process.ts'],
    bundle: true,
    platform: 'node',
    format: 'cjs',
    outdir: folder,
    outExtension: { '.js': '.cjs' },
    logLevel: 'warning',
  });
  await build({
    absWorkingDir: root,
    entryPoints: ['bench/main.ts'],
    bundle: true,
    platform: 'node',
    format: 'esm',
    outfile: join(folder, 'main.mjs'),
    banner: {
      js: "import { createRequire as requireFor } from 'node:module'; const require = requireFor(import.meta.url);",
    },
    logLevel: 'warning',
  });
  // Node reads extra certificates at every start, which would flatter each ratio.
  const env = { ...process.env };
  delete env.NODE_EXTRA_CA_CERTS;
  const { status } = spawnSync(
    process.execPath,
    ['--expose-gc', join(folder, 'main.mjs'), ...process.argv.slice(2)],
    {
      stdio: 'inherit',
      env: { ...env, BATHARON_ROOT: root, BATHARON_BENCH: folder },
    },
  );
  process.exitCode = status ?? 1;
} finally {
  rmSync(folder, { recursive: true, force: true });
}
