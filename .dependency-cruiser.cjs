const outward = (name, from, forbidden) => ({
  name,
  severity: 'error',
  from: { path: `^src/${from}/` },
  to: { path: `^src/(${forbidden})/` },
});

module.exports = {
  forbidden: [
    {
      name: 'no-circles',
      severity: 'error',
      from: { path: '^src/' },
      to: { circular: true },
    },
    outward('core-stands-alone', 'core', 'io|practice|cli|report|import'),
    outward('io-knows-only-core', 'io', 'practice|cli|report|import'),
    outward('practice-stands-alone', 'practice', 'core|io|cli|report|import'),
    {
      name: 'core-has-no-node',
      severity: 'error',
      from: { path: '^src/core/' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-uses-pure-libraries-only',
      severity: 'error',
      from: { path: '^src/core/' },
      to: { path: 'node_modules/', pathNot: 'node_modules/(yaml|zod)/' },
    },
    {
      name: 'heavy-modules-only-when-needed',
      comment: 'Large packages are loaded by import() from the file that says so.',
      severity: 'error',
      from: {
        path: '^src/',
        pathNot:
          '^src/(io/http|io/http-[a-z-]+|io/row-tables|io/xpath|report/junit|import/fetch|io/credentials/oauth2|io/credentials/oauth2-[a-z]+|practice/.*)\\.ts$',
      },
      to: {
        dynamic: false,
        path: 'node_modules/(undici|fastify|oauth4webapi|jose|pngjs|fontoxpath|slimdom|tough-cookie|csv-parse|eventsource-parser|acorn)/',
        dependencyTypesNot: ['type-only'],
      },
    },
    {
      name: 'practice-only-when-needed',
      severity: 'error',
      from: { path: '^src/', pathNot: '^src/(practice/|cli/commands/practice\\.ts$)' },
      to: { path: '^src/practice/', dynamic: false, dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'no-unlisted-package',
      severity: 'error',
      from: { path: '^src/' },
      to: { pathNot: '^browser:', dependencyTypes: ['npm-no-pkg', 'npm-unknown', 'unknown'] },
    },
  ],
  options: {
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      extensions: ['.ts', '.js', '.mjs', '.cjs'],
      conditionNames: ['import', 'require', 'node', 'default'],
    },
    doNotFollow: { path: 'node_modules' },
  },
};
