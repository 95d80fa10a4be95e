import { Command } from 'commander';
import { withoutSecrets } from '../core/language/hidden.ts';
import { REPORT } from '../core/problems.ts';
import { beginCommands } from './definitions/begin-commands.ts';
import { commandOf, GROUPS } from './definitions/command-definition.ts';
import { lookCommands } from './definitions/look-commands.ts';
import { requestCommands } from './definitions/request-commands.ts';
import { runCommands } from './definitions/run-commands.ts';
import { writeCommands } from './definitions/write-commands.ts';
import { defects } from './terminal/defects.ts';
import { writeTo } from './terminal/standard-streams.ts';

declare const BATHARON_VERSION: string;

const program = new Command('batharon')
  .description('Specifies and tests chains of authenticated HTTP requests.')
  .version(BATHARON_VERSION, '-V, --version', 'print the version')
  .helpOption('-h, --help', 'print help')
  .helpCommand(false)
  .option('--no-color', 'print without colours')
  .showSuggestionAfterError(true)
  .showHelpAfterError('batharon COMMAND --help says what it takes, with an example')
  .configureHelp({ sortSubcommands: false })
  .configureOutput({ writeOut: (text) => writeTo(1, text), writeErr: (text) => writeTo(2, text) })
  .exitOverride((error) => {
    // Help and version are what was asked for; anything else is a wrong command.
    process.exit(error.exitCode === 0 ? 0 : 2);
  });

// Also for the processes that a run starts.
program.hook('preAction', async (_, command) => {
  const { ask, trust, yes } = command.opts<{ ask?: boolean; trust?: boolean; yes?: boolean }>();
  if (ask === false) process.env.BATHARON_NO_ASK = '1';
  if (trust) process.env.BATHARON_TRUST = '1';
  if (yes) process.env.BATHARON_YES = '1';
  const { prepareDescriptions } = await import('../api/prepare-descriptions.ts');
  await prepareDescriptions(['.', ...command.args]);
});

const definitions = [...beginCommands, ...requestCommands, ...writeCommands, ...runCommands, ...lookCommands];
// Where the command comes first, as it nearly always does, the others need not be made.
const asked = definitions.filter(
  ({ usage, knowsAll }) => usage.split(' ')[0] === process.argv[2] && !knowsAll,
);
for (const definition of asked.length > 0 ? asked : definitions) {
  const command = commandOf(definition, program);
  command.helpGroup(GROUPS[definition.group]);
  program.addCommand(command);
}

try {
  if (process.argv.length <= 2) program.outputHelp();
  else await0(program.parseAsync(process.argv));
} catch (error) {
  report(error);
}

/** There is no await at the top of a bundle that is CommonJS. */
function await0(promise: Promise<unknown>): void {
  promise.catch(report);
}

/** A defect of the program itself: said in full, without secrets, so that it can be reported. */
function report(error: unknown): void {
  const what = error instanceof Error ? (error.stack ?? error.message) : String(error);
  writeTo(2, `batharon met a defect of its own:\n${withoutSecrets(what)}\n${REPORT}\n`);
  process.exitCode = 4;
}

// What nobody waits for may fail as well.
process.on('uncaughtException', (error) => {
  report(error);
  if (defects.size === 0) process.exit();
  for (const onDefect of defects) onDefect(error);
});
