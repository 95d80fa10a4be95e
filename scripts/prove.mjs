// The long proofs at full count: random chains, planted secrets, four origins with a ledger, faults of a service, its pace, interruptions, kills. `npm test` runs a part of each.
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

// `npm run prove -- mutations [WORD…]` asks whether the tests would notice; `nodes` tries each version of Node.js.
const OTHERS = { mutations: 'scripts/mutations.mjs', nodes: 'scripts/nodes.mjs' };
const [first = '', ...rest] = process.argv.slice(2);
const other = Object.hasOwn(OTHERS, first) ? OTHERS[first] : undefined;

const child = spawn(
  process.execPath,
  other !== undefined
    ? [other, ...rest]
    : [
        'scripts/test.mjs',
        'run/properties',
        'masking/masking',
        'masking/planted',
        'practice/proofs',
        'practice/pace',
        'practice/kills',
        'import/har',
        '--runInBand',
        '--testTimeout=3600000',
        ...process.argv.slice(2),
      ],
  {
    cwd: fileURLToPath(new URL('..', import.meta.url)),
    env: other !== undefined ? process.env : { ...process.env, PROVE: '1' },
    stdio: 'inherit',
  },
);
child.on('close', (code) => process.exit(code ?? 1));
