import { Command, Option } from 'commander';
import { withoutSecrets } from '../core/language/hidden.ts';
import { REPORT } from '../core/problems.ts';
import { defects } from './terminal/defects.ts';
import { writeTo } from './terminal/standard-streams.ts';

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
  .showHelpAfterError('batharon COMMAND --help says what it takes, with an example')
  .configureHelp({ sortSubcommands: false })
  .configureOutput({ writeOut: (text) => writeTo(1, text), writeErr: (text) => writeTo(2, text) })
  .exitOverride((error) => {
    // Help and version are what was asked for; anything else is a wrong command.
    process.exit(error.exitCode === 0 ? 0 : 2);
  });

// Also for the processes that a run starts.
program.hook('preAction', (_, command) => {
  const { trust, yes } = command.opts<{ trust?: boolean; yes?: boolean }>();
  if (trust) process.env.BATHARON_TRUST = '1';
  if (yes) process.env.BATHARON_YES = '1';
});

program
  .command('demo')
  .description('run four example chains against the practice service, and show what happened')
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
  .command('new')
  .argument('[folder]', 'where to', '.')
  .description('write a project file and a first chain, which runs as it is')
  .addHelpText('after', '\nExample:\n  batharon new studio && cd studio && batharon run')
  .action(async (folder: string) => {
    const { newProject } = await import('./commands/new.ts');
    process.exitCode = newProject(folder);
  });

program
  .command('send')
  .argument('<words...>', 'METHOD SERVICE PATH, or METHOD URL')
  .description('send one request without a file; show what came, and the path of each value in it')
  .option('--as <credential>', 'the credential that it carries, or nobody')
  .option('--query <name=value>', 'a parameter of the URL', several)
  .option('--header <name:value>', 'a field', several)
  .option('--json <text>', 'a body of JSON; @file reads a file, - standard input')
  .option('--form <name=value>', 'a field of a form', several)
  .option('--text <text>', 'a body of plain text; @file reads a file')
  .option('--env <name>', 'the environment of the project')
  .option('--name <name>', 'a name for the step')
  .option('--keep <name=expression>', 'a value of the response that the step keeps', several)
  .option('--add <file>', 'put it into a chain file as a step')
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon send GET kiln /racks/A3/pieces --query limit=5')
  .action(async (words: string[], options: import('./commands/send.ts').SendOptions) => {
    const { send } = await import('./commands/send.ts');
    process.exitCode = await send(words, options);
  });

program
  .command('import')
  .argument('<form>', 'curl, fetch or http')
  .argument('[source]', 'the text in quotes, or a file; without it standard input')
  .description('make a step of a request as API documentation shows it')
  .option('--add <file>', 'put it into a chain file, and its service and key into the project')
  .option('--name <name>', 'a name for the step')
  .option('--env <name>', 'the environment of the project')
  .addHelpText(
    'after',
    '\nExample:\n  batharon import curl \'curl -H "Emberfold-Key: $KEY" https://api.emberfold.example/v1/racks\' --add racks.chain.yaml',
  )
  .action(
    async (
      form: string,
      source: string | undefined,
      options: import('./commands/import.ts').ImportOptions,
    ) => {
      const { importCommand } = await import('./commands/import.ts');
      process.exitCode = await importCommand(form, source, options);
    },
  );

program
  .command('history')
  .argument('[files...]', 'only runs of these chain files')
  .description('list the recorded runs, the latest first')
  .option('--outcome <word>', 'only those that passed, failed, were `interrupted`, or are unfinished')
  .option('--env <name>', 'only those of an environment')
  .option('--since <time>', 'only those since then: 2h, 3d, or a date')
  .option('--most <number>', 'how many are shown', '20')
  .option('--watch', 'those of batharon watch too')
  .option('--json', 'print them as JSON')
  .addHelpText('after', '\nExample:\n  batharon history --outcome failed --since 2d')
  .action(async (files: string[], options: import('./commands/history.ts').HistoryOptions) => {
    const { history } = await import('./commands/history.ts');
    process.exitCode = await history(files, options);
  });

program
  .command('view')
  .argument('[where]', 'RUN or RUN:STEP, such as last:fire[7].load; RUN is last, an id, or the start of one')
  .description('show a recorded run as a timeline, or a step with its requests and responses')
  .option('--as-curl', 'print the request of a step as a command line, with $NAME for secrets')
  .addHelpText('after', '\nExample:\n  batharon view\n  batharon view last:rack_pieces/page-2')
  .action(async (where: string | undefined, options: import('./commands/view.ts').ViewOptions) => {
    const { view } = await import('./commands/view.ts');
    process.exitCode = await view(where, options);
  });

