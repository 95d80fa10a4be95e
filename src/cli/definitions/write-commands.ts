import type { CommandDefinition } from './command-definition.ts';
import { ENV, GIVE, PERMISSIONS } from './options.ts';

/** Commands for writing a chain. */
export const writeCommands: readonly CommandDefinition[] = [
  {
    usage: 'check [files...]',
    group: 'write',
    about: 'find mistakes before a request is sent',
    arguments: { files: ['chain files, or folders with chain files in them', ['.']] },
    options: [ENV, { flags: '--fix', about: 'rewrite lines that YAML misreads' }],
    examples: ['batharon check glazed.chain.yaml'],
    run: async (files: string[], options: { env?: string; fix?: boolean }) =>
      (await import('../commands/check.ts')).check(files, options),
  },
  {
    usage: 'try <file> <step>',
    group: 'write',
    about: 'run one step, with values from the last run or from the steps before it',
    arguments: { file: ['chain file'], step: ['name or address of a step'] },
    options: [
      ENV,
      ...GIVE,
      {
        flags: '--keep [name=expression]',
        about:
          'add a value of the response under `keep` of the step (repeatable); without a value it lists the paths by number and asks',
        several: true,
      },
      ...PERMISSIONS,
    ],
    examples: [
      'batharon try glazed.chain.yaml piece',
      'batharon try glazed.chain.yaml piece --keep cone=$.cone',
      'batharon try glazed.chain.yaml piece --keep',
    ],
    run: async (file: string, step: string, options: import('../commands/try.ts').TryOptions) =>
      (await import('../commands/try.ts')).tryCommand(file, step, options),
  },
  {
    usage: 'watch <file>',
    group: 'write',
    about: 'check a chain at each save, and run it again from the first step that changed',
    arguments: { file: ['chain file'] },
    options: [
      ENV,
      ...GIVE,
      {
        flags: '--send',
        about: 'also send requests that may change something (default: use their recorded responses)',
      },
      ...PERMISSIONS,
    ],
    examples: ['batharon watch rack.chain.yaml'],
    run: async (file: string, options: import('../commands/watch.ts').WatchOptions) =>
      (await import('../commands/watch.ts')).watch(file, options),
  },
  {
    usage: 'explain [words...]',
    group: 'write',
    about: 'explain a word of the language, with an example',
    arguments: {
      words: [
        'a key, function, operator, job, name or error code, or what you look for (default: list them all)',
      ],
    },
    options: [{ flags: '--all', about: 'print the whole language as one text' }],
    examples: ['batharon explain keep', 'batharon explain upload a file'],
    run: async (words: readonly string[], options: { all?: boolean }) =>
      (await import('../commands/explain.ts')).explain(
        words.length === 0 ? undefined : words.join(' '),
        options,
      ),
  },
  {
    usage: 'schema [file]',
    group: 'write',
    about: 'print the JSON Schema of a chain or project file, for editors',
    arguments: { file: ['chain or project', 'chain'] },
    options: [
      { flags: '--write', about: 'write both below .batharon/schemas, where editors are told to look' },
    ],
    examples: ['batharon schema chain > chain.schema.json', 'batharon schema --write'],
    run: async (file: string, options: { write?: boolean }) =>
      (await import('../commands/schema.ts')).schema(file, options),
  },
];
