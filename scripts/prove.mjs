// The long proofs at full count: random chains, planted secrets, four origins with a ledger, faults of a service, its pace, interruptions, kills. `npm test` runs a part of each.
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

// `npm run prove -- mutations [WORD…]` asks whether the tests would notice; `nodes` tries each version of Node.js.
const OTHERS = { mutations: 'scripts/mutations.mjs', nodes: 'scripts/nodes.mjs' };
const [first = '', ...rest] = process.argv.slice(2);
// What takes a team of machines is proved by itself: `npm run prove -- team`.
const suites =
  first === 'team' ? ['engine/steps/spread', 'team/kills', 'team/shared', 'team/spread', ...rest] : undefined;
const other = Object.hasOwn(OTHERS, first) ? OTHERS[first] : undefined;

const child = spawn(
  process.execPath,
  other !== undefined
    ? [other, ...rest]
    : [
        'scripts/test.mjs',
        ...(suites ?? [
          'run/properties',
          'masking/masking',
          'masking/planted',
          'practice/proofs',
          'practice/pace',
          'practice/kills',
          'import/har',
          'mistakes/random',
          'mistakes/variants',
          ...process.argv.slice(2),
        ]),
        '--runInBand',
        '--testTimeout=3600000',
      ],
  {
    cwd: fileURLToPath(new URL('..', import.meta.url)),
    env: other !== undefined ? process.env : { ...process.env, PROVE: '1' },
    stdio: 'inherit',
  },
);
child.on('close', (code) => process.exit(code ?? 1));