program
  .command('watch')
  .argument('<file>', 'a chain file')
  .description('check a chain at each save, and run it again from the first step that has changed')
  .option('--env <name>', 'the environment to use')
  .option('--give <name=value>', 'a value for an input (name=@file, or name=- for standard input)', several)
  .option('--give-from <file>', 'values for inputs, as a map in YAML or JSON')
  .option('--send', 'also send requests that may change something; without it their recorded responses stand')
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon watch rack.chain.yaml')
  .action(async (file: string, options: import('./commands/watch.ts').WatchOptions) => {
    const { watch } = await import('./commands/watch.ts');
    process.exitCode = await watch(file, options);
  });

program
  .command('resume')
  .argument('[run]', 'the id of a run, the start of one, or last', 'last')
  .description('go on where a run failed or was interrupted, with the chain as it now is')
  .option('--sent [steps...]', 'requests without a response were processed, and are not sent again')
  .option('--not-sent [steps...]', 'requests without a response were not processed, and are sent')
  .option('--give <name=value>', 'a value that was lost with a response, or of a new input', several)
  .option('--give-from <file>', 'such values, as a map in YAML or JSON')
  .addOption(new Option('--print <name>', 'print one result as plain text').conflicts('json'))
  .option('--json', 'print what happens as JSON, one event a line')
  .option('--leave', 'carry out neither undo nor cleanup; batharon cleanup does later')
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon resume last --not-sent piece')
  .action(async (run: string, options: import('./commands/resume.ts').ResumeOptions) => {
    const { resume } = await import('./commands/resume.ts');
    process.exitCode = await resume(run, options);
  });

program
  .command('compare')
  .argument('<before>', 'RUN or RUN:STEP')
  .argument('<after>', 'RUN or RUN:STEP')
  .description('say what differs between two runs: outcome, time, values, the shape of the responses')
  .option('--json', 'print the differences as JSON')
  .addHelpText(
    'after',
    '\nIt gives 1 where outcome or shape differ, and 0 where only times and values do.\n\nExample:\n  batharon compare 4o42bq last',
  )
  .action(async (before: string, after: string, options: import('./commands/compare.ts').CompareOptions) => {
    const { compare } = await import('./commands/compare.ts');
    process.exitCode = await compare(before, after, options);
  });

program
  .command('report')
  .argument('[runs...]', 'last, ids of runs, or the starts of some', ['last'])
  .description('make a report of recorded runs; into a file, or to standard output')
  .option('--html [file]', 'one page that needs no network')
  .option('--junit [file]', 'JUnit XML, as build servers read it')
  .option('--har [file]', 'an HTTP Archive of all requests')
  .option('--markdown [file]', 'for a comment on a change')
  .option('--json [file]', 'for programs of your own')
  .addHelpText('after', '\nExample:\n  batharon report last --html fire.html')
  .action(async (runs: string[], options: import('./runs/write-reports.ts').ReportFiles) => {
    const { report } = await import('./commands/report.ts');
    process.exitCode = await report(runs, options);
  });

