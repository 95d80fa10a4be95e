'use strict';
const fs = require('node:fs');
const path = require('node:path');
const vm = require('node:vm');
const Module = require('node:module');

const KEPT_BUILDS = 4;

/** The cache folder of this build, made level by level (recursive mkdir can hang on odd paths on Node 20); or nothing. */
function cacheFolder(dist, name) {
  if (process.env.BATHARON_CODE_CACHE === 'off') return undefined;
  const home = process.env.XDG_CACHE_HOME || (process.env.HOME && path.join(process.env.HOME, '.cache'));
  if (!home || !path.isAbsolute(home)) return undefined;
  try {
    const { build } = JSON.parse(fs.readFileSync(path.join(dist, 'package.json'), 'utf8'));
    const own = path.join(home, name);
    const folder = path.join(own, `${build}-${process.version}-${process.arch}`);
    if (fs.existsSync(folder)) {
      // Code in it is run, so it must belong to this user and be writable by nobody else.
      const { uid, mode } = fs.statSync(own);
      return process.getuid && (uid !== process.getuid() || mode & 0o022) ? undefined : folder;
    }
    for (const level of [home, own, folder]) if (!fs.existsSync(level)) fs.mkdirSync(level, { mode: 0o700 });
    const others = fs
      .readdirSync(own)
      .map((entry) => ({ entry, time: fs.statSync(path.join(own, entry)).mtimeMs }))
      .sort((a, b) => b.time - a.time);
    for (const { entry } of others.slice(KEPT_BUILDS))
      fs.rmSync(path.join(own, entry), { recursive: true, force: true });
    return folder;
  } catch {
    return undefined;
  }
}

/**
 * On Node 20, V8's optimising compiler recompiles undici's WebAssembly parser after the first request, and the process
 * waits for that at its end, for about 0.2 s. A module that is made while the budget for it is out of reach is left as it
 * is; the flag is set back at once, since cached code is only good under the flags it was made with.
 */
function quickWasm() {
  if (!process.version.startsWith('v20.') || typeof WebAssembly === 'undefined') return;
  const { Module: Original } = WebAssembly;
  WebAssembly.Module = function (bytes) {
    const v8 = require('node:v8'); // only now: loading it costs some milliseconds
    v8.setFlagsFromString('--wasm-tiering-budget=2000000000');
    try {
      return new Original(bytes);
    } finally {
      v8.setFlagsFromString('--wasm-tiering-budget=1800000');
      WebAssembly.Module = Original;
    }
  };
  WebAssembly.Module.prototype = Original.prototype;
}

/** Runs `main.cjs` of a folder made by scripts/build.mjs. */
module.exports = function launch(dist, name) {
  const folder = cacheFolder(dist, name);
  const loaded = new Map();
  const fresh = [];
  const outside = Module.createRequire(path.join(dist, 'main.cjs'));

  function load(file) {
    const known = loaded.get(file);
    if (known) return known.exports;
    const filename = path.join(dist, file);
    const source = fs.readFileSync(filename, 'utf8');
    const cacheFile = folder && path.join(folder, `${file}.cache`);
    let cachedData;
    if (cacheFile) {
      try {
        cachedData = fs.readFileSync(cacheFile);
      } catch {
        // not yet kept
      }
    }
    const script = new vm.Script(
      `(function (exports, require, module, __filename, __dirname) {${source}\n})`,
      {
        filename,
        ...(cachedData ? { cachedData } : {}),
      },
    );
    if (cacheFile && (!cachedData || script.cachedDataRejected)) fresh.push({ script, cacheFile });
    const module = { exports: {} };
    loaded.set(file, module);
    const require = (request) => (request.startsWith('./') ? load(request.slice(2)) : outside(request));
    script.runInThisContext().call(module.exports, module.exports, require, module, filename, dist);
    return module.exports;
  }

  // Written at the end, when V8 has compiled what this run needed; first under another name, so that no run reads half a file.
  if (folder) {
    process.on('exit', () => {
      for (const { script, cacheFile } of fresh) {
        try {
          const temporary = `${cacheFile}.${process.pid}`;
          fs.writeFileSync(temporary, script.createCachedData(), { mode: 0o600 });
          fs.renameSync(temporary, cacheFile);
        } catch {
          // a cache that can't be written is no failure
        }
      }
    });
  }
  quickWasm();
  load('main.cjs');
};
