import { existsSync, mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import glazed from '../../../examples/glazed.chain.yaml';
import fire from '../../../examples/fire.chain.yaml';
import closed from '../../../examples/kiln-closed.chain.yaml';
import piece from '../../../examples/piece.chain.yaml';
import drift from '../../../examples/drift.chain.yaml';
import project from '../../../examples/batharon.yaml';
import description from '../../../examples/kiln.openapi.yaml';
import { readProject } from '../../core/chain/read/read-project.ts';

import type { ExitCode } from '../../core/events.ts';
import { withFilesIn } from '../../api/open-world.ts';
import { filesOf } from '../../api/files-of.ts';
import { Given, inputsOf } from '../project/given-inputs.ts';
import { loadTexts, PROJECT_FILE } from '../../api/load.ts';
import { printFindings } from '../terminal/print-findings.ts';
import { loadReader } from '../../api/prepare-descriptions.ts';
import { type Paces, runRecorded } from '../../api/run-recorded.ts';
import { RunView } from '../view/run-view.ts';
import { errorTerminal, type Terminal } from '../terminal/terminal.ts';
import { wrap } from '../terminal/text-width.ts';
import { openHere } from '../project/open-here.ts';
import { watchInterruption } from '../terminal/signals.ts';

/** The chains of the demo, in the order of the story, with the way in which each is meant to end. */
const CHAINS: readonly {
  readonly path: string;
  readonly text: string;
  readonly about: string;
  readonly exit: ExitCode;
}[] = [
  {
    path: 'glazed.chain.yaml',
    text: glazed,
    about: 'A token is fetched, a list is asked for, and an id out of it goes into the next request.',
    exit: 0,
  },
  {
    path: 'piece.chain.yaml',
    text: piece,
    about: 'A piece is created, read back, changed, and deleted again by the cleanup.',
    exit: 0,
  },
  {
    path: 'fire.chain.yaml',
    text: fire,
    about:
      'Four pages of a list; a loop over the glazed pieces, three at once; each waits for its kiln and saves a certificate; at the end everything is taken back.',
    exit: 0,
  },
  {
    path: 'drift.chain.yaml',
    text: drift,
    about: 'The service answers otherwise than its description says. The run passes, and warns where.',
    exit: 0,
  },
  {
    path: 'kiln-closed.chain.yaml',
    text: closed,
    about: 'This one fails on purpose: it asks for a certificate while the kiln is still hot.',
    exit: 1,
  },
];

/** What the service says of itself. */
const DESCRIPTION = { path: 'kiln.openapi.yaml', text: description };

/** `batharon demo`: 0 where each chain ended as it was meant to. */
export async function demo(options: { write?: string }): Promise<ExitCode> {
  const terminal = errorTerminal();
  if (options.write !== undefined) return writeDemo(terminal, options.write);
  const folder = mkdtempSync(join(tmpdir(), 'batharon-demo-'));
  writeFileSync(join(folder, DESCRIPTION.path), DESCRIPTION.text);
  await loadReader();
  const read = readProject(PROJECT_FILE, project, undefined, true);
  const loaded = loadTexts(read, CHAINS, { descriptionsIn: folder });
  printFindings(terminal, loaded.findings);
  const interruption = watchInterruption(terminal);
  const world = await openHere(loaded.project);
  const paces: Paces = new Map();
  let asMeant = true;
  const say = (text: string): void =>
    terminal.write(
      `${wrap(text, terminal.wrapWidth)
        .map((line) => terminal.colours.dim(line))
        .join('\n')}\n`,
    );
  say(
    `The practice service, a made-up pottery studio, listens at ${world.practice ?? ''}. Five chains are run against it.`,
  );
  try {
    for (const [i, chain] of loaded.chains.entries()) {
      if (interruption.signal.aborted) break;
      terminal.write('\n');
      say(CHAINS[i]!.about);
      const view = new RunView(terminal);
      const { exit } = await runRecorded(
        chain,
        loaded.project,
        withFilesIn(world, join(folder, PROJECT_FILE)),
        {
          options: {
            files: filesOf(loaded, chain),
            inputs: inputsOf(chain, new Given(), loaded.project.zone),
            signal: interruption.signal,
            paces,
            emit: (event) => view.show(event),
          },
        },
      );
      if (CHAINS[i]!.text === fire && exit === 0) say(`The certificates are in ${join(folder, 'out')}.`);
      asMeant &&= exit === CHAINS[i]!.exit;
    }
  } finally {
    interruption.stop();
    await world.close();
  }
  if (interruption.signal.aborted) return 130;
  next(terminal);
  return asMeant ? 0 : 1;
}

/** What to try after the demo. */
function next(terminal: Terminal): void {
  const { colours } = terminal;
  const rows = [
    ['batharon view', 'shows the last of these runs: its steps, its requests, its waits'],
    ['batharon report last --html run.html', 'the same as a page to show around'],
    ['batharon demo --write kiln', 'writes these chains into the folder kiln'],
    ['cd kiln && batharon run', 'runs them from there; change one, and run it again'],
    ['batharon run glazed.chain.yaml --give rack=B1', 'the same chain for another rack'],
    ['batharon send GET kiln /glazes', 'one request without a file, its response with paths'],
    ['batharon calls kiln', 'lists what the service offers, by its description'],
    ['batharon check', 'finds what is wrong before anything is sent'],
    ['batharon explain keep', 'says what a word means, with an example'],
  ] as const;
  terminal.write(`\n${colours.bold('What to try next')}\n`);
  for (const [command, about] of rows) terminal.write(`  ${colours.cyan(command.padEnd(46))} ${about}\n`);
}

function writeDemo(terminal: Terminal, folder: string): ExitCode {
  const files = [{ path: PROJECT_FILE, text: project }, DESCRIPTION, ...CHAINS];
  const taken = files.find(({ path }) => existsSync(join(folder, path)));
  if (taken) {
    terminal.write(`${join(folder, taken.path)} is there already; nothing was written.\n`);
    return 2;
  }
  mkdirSync(folder, { recursive: true });
  for (const { path, text } of files) writeFileSync(join(folder, path), text);
  terminal.write(`Wrote ${files.length} files into ${folder}. Next: cd ${folder} && batharon run\n`);
  return 0;
}
