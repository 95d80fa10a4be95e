const outward = (name, from, forbidden) => ({
  name,
  severity: 'error',
  from: { path: `^src/${from}/` },
  to: { path: `^src/(${forbidden})/` },
});

/** In each of these a file imports only from what stands before it in the list, or beside it. */
const ORDERS = {
  src: ['core', 'io', 'drawing', 'report', 'import', 'export', 'api', 'cli'],
  'src/core': ['language', 'contract', 'chain', 'engine', 'record', 'explain', 'schema'],
  'src/core/chain': ['model', 'project', 'optional', 'source', 'keys', 'fields', 'read'],
  'src/core/engine': [
    'time',
    'wire',
    'masking',
    'pace',
    'past-run',
    'spread',
    'scope',
    'request',
    'sign-in',
    'exchange',
    'call',
    'steps',
    'run',
  ],
  'src/io': [
    'reason',
    'callbacks',
    'http',
    'credentials',
    'secrets',
    'files',
    'budget-ledger',
    'world',
    'description',
    'hurried-clock',
    'team',
    'machine-ports',
    'record',
    'replay-transport',
  ],
  'src/cli': [
    'terminal',
    'project',
    'draft',
    'records',
    'view',
    'runs',
    'completion',
    'commands',
    'definitions',
    'main',
  ],
};

const oneWay = Object.entries(ORDERS).flatMap(([folder, names]) =>
  names.slice(0, -1).map((name, i) => ({
    name: `order-of-${folder.replace('src/', '').replace('/', '-')}`,
    severity: 'error',
    from: { path: `^${folder}/${name}(/|\\.ts$)` },
    to: { path: `^${folder}/(${names.slice(i + 1).join('|')})(/|\\.ts$)` },
  })),
);

module.exports = {
  forbidden: [
    ...oneWay,
    {
      name: 'no-circles',
      severity: 'error',
      from: { path: '^src/' },
      to: { circular: true },
    },
    {
      name: 'commands-through-the-api',
      comment: 'Only src/api joins the engine and the machine; the command line reads, asks and shows.',
      severity: 'error',
      from: { path: '^src/cli/' },
      to: { path: '^src/(io|core/engine)/' },
    },
    outward('practice-from-the-command-only', '(core|io|report|import)', 'practice'),
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
          '^src/(io/http/[a-z0-9-]+|io/files/row-tables|io/files/xpath|io/files/read-html|io/files/read-markup|report/junit|import/fetch|io/description/validate|io/description/parse-data|io/credentials/oauth2|io/credentials/oauth2-[a-z]+|io/team/[a-z-]+|practice/.*)\\.ts$',
      },
      to: {
        dynamic: false,
        path: 'node_modules/(undici|fastify|oauth4webapi|jose|pngjs|fontoxpath|slimdom|parse5|css-select|tough-cookie|csv-parse|eventsource-parser|acorn|ajv|ajv-formats|js-yaml|ioredis|bullmq)/',
        dependencyTypesNot: ['type-only'],
      },
    },
    {
      name: 'team-only-when-needed',
      comment: 'A project without a team loads nothing of what a team takes.',
      severity: 'error',
      from: {
        path: '^src/',
        pathNot:
          '^src/(io/team/|api/(worker|spread-run|run-spread|collect-work|work-desk|work-files|remote-files)\\.ts$)',
      },
      to: {
        path: '^src/(io/team/|api/(worker|spread-run|run-spread|collect-work)\\.ts$)',
        dynamic: false,
        dependencyTypesNot: ['type-only'],
      },
    },
    {
      name: 'practice-only-when-needed',
      severity: 'error',
      from: { path: '^src/', pathNot: '^src/(practice/|(cli/commands/practice|api/open-world)\\.ts$)' },
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
