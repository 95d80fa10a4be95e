import { Command, Option } from 'commander';

declare const BATHARON_VERSION: string;

/** Puts one more value behind those of an option that may be given several times. */
function several(value: string, before: string[] | undefined): string[] {
  return [...(before ?? []), value];
}

const program = new Command('batharon')
  .description('Specifies and tests chains of authenticated HTTP requests.')
  .version(BATHARON_VERSION, '-V, --version', 'print the version')
  .helpOption('-h, --help', 'print help')
  .helpCommand(false)
  .option('--no-color', 'print without colours')
  .showSuggestionAfterError(true)
  .configureHelp({ sortSubcommands: false })
  .exitOverride((error) => {
    // Help and version are what was asked for; anything else is a wrong command.
    process.exit(error.exitCode === 0 ? 0 : 2);
  });

program
  .command('demo')
  .description('run three example chains against the practice service, and show what happened')
  .option('--write <folder>', 'write the files of the demo into a folder, to change and run them')
  .addHelpText('after', '\nExample:\n  batharon demo')
  .action(async (options: { write?: string }) => {
    const { demo } = await import('./commands/demo.ts');
    process.exitCode = await demo(options);
  });

program
  .command('practice')
  .description('run the practice service, a made-up pottery studio with an HTTP API')
  .option('--port <number>', 'listen on this port (4717 if free, otherwise any)')
  .option('--speed <factor>', 'let its time run so many times faster', '1')
  .option('--rate <requests>', 'requests a second that each credential may send', '20')
  .addHelpText('after', '\nExample:\n  batharon practice --port 4717 --speed 10')
  .action(async (options: { port?: string; speed: string; rate: string }) => {
    const { practice } = await import('./commands/practice.ts');
    process.exitCode = await practice(options);
  });

program
  .command('check')
  .argument('[files...]', 'chain files, or folders with chain files below them', ['.'])
  .description('find everything that can be known to be wrong before a request is sent')
  .option('--env <name>', 'the environment of the project')
  .option('--fix', 'write what YAML misreads as it should stand')
  .addHelpText('after', '\nExample:\n  batharon check glazed.chain.yaml')
  .action(async (files: string[], options: { env?: string; fix?: boolean }) => {
    const { check } = await import('./commands/check.ts');
    process.exitCode = await check(files, options);
  });

program
  .command('run')
  .argument('[files...]', 'chain files, or folders with chain files below them', ['.'])
  .description('carry out chains')
  .option('--env <name>', 'the environment of the project')
  .option(
    '--give <name=value>',
    'the value of an input; name=@file reads a file, name=- standard input',
    several,
  )
  .option('--give-from <file>', 'values of inputs, as a map in YAML or JSON')
  .addOption(new Option('--print <name>', 'print one result as plain text').conflicts('json'))
  .option('--json', 'print what happens as JSON, one event a line')
  .option('--dry', 'send nothing; show what would be sent')
  .addHelpText('after', '\nExample:\n  batharon run glazed.chain.yaml --give rack=A3')
  .action(async (files: string[], options: import('./commands/run.ts').RunCommandOptions) => {
    const { runCommand } = await import('./commands/run.ts');
    process.exitCode = await runCommand(files, options);
  });

program
  .command('explain')
  .argument('[word]', 'a key, a function, a kind of credential, a name, or the code of an error')
  .description('say what a word of the language means, with an example')
  .option('--all', 'print the whole language as one text')
  .addHelpText('after', '\nExample:\n  batharon explain keep')
  .action(async (word: string | undefined, options: { all?: boolean }) => {
    const { explain } = await import('./commands/explain.ts');
    process.exitCode = explain(word, options);
  });

// Whoever reads the output may stop reading, as `head` does; that is no failure.
for (const stream of [process.stdout, process.stderr]) {
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code === 'EPIPE') process.exit(0);
    throw error;
  });
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

/** A defect of the program itself: said in full, so that it can be reported. */
function report(error: unknown): void {
  process.stderr.write(
    `batharon met a defect of its own:\n${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`,
  );
  process.exitCode = 3;
}