program
  .command('cleanup')
  .argument('<run>', 'the id of a run, the start of one, or last')
  .description('carry out the undo and cleanup steps that a run was told to leave')
  .option('--env <name>', 'the environment of the project')
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon run fire.chain.yaml --leave\n  batharon cleanup last')
  .action(async (run: string, options: { env?: string }) => {
    const { cleanup } = await import('./commands/cleanup.ts');
    process.exitCode = await cleanup(run, options);
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
  .command('try')
  .argument('<file>', 'a chain file')
  .argument('<step>', 'the name of a step, or its address')
  .description('send one step, with what it needs from the last run or from the steps before it')
  .option('--env <name>', 'the environment of the project')
  .option('--give <name=value>', 'the value of an input', several)
  .option('--give-from <file>', 'values of inputs, as a map in YAML or JSON')
  .option('--keep <name=expression>', 'write a value of the response under keep of the step', several)
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText(
    'after',
    '\nExample:\n  batharon try glazed.chain.yaml piece\n  batharon try glazed.chain.yaml piece --keep cone=$.cone',
  )
  .action(async (file: string, step: string, options: import('./commands/try.ts').TryOptions) => {
    const { tryCommand } = await import('./commands/try.ts');
    process.exitCode = await tryCommand(file, step, options);
  });

program
  .command('find')
  .argument('<text>', 'a value, or a part of one')
  .description('find a value in recorded responses: the step, and the path to write in a chain')
  .addHelpText('after', "\nExample:\n  batharon find 'moon jar'")
  .action(async (text: string) => {
    const { find } = await import('./commands/find.ts');
    process.exitCode = await find(text);
  });

program
  .command('eval')
  .argument('<expression>', 'an expression of the chain language')
  .argument('[file]', 'a JSON file, or - for standard input')
  .description('evaluate an expression on a file, standard input, or the response of a recorded step')
  .option('--on <run:step>', 'a recorded step, such as last:load')
  .option('--json', 'print the value alone, as JSON')
  .addHelpText('after', "\nExample:\n  batharon eval '$.pieces[?@.glazed == true].id' --on last:rack_pieces")
  .action(
    async (text: string, file: string | undefined, options: import('./commands/eval.ts').EvalOptions) => {
      const { evalCommand } = await import('./commands/eval.ts');
      process.exitCode = await evalCommand(text, file, options);
    },
  );

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
  .option('--leave', 'carry out neither undo nor cleanup; batharon cleanup does later')
  .option('--tag <tag>', 'only chains with this tag', several)
  .option('--jobs <number>', 'carry out so many chains at once', '1')
  .option('--shard <n/of>', 'only a share of the chains, such as 1/4')
  .option('--stop-early', 'begin no further chain once one has broken')
  .option('--junit <file>', 'write JUnit XML, as build servers read it')
  .option('--html <file>', 'write a page that shows the runs')
  .addOption(
    new Option('--replay <run>', 'take the responses of a recorded run, and send nothing').conflicts([
      'dry',
      'html',
      'junit',
      'leave',
    ]),
  )
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon run glazed.chain.yaml --give rack=A3')
  .action(async (files: string[], options: import('./commands/run.ts').RunCommandOptions) => {
    const { runCommand } = await import('./commands/run.ts');
    process.exitCode = await runCommand(files, options);
  });

program
  .command('sign-in')
  .argument('[credential]', 'a credential of the project')
  .description('get and test a token without a chain; say for what it is, and until when')
  .option('--env <name>', 'the environment of the project')
  .option('--trust', 'let the project file run its commands and read files outside its folder, unasked')
  .option('--yes', 'send what may change something where guard: ask would ask')
  .addHelpText('after', '\nExample:\n  batharon sign-in desk')
  .action(async (name: string | undefined, options: { env?: string }) => {
    const { signIn } = await import('./commands/sign-in.ts');
    process.exitCode = await signIn(name, options);
  });

program
  .command('sign-out')
  .argument('[credential]', 'a credential of the project')
  .description('forget the token that is kept of a credential')
  .option('--env <name>', 'the environment of the project')
  .addHelpText('after', '\nExample:\n  batharon sign-out desk')
  .action(async (name: string | undefined, options: { env?: string }) => {
    const { signOut } = await import('./commands/sign-in.ts');
    process.exitCode = await signOut(name, options);
  });

const secret = program
  .command('secret')
  .description('store secrets of the project, sealed for this user')
  .addHelpText('after', '\nExample:\n  batharon secret set desk');
secret
  .command('set')
  .argument('<name>', 'the name that secrets: in batharon.yaml gives it, with `locked`')
  .description('store a secret; it is asked for, or read from standard input')
  .option('--env <name>', 'the environment of the project')
  .action(async (name: string, options: { env?: string }) => {
    const { setSecret } = await import('./commands/secret.ts');
    process.exitCode = await setSecret(name, options);
  });
secret
  .command('list')
  .description('list the secrets of the project and where they come from, never what they are')
  .option('--env <name>', 'the environment of the project')
  .action(async (options: { env?: string }) => {
    const { listSecrets } = await import('./commands/secret.ts');
    process.exitCode = await listSecrets(options);
  });
secret
  .command('remove')
  .argument('<name>', 'a secret that is stored')
  .description('forget a stored secret')
  .option('--env <name>', 'the one of this environment')
  .action(async (name: string, options: { env?: string }) => {
    const { removeSecret } = await import('./commands/secret.ts');
    process.exitCode = await removeSecret(name, options);
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
