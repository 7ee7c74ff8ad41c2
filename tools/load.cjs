// Loads a built program: `NAME.js` beside this file, with what the engine made of it when it was built
// (`NAME.cache`). A start reads that in place of compiling two to four megabytes of code, which took it
// longer than a question takes to answer.
//
// The cache belongs to one version of the engine, its flags, and the length of the code; another engine
// refuses it and compiles. See `vm.Script` in Node's documentation, and https://v8.dev/blog/code-caching.
const { readFileSync, renameSync, writeFileSync } = require('node:fs');
const { createRequire } = require('node:module');
const { join } = require('node:path');
const vm = require('node:vm');
const { isMainThread, threadId } = require('node:worker_threads');

/** The bytes of a file, or nothing where there is none. */
function bytesOf(file) {
  try {
    return readFileSync(file);
  } catch (error) {
    if (error.code === 'ENOENT') return undefined;
    throw error;
  }
}

/** Writes the cache of a program, with the functions that it ran until then, where it ends. */
function keepCode(name, script) {
  const file = join(__dirname, `${name}.cache`);
  const write = () => {
    // Whole, or not at all: several threads write, and may be ended while they do.
    const written = `${file}.${process.pid}.${threadId}`;
    writeFileSync(written, script.createCachedData());
    renameSync(written, file);
  };
  process.once('exit', write);
  // A thread of a pool is ended from outside, without that event.
  if (!isMainThread) setInterval(write, 300).unref();
}

/**
 * Runs the program of that name, and gives what it exports. Where CREASE_KEEP_CODE names it, its cache is
 * written anew: the build does so.
 */
module.exports = function load(name) {
  const file = join(__dirname, `${name}.js`);
  const script = new vm.Script(
    // The build leaves no other characters than those of ASCII: one byte each, in memory too.
    `(function (exports, require, module, __filename, __dirname) {${readFileSync(file, 'latin1')}\n})`,
    { filename: file, cachedData: bytesOf(join(__dirname, `${name}.cache`)) },
  );
  const module = { exports: {} };
  if (process.env.CREASE_KEEP_CODE === name) keepCode(name, script);
  script.runInThisContext()(module.exports, createRequire(file), module, file, __dirname);
  return module.exports;
};
