'use strict';
const fs = require('node:fs');
const path = require('node:path');
const vm = require('node:vm');

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

const START = '(function (exports, require, module, __filename, __dirname) {';

/** The text of one piece of the program, or of several, as an expression that gives a function for each. */
function textOf(dist, files) {
  // The build writes ASCII only, which is read faster so.
  const sources = files.map((file) => `${START}${fs.readFileSync(path.join(dist, file), 'latin1')}\n})`);
  return `[${sources.join(',\n')}]`;
}

/** A script of such a text. */
function compile(dist, name, text, cachedData) {
  return new vm.Script(text, { filename: path.join(dist, name), ...(cachedData ? { cachedData } : {}) });
}

/**
 * What is kept for a command: the pieces that it loads, their text, and V8's code for all of them together, which is quicker
 * than for each. The first run writes the list, the second the rest; a run that loads more begins a longer list. All is one
 * file, since text and code must belong together.
 */
function keptFor(dist, command, file) {
  try {
    const kept = fs.readFileSync(file);
    const end = kept.indexOf(0x0a);
    const [length, ...files] = kept.latin1Slice(0, end).split(' ');
    const start = end + 1 + Number(length);
    const name = `of ${command}`;
    if (kept.length > start) {
      const script = compile(dist, name, kept.latin1Slice(end + 1, start), kept.subarray(start));
      if (!script.cachedDataRejected) return { files, script, complete: true };
    }
    const text = textOf(dist, files);
    return { files, text, script: compile(dist, name, text), complete: false };
  } catch {
    return { files: [] };
  }
}

/** Written under another name first, so that no run reads half a file. */
function keep(file, files, text, code) {
  try {
    const temporary = `${file}.${process.pid}`;
    const all = [Buffer.from(`${text.length} ${files.join(' ')}\n`), Buffer.from(text, 'latin1'), code];
    fs.writeFileSync(temporary, Buffer.concat(all), { mode: 0o600 });
    fs.renameSync(temporary, file);
  } catch {
    // a cache that can't be written is no failure
  }
}

/** Runs `main.cjs` of a folder made by scripts/build.mjs. */
module.exports = function launch(dist, name) {
  const folder = cacheFolder(dist, name);
  const command = /^[a-z-]{1,20}$/.test(process.argv[2] ?? '') ? process.argv[2] : 'main';
  const cacheFile = folder && path.join(folder, command);
  const loaded = new Map();
  const functions = new Map();

  function load(file) {
    const known = loaded.get(file);
    if (known) return known.exports;
    const body = functions.get(file) ?? compile(dist, file, textOf(dist, [file])).runInThisContext()[0];
    const module = { exports: {} };
    loaded.set(file, module);
    // All packages are in the pieces, so what else is asked for is a part of Node.
    const asked = (request) => (request.startsWith('./') ? load(request.slice(2)) : require(request));
    body.call(module.exports, module.exports, asked, module, path.join(dist, file), dist);
    return module.exports;
  }

  if (cacheFile) {
    const { files, text, script, complete } = keptFor(dist, command, cacheFile);
    if (script) for (const [i, body] of script.runInThisContext().entries()) functions.set(files[i], body);
    process.on('exit', () => {
      const all = [...new Set([...files, ...loaded.keys()])];
      if (all.length > files.length) keep(cacheFile, all, '', Buffer.alloc(0));
      // At the end V8 has compiled what this command needs.
      else if (!complete) keep(cacheFile, files, text, script.createCachedData());
    });
  }
  quickWasm();
  load('main.cjs');
};
