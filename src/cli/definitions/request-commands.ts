import { IMPORT_FORMS } from '../../import/index.ts';
import type { CommandDefinition } from './command-definition.ts';
import { ENV, PERMISSIONS } from './options.ts';

/** Commands to try requests, and to get at credentials and secrets. */
export const requestCommands: readonly CommandDefinition[] = [
  {
    usage: 'send [words...]',
    group: 'request',
    about: 'send one request and show the response, with the path of each value in it',
    arguments: { words: ['METHOD SERVICE PATH, or METHOD URL'] },
    options: [
      {
        flags: '--as <credential>',
        about: 'credential to send it with, or nobody (default: that of the service)',
      },
      {
        flags: '--bearer <source...>',
        about: 'bearer token to send it with, by where it comes from: env NAME or ask',
        conflicts: 'as',
      },
      { flags: '--query <name=value>', about: 'query parameter (repeatable)', several: true },
      { flags: '--header <name:value>', about: 'header (repeatable)', several: true },
      { flags: '--json <text>', about: 'JSON body; @file reads a file, - standard input' },
      { flags: '--form <name=value>', about: 'form field (repeatable)', several: true },
      { flags: '--text <text>', about: 'plain text body; @file reads a file' },
      { flags: '--xml <text>', about: 'XML body; @file reads a file' },
      { flags: '--file <path>', about: 'body that is a file' },
      {
        flags: '--multipart <name=value>',
        about: 'part of a body; name=@file sends a file (repeatable)',
        several: true,
      },
      { flags: '--out <file>', about: 'write the body of the response to a file', conflicts: 'save' },
      { flags: '--save <path>', about: 'the same, also by the step that --add writes' },
      { flags: '--timeout <duration>', about: 'how long it may take, such as 10s' },
      { flags: '--all', about: 'print the whole body instead of its paths and values' },
      ENV,
      { flags: '--add <file>', about: 'add the request to a chain file as a step' },
      { flags: '--only', about: 'with --add: only write the step, send nothing' },
      { flags: '--name <name>', about: 'name of that step' },
      {
        flags: '--keep <name=expression>',
        about: 'value of the response that the step keeps (repeatable)',
        several: true,
      },
      ...PERMISSIONS,
    ],
    examples: [
      'batharon send GET kiln /racks/A3/pieces --query limit=5',
      'batharon send GET https://api.emberfold.example/v1/racks --bearer env TOKEN',
    ],
    run: async (words: string[], options: import('../commands/send.ts').SendOptions) =>
      (await import('../commands/send.ts')).send(words, options),
  },
  {
    usage: 'calls [service] [words...]',
    group: 'request',
    about:
      'list what a service offers, by its OpenAPI description; of one call its parts, and the step to write',
    arguments: {
      service: ['a service of the project, or the file of a description'],
      words: ['words of the path, id, summary, tag or parameter'],
    },
    options: [
      ENV,
      {
        flags: '--renew',
        about: 'read the description anew (fetch it, if it is a URL), and say what changed',
      },
      { flags: '--warnings', about: "list what in the description can't be used as it is written" },
      { flags: '--json', about: 'print the list as JSON' },
    ],
    examples: ['batharon calls kiln', 'batharon calls kiln pieces create'],
    run: async (
      service: string | undefined,
      words: readonly string[],
      options: import('../commands/calls.ts').CallsOptions,
    ) => (await import('../commands/calls.ts')).calls(service, words, options),
  },
  {
    usage: 'import <form> [source] [operations...]',
    group: 'request',
    about: 'turn requests from API documentation, a description or a recording into steps',
    arguments: {
      form: [IMPORT_FORMS.join(', ')],
      source: ['the text in quotes, or a file (default: standard input)'],
      operations: [
        "of a description: ids of operations, or 'GET /path' (default: all, a chain for each tag)",
      ],
    },
    options: [
      {
        flags: '--add <file>',
        about:
          'add the steps to a chain file, and services and credentials to the project; a folder gets a file for each chain',
      },
      { flags: '--name <name>', about: 'name of the step' },
      ENV,
    ],
    examples: [
      'batharon import curl \'curl -H "Emberfold-Key: $KEY" https://api.emberfold.example/v1/racks\' --add racks.chain.yaml',
      'batharon import openapi kiln.openapi.yaml createPiece --add piece.chain.yaml',
    ],
    run: async (
      form: string,
      source: string | undefined,
      operations: readonly string[],
      options: import('../commands/import.ts').ImportOptions,
    ) => (await import('../commands/import.ts')).importCommand(form, source, operations, options),
  },
  {
    usage: 'export <form> <file>',
    group: 'request',
    about: 'write a chain as an Arazzo document, as far as that goes',
    arguments: { form: ['arazzo'], file: ['chain file'] },
    options: [{ flags: '--to <file>', about: 'where it is written (default: standard output)' }, ENV],
    examples: ['batharon export arazzo glazed.chain.yaml --to glazed.arazzo.yaml'],
    run: async (form: string, file: string, options: { to?: string; env?: string }) =>
      (await import('../commands/export.ts')).exportCommand(form, file, options),
  },
  {
    usage: 'sign-in [credential]',
    group: 'request',
    about: 'get and test a token without a chain; show its scope and when it expires',
    arguments: { credential: ['credential of the project (default: the only one)'] },
    options: [ENV, ...PERMISSIONS],
    examples: ['batharon sign-in desk'],
    run: async (name: string | undefined, options: { env?: string }) =>
      (await import('../commands/sign-in.ts')).signIn(name, options),
  },
  {
    usage: 'sign-out [credential]',
    group: 'request',
    about: 'forget the stored token of a credential',
    arguments: { credential: ['credential of the project (default: the only one)'] },
    options: [ENV],
    examples: ['batharon sign-out desk'],
    run: async (name: string | undefined, options: { env?: string }) =>
      (await import('../commands/sign-in.ts')).signOut(name, options),
  },
  {
    usage: 'secret',
    group: 'request',
    about: 'store secrets of the project, encrypted for this user',
    examples: ['batharon secret set desk'],
    commands: [
      {
        usage: 'set <name>',
        about: 'store a secret; it is asked for, or read from standard input',
        arguments: { name: ['the name it has under `secrets` in batharon.yaml, with `locked`'] },
        options: [{ ...ENV, about: 'environment it is for (default: all)' }],
        run: async (name: string, options: { env?: string }) =>
          (await import('../commands/secret.ts')).setSecret(name, options),
      },
      {
        usage: 'list',
        about: 'list the secrets of the project and where they come from, never their values',
        options: [ENV],
        run: async (options: { env?: string }) =>
          (await import('../commands/secret.ts')).listSecrets(options),
      },
      {
        usage: 'remove <name>',
        about: 'delete a stored secret',
        arguments: { name: ['a stored secret'] },
        options: [{ ...ENV, about: 'environment it is for (default: all)' }],
        run: async (name: string, options: { env?: string }) =>
          (await import('../commands/secret.ts')).removeSecret(name, options),
      },
    ],
  },
];
