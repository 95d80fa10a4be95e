// `check` of much: of many files, and of one long one, at 1, 10 and 100 times.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { median, print } from './measure.ts';
import { plainEnvironment, time } from './start.ts';

const TIMES = 7;
const program = join(process.env.BATHARON_ROOT!, 'bin/batharon.cjs');

/** Steps as people write them: one that finds something, one that uses it, one that changes it. */
function stepsOf(count: number): string {
  return Array.from({ length: count }, (_, i) =>
    i % 3 === 0
      ? `  - call: GET kiln /racks/A3/pieces\n    name: list${i}\n    query: { state: waiting, page: ${i} }\n    expect: length($.pieces) > 0\n    keep:\n      piece${i}: first($.pieces[?@.cone > 5]).id\n`
      : i % 3 === 1
        ? `  - call: GET kiln /pieces/\${piece${i - 1}}\n    expect:\n      - status == 200\n      - $.glaze.name in ['ash', 'cobalt']\n`
        : `  - call: PATCH kiln /pieces/\${piece${i - 2}}\n    json: { cone: 6, note: 'fired \${upper(piece${i - 2})}' }\n    expect: status in [200, 204]\n`,
  ).join('');
}

export function benchCheck(): void {
  process.stdout.write(`\ncheck of much, whole processes, median of ${TIMES}\n`);
  for (const files of [10, 100, 1000])
    measure(
      `${files} files of three steps`,
      (folder) => {
        mkdirSync(join(folder, 'chains'));
        for (let i = 0; i < files; i++)
          writeFileSync(join(folder, `chains/c${i}.chain.yaml`), `chain: Pieces ${i}\nsteps:\n${stepsOf(3)}`);
        return 'chains';
      },
      files === 1000 ? 1000 : undefined,
    );
  for (const steps of [50, 500, 5000])
    measure(
      `one file of ${steps} steps`,
      (folder) => {
        writeFileSync(join(folder, 'long.chain.yaml'), `chain: Long\nsteps:\n${stepsOf(steps)}`);
        return 'long.chain.yaml';
      },
      steps === 5000 ? 1500 : undefined,
    );
}

function measure(name: string, write: (folder: string) => string, bound: number | undefined): void {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));
  try {
    writeFileSync(join(folder, 'batharon.yaml'), 'services:\n  kiln:\n    url: https://kiln.example\n');
    const args = [program, 'check', write(folder)];
    const env = plainEnvironment(folder);
    for (let i = 0; i < 2; i++) time(args, folder, env);
    const times = Array.from({ length: TIMES }, () => time(args, folder, env));
    print(name, `${median(times).toFixed(0)} ms`, bound === undefined ? '' : `(at most ${bound} ms)`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
