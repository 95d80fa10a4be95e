import type { Command } from 'commander';
import type { CommandDefinition } from './command-definition.ts';

/** Commands to get started with. */
export const beginCommands: readonly CommandDefinition[] = [
  {
    usage: 'demo',
    group: 'begin',
    about: 'run four example chains against the practice service and show what happens',
    options: [
      { flags: '--write <folder>', about: 'write the files of the demo to a folder, to change and run' },
    ],
    examples: ['batharon demo'],
    run: async (options: { write?: string }) => (await import('../commands/demo.ts')).demo(options),
  },
  {
    usage: 'new [folder]',
    group: 'begin',
    about: 'create a project file and a first chain that runs as it is',
    arguments: { folder: ['where to create them', '.'] },
    examples: ['batharon new studio && cd studio && batharon run'],
    run: async (folder: string) => (await import('../commands/new.ts')).newProject(folder),
  },
  {
    usage: 'practice',
    group: 'begin',
    about: 'start the practice service, a made-up pottery studio with an HTTP API',
    options: [
      { flags: '--port <number>', about: 'port to listen on (default: 4717, or any free port)' },
      { flags: '--speed <factor>', about: 'run its clock this many times faster', byDefault: '1' },
      { flags: '--rate <requests>', about: 'requests per second allowed per credential', byDefault: '20' },
      { flags: '--drift', about: 'answer a little otherwise than its description says' },
    ],
    examples: ['batharon practice --port 4717 --speed 10'],
    run: async (options: { port?: string; speed: string; rate: string; drift?: boolean }) =>
      (await import('../commands/practice.ts')).practice(options),
  },
  {
    usage: 'completion [shell]',
    group: 'begin',
    about: 'print the script that completes command lines in bash, zsh or fish',
    arguments: { shell: ['bash, zsh or fish'] },
    options: [{ flags: '--line <text>', about: 'print what could complete this line; the scripts ask so' }],
    note: [
      'To install it, one line:',
      '  bash  echo \'eval "$(batharon completion bash)"\' >> ~/.bashrc',
      '  zsh   echo \'eval "$(batharon completion zsh)"\' >> ~/.zshrc',
      '  fish  batharon completion fish > ~/.config/fish/completions/batharon.fish',
    ].join('\n'),
    examples: ['eval "$(batharon completion bash)"', 'batharon completion fish | source'],
    knowsAll: true,
    run: async (shell: string | undefined, options: { line?: string }, program: Command) =>
      (await import('../commands/completion.ts')).completion(shell, options, program),
  },
];
