import { REPORTS, type ReportKind } from '../../report/index.ts';
import type { CommandDefinition } from './command-definition.ts';
import { ENV } from './options.ts';

/** Commands that look at recorded runs; they send nothing. */
export const lookCommands: readonly CommandDefinition[] = [
  {
    usage: 'view [where]',
    group: 'look',
    about: 'show a recorded run as a timeline, or a step with its requests and responses',
    arguments: {
      where: ['RUN or RUN:STEP, such as last:fire[7].load; RUN is last, an id, or the start of one', 'last'],
    },
    options: [
      { flags: '--as-curl', about: 'print the request of a step as a curl command, with $NAME for secrets' },
      {
        flags: '--browse',
        about: 'move through it by keys: steps, attempts, bodies, search, copied paths',
        conflicts: 'asCurl',
      },
    ],
    examples: ['batharon view', 'batharon view last:rack_pieces/page-2'],
    run: async (where: string | undefined, options: import('../commands/view.ts').ViewOptions) =>
      (await import('../commands/view.ts')).view(where, options),
  },
  {
    usage: 'shape <where>',
    group: 'look',
    about: 'make a JSON Schema of recorded responses of a step',
    arguments: { where: ['RUN:STEP, such as last:rack_pieces'] },
    options: [
      {
        flags: '--from-runs <number>',
        about: 'use the responses of so many runs of the chain',
        byDefault: '1',
      },
      { flags: '--add', about: 'add it under `shapes` of the project file, for fits(value, NAME)' },
      { flags: '--name <name>', about: 'what it is called there (default: the name of the step)' },
    ],
    examples: ['batharon shape last:rack_pieces --from-runs 20 --add'],
    run: async (where: string, options: import('../commands/shape.ts').ShapeOptions) =>
      (await import('../commands/shape.ts')).shape(where, options),
  },
  {
    usage: 'draw <what>',
    group: 'look',
    about: 'draw a chain, or what a run has done, as a sequence diagram',
    arguments: { what: ['a chain file, or a run: last, an id, or the start of one'] },
    options: [
      { flags: '--svg [file]', about: 'as a picture, printed or written to a file' },
      { flags: '--mermaid', about: 'as text that wikis and forges draw', conflicts: 'svg' },
      { flags: '--width <columns>', about: 'how wide it is (default: the terminal, at most 126)' },
      { flags: '--whole', about: 'fold nothing, however large it is' },
      ENV,
    ],
    examples: ['batharon draw fire.chain.yaml', 'batharon draw last --svg run.svg'],
    run: async (what: string, options: import('../commands/draw.ts').DrawOptions) =>
      (await import('../commands/draw.ts')).draw(what, options),
  },
  {
    usage: 'history [files...]',
    group: 'look',
    about: 'list recorded runs, latest first',
    arguments: { files: ['only runs of these chain files (default: all)'] },
    options: [
      {
        flags: '--outcome <word>',
        about: 'only runs that passed, failed, were interrupted, or are unfinished',
      },
      { flags: '--env <name>', about: 'only runs in this environment' },
      { flags: '--since <time>', about: 'only runs since then: 2h, 3d, or a date' },
      { flags: '--most <number>', about: 'how many to show (default: 20, with --steps 200)' },
      { flags: '--steps', about: 'how often each step failed over these runs, why, and how long it took' },
      { flags: '--watch', about: 'include runs of `batharon watch`' },
      { flags: '--json', about: 'print them as JSON' },
    ],
    examples: ['batharon history --outcome failed --since 2d'],
    run: async (files: string[], options: import('../commands/history.ts').HistoryOptions) =>
      (await import('../commands/history.ts')).history(files, options),
  },
  {
    usage: 'find <text>',
    group: 'look',
    about: 'find a value in recorded responses: its step, and the path to write in a chain',
    arguments: { text: ['a value, or part of one'] },
    options: [
      {
        flags: '--add <words...>',
        about: 'FILE STEP NAME: keep what was found in the response of that step, under that name',
      },
    ],
    examples: ["batharon find 'moon jar'", "batharon find 'moon jar' --add glazed.chain.yaml rack jar"],
    run: async (text: string, options: import('../commands/find.ts').FindOptions) =>
      (await import('../commands/find.ts')).find(text, options),
  },
  {
    usage: 'eval <expression> [file]',
    group: 'look',
    about: 'evaluate an expression on a file, standard input, or the response of a recorded step',
    arguments: {
      expression: ['an expression of the chain language'],
      file: ['JSON file, or - for standard input (default: no input)'],
    },
    options: [
      { flags: '--on <run:step>', about: 'a recorded step, such as last:load' },
      { flags: '--json', about: 'print only the value, as JSON' },
    ],
    examples: ["batharon eval '$.pieces[?@.glazed == true].id' --on last:rack_pieces"],
    run: async (text: string, file: string | undefined, options: import('../commands/eval.ts').EvalOptions) =>
      (await import('../commands/eval.ts')).evalCommand(text, file, options),
  },
  {
    usage: 'compare <before> <after>',
    group: 'look',
    about: 'show how two runs differ: outcome, time, values, and the shape of responses',
    arguments: { before: ['RUN or RUN:STEP'], after: ['RUN or RUN:STEP'] },
    options: [{ flags: '--json', about: 'print the differences as JSON' }],
    note: 'Exits with 1 if outcomes or shapes differ, and with 0 if only times and values do.',
    examples: ['batharon compare 4o42bq last'],
    run: async (before: string, after: string, options: import('../commands/compare.ts').CompareOptions) =>
      (await import('../commands/compare.ts')).compare(before, after, options),
  },
  {
    usage: 'report [runs...]',
    group: 'look',
    about: 'write a report of recorded runs to a file or standard output',
    arguments: { runs: ['last, ids of runs, or the starts of some', ['last']] },
    options: [
      ...Object.entries<ReportKind>(REPORTS).map(([name, { about }]) => ({
        flags: `--${name} [file]`,
        about: `${about} (default: standard output)`,
      })),
      {
        flags: '--contract',
        about:
          'operations, statuses and members of service descriptions that the runs have met and never met, and every deviation; as a table, or with --html, --markdown, --json',
        conflicts: ['junit', 'har'],
      },
      { flags: '--since <time>', about: 'with --contract, of all runs since then: 2h, 3d, or a date' },
    ],
    examples: ['batharon report last --html fire.html', 'batharon report --contract --since 7d'],
    run: async (
      runs: string[],
      options: import('../../api/make-reports.ts').ReportFiles & { contract?: boolean; since?: string },
    ) => (await import('../commands/report.ts')).report(runs, options),
  },
];
