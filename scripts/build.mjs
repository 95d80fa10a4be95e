// Bundles src/cli/main.ts and everything it uses into dist/. Modules are split where the source says import(), then each
// piece becomes CommonJS, so that the launcher (bin/batharon.cjs) can keep V8's compiled code between runs.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build, transform } from 'esbuild';
import { apiTypes } from './api-types.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));

/** Commander loads child_process for subcommands in files of their own, which there are none of; it costs some milliseconds. */
const withoutChildProcess = {
  name: 'without-child-process',
  setup(setting) {
    setting.onResolve({ filter: /^node:child_process$/ }, ({ importer }) =>
      importer.includes('node_modules/commander/')
        ? { path: 'child_process', namespace: 'empty' }
        : undefined,
    );
    setting.onLoad({ filter: /.*/, namespace: 'empty' }, () => ({ contents: 'module.exports = {};' }));
  },
};

/** The YAML parser asks the environment at each token whether to log it, which takes a fifth of reading a long file. */
const withoutTokenLog = {
  name: 'without-token-log',
  setup(setting) {
    setting.onLoad({ filter: /node_modules\/yaml\/dist\/parse\/parser\.js$/ }, ({ path }) => ({
      contents: readFileSync(path, 'utf8').replace('node_process.env.LOG_TOKENS', 'false'),
      loader: 'js',
    }));
  },
};

/** Node makes a list of all its parts at the first one that is asked for without `node:`, which takes a millisecond and a half. */
const withProcess = {
  name: 'with-process',
  setup(setting) {
    setting.onResolve({ filter: /^process$/ }, () => ({ path: 'process', namespace: 'process' }));
    setting.onLoad({ filter: /.*/, namespace: 'process' }, () => ({ contents: 'module.exports = process;' }));
  },
};

/** The library of colours asks at once whether standard output is a terminal, and Node's streams take longer to load than a short command. */
const withoutStreams = {
  name: 'without-streams',
  setup(setting) {
    setting.onLoad({ filter: /node_modules\/picocolors\/picocolors\.js$/ }, ({ path }) => {
      const [before, after, ...more] = readFileSync(path, 'utf8').split('(p.stdout || {}).isTTY');
      if (after === undefined || more.length > 0) throw new Error(`${path} asks otherwise now`);
      return { contents: `${before}false${after}`, loader: 'js' };
    });
  },
};

/** `browser:PATH` is the program for a page, bundled into one text. */
const browserPrograms = {
  name: 'browser-programs',
  setup(setting) {
    setting.onResolve({ filter: /^browser:/ }, ({ path, resolveDir }) => ({
      path: join(resolveDir, path.slice('browser:'.length)),
      namespace: 'browser',
    }));
    setting.onLoad({ filter: /.*/, namespace: 'browser' }, async ({ path }) => {
      const { outputFiles } = await build({
        entryPoints: [path],
        bundle: true,
        write: false,
        format: 'iife',
        platform: 'browser',
        target: 'es2022',
        minify: true,
        legalComments: 'none',
      });
      return { contents: outputFiles[0].text, loader: 'text' };
    });
  },
};

const SETTINGS = {
  absWorkingDir: root,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  metafile: true,
  outExtension: { '.js': '.mjs' },
  loader: { '.yaml': 'text', '.css': 'text' },
  plugins: [withoutChildProcess, withoutTokenLog, withProcess, withoutStreams, browserPrograms],
  legalComments: 'none',
  logLevel: 'warning',
};

/**
 * Bundles one entry file into a folder of CommonJS pieces (`main.cjs` and what it loads) with a `package.json` that
 * carries a hash of their content.
 */
export async function bundle(entry, outdir, version = '0.0.0') {
  rmSync(outdir, { recursive: true, force: true });
  const { outputFiles, metafile } = await build({
    ...SETTINGS,
    entryPoints: { main: entry },
    write: false,
    outdir,
    define: { BATHARON_VERSION: JSON.stringify(version) },
  });
  mkdirSync(outdir, { recursive: true });
  const sum = createHash('sha256');
  for (const file of outputFiles.sort((a, b) => (a.path < b.path ? -1 : 1))) {
    const { code } = await transform(file.text, {
      format: 'cjs',
      platform: 'node',
      target: 'node20',
      supported: { 'dynamic-import': false },
      charset: 'ascii',
      // Names stay, so that the stack of a defect says where it was.
      minifyWhitespace: true,
      minifySyntax: true,
      loader: 'js',
    });
    const named = code
      .replace(/(require\("\.\/[^"]+)\.mjs"\)/g, '$1.cjs")')
      // What is left stands in patterns and comments, where an escape says the same; the launcher reads ASCII only.
      .replace(/[^\0-\x7f]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`);
    sum.update(named);
    writeFileSync(file.path.replace(/\.mjs$/, '.cjs'), named);
  }
  writeFileSync(
    join(outdir, 'package.json'),
    JSON.stringify({ type: 'commonjs', version, build: sum.digest('hex').slice(0, 16) }) + '\n',
  );
  return metafile;
}

/** Bundles what programs import, as modules that Node loads as they are, with their types. */
async function bundleApi(outdir, version) {
  rmSync(outdir, { recursive: true, force: true });
  const { metafile } = await build({
    ...SETTINGS,
    entryPoints: { index: 'src/api/index.ts' },
    outdir,
    define: { BATHARON_VERSION: JSON.stringify(version) },
    // Packages that are CommonJS ask for Node's own modules by require.
    banner: {
      js: "import { createRequire as requireOf } from 'node:module'; const require = requireOf(import.meta.url);",
    },
  });
  writeFileSync(join(outdir, 'index.d.mts'), apiTypes(root));
  return metafile;
}

/** The licence texts of all packages whose code is in the bundle. */
function licences(metafile) {
  const packages = new Set();
  for (const input of Object.keys(metafile.inputs)) {
    const found = /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(input);
    if (found) packages.add(found[1]);
  }
  return [...packages]
    .sort()
    .map((path) => {
      const about = JSON.parse(readFileSync(join(root, path, 'package.json'), 'utf8'));
      const file = readdirSync(join(root, path)).find((name) => /^(licen[cs]e|copying)/i.test(name));
      const text = file ? readFileSync(join(root, path, file), 'utf8') : `Licence: ${about.license}\n`;
      return `${about.name} ${about.version}\n\n${text.trim()}\n`;
    })
    .join(`\n${'-'.repeat(78)}\n\n`);
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { version } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
  const outdir = join(root, 'dist');
  const metafile = await bundle('src/cli/main.ts', outdir, version);
  await bundleApi(join(outdir, 'api'), version);
  writeFileSync(join(outdir, 'THIRD-PARTY-LICENSES.txt'), licences(metafile));
  if (!existsSync(join(outdir, 'main.cjs'))) throw new Error('the build made no main.cjs');
}
