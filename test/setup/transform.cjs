// TypeScript to JavaScript for Jest, by the same tool that builds the program.
const { createHash } = require('node:crypto');
const { transformSync, version } = require('esbuild');

module.exports = {
  getCacheKey: (source, path) =>
    createHash('sha256').update(version).update(path).update(source).digest('hex'),
  process(source, path) {
    return transformSync(source, {
      loader: 'ts',
      format: 'esm',
      target: 'node20',
      sourcemap: 'inline',
      sourcefile: path,
    });
  },
};
