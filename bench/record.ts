// The record: what it costs a loop, and how soon a long run is looked at, reported and searched.
import { existsSync, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { readChain } from '../src/core/chain/read/read-chain.ts';
import { readProject } from '../src/core/chain/read/read-project.ts';
import { run } from '../src/core/engine/run/run.ts';
import { HttpTransport } from '../src/io/http/http.ts';
import { LockedStore } from '../src/io/secrets/locked-store.ts';
import { machinePorts } from '../src/io/machine-ports.ts';
import { Records } from '../src/io/record/records.ts';
import { median, print } from './measure.ts';
import { startServer, time } from './start.ts';

const CALLS = 5000;
const PAIRS = 15;
const ITERATIONS = 10_000;
const CHROMIUM = '/usr/bin/chromium';

export async function benchRecord(): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-bench-'));
  const { url, stop } = await startServer();
  try {
    await recording(folder, url);
    const id = await longRun(folder, url);
    looking(folder, id);
    await reporting(folder, id);
  } finally {
    stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function loop(
  folder: string,
  url: string,
  calls: number,
  recorded: boolean,
): Promise<{ id: string; took: number }> {
  const { project } = readProject(
    join(folder, 'batharon.yaml'),
    `services:\n  kiln:\n    url: ${url}\n`,
    undefined,
    true,
  );
  const { chain } = readChain(
    join(folder, 'loop.chain.yaml'),
    `chain: Loop
steps:
  - each: n in range(1, ${calls})
    name: fire
    at-once: 32
    up-to: ${calls}
    steps:
      - call: GET kiln /racks/A3/pieces
        name: look
        expect: status == 200 && length($.pieces) > 0
`,
    project,
  );
  const transport = new HttpTransport();
  const ports = machinePorts(project, transport, { variables: {} });
  const { id, writer } = recorded
    ? new Records(folder).begin((why) => process.stderr.write(`${why}\n`))
    : { id: 'none', writer: undefined };
  const began = performance.now();
  const { exit } = await run(
    chain!,
    project,
    writer
      ? { ...ports, record: writer, sealer: new LockedStore(folder, { XDG_CONFIG_HOME: folder }) }
      : ports,
    { id, inputs: {}, signal: new AbortController().signal, emit: (event) => writer?.take(event) },
  );
  await writer?.close();
  const took = performance.now() - began;
  if (exit !== 0) throw new Error(`the loop ended with ${exit}`);
  await transport.close();
  return { id, took };
}

async function recording(folder: string, url: string): Promise<void> {
  process.stdout.write(
    `\na loop of ${CALLS} calls, 32 at once, recorded and not: calls per second of those without a record, median of ${PAIRS} pairs\n`,
  );
  for (const [name, address, bound] of [
    ['a service that takes 5 ms, as one near by does', `${url}/near`, '(at least 0.9×)'],
    ['a service that answers at once, so that nothing is waited for', url, ''],
  ] as const) {
    const ratios: number[] = [];
    for (let i = -3; i < PAIRS; i++) {
      const with_ = await loop(folder, address, CALLS, true);
      const without = await loop(folder, address, CALLS, false);
      rmSync(new Records(folder).folderOf(with_.id), { recursive: true });
      if (i >= 0) ratios.push(without.took / with_.took);
    }
    print(name, `${median(ratios).toFixed(2)}×`, bound);
  }
}

async function longRun(folder: string, url: string): Promise<string> {
  writeFileSync(join(folder, 'batharon.yaml'), `services:\n  kiln:\n    url: ${url}\n`);
  return (await loop(folder, url, ITERATIONS, true)).id;
}

function looking(folder: string, id: string): void {
  process.stdout.write(`\na recorded run of ${ITERATIONS} iterations\n`);
  const program = join(process.env.BATHARON_ROOT!, 'bin/batharon.cjs');
  const env = { PATH: process.env.PATH, HOME: folder, NO_COLOR: '1' };
  const ratios: number[] = [];
  for (let i = -2; i < 21; i++) {
    const viewing = time([program, 'view', id], folder, env);
    const ratio = viewing / time([program, '--version'], folder, env);
    if (i >= 0) ratios.push(ratio);
  }
  print('view, against --version', `${median(ratios).toFixed(2)}×`, '(at most 5×)');
  const times = Array.from({ length: 5 }, () =>
    time([program, 'report', id, '--html', 'run.html'], folder, env),
  );
  print('its HTML report is written in', `${median(times).toFixed(0)} ms`, '(at most 2000 ms)');
  print('and has', `${(statSync(join(folder, 'run.html')).size / 1e6).toFixed(2)} MB`, '(at most 8 MB)');
}

async function reporting(folder: string, id: string): Promise<void> {
  if (!existsSync(CHROMIUM)) {
    process.stdout.write(`  chromium is not here: the search in the report of ${id} is not measured\n`);
    return;
  }
  // It is not bundled with the benchmarks.
  const require = createRequire(join(process.env.BATHARON_ROOT!, 'package.json'));
  const entry = require.resolve('puppeteer-core');
  const { default: puppeteer } = (await import(pathToFileURL(entry).href)) as typeof import('puppeteer-core');
  const browser = await puppeteer.launch({
    executablePath: CHROMIUM,
    args: ['--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage();
  await page.goto(pathToFileURL(join(folder, 'run.html')).href);
  await page.waitForSelector('#page:not([aria-busy])');
  const times = await page.evaluate(async () => {
    const field = document.querySelector<HTMLInputElement>('#search')!;
    const figures: number[] = [];
    for (const wanted of ['f', 'fi', 'fire[', 'fire[77', 'celadon', 'zzz', 'passed', '']) {
      const began = performance.now();
      field.value = wanted;
      field.dispatchEvent(new Event('input'));
      await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
      figures.push(performance.now() - began);
    }
    return figures;
  });
  await browser.close();
  print(
    'a keystroke in its search, the slowest of eight',
    `${Math.max(...times).toFixed(0)} ms`,
    '(at most 100 ms)',
  );
}
