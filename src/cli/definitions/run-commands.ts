import { REPORTS, type ReportKind } from '../../report/index.ts';
import type { CommandDefinition } from './command-definition.ts';
import { ENV, EVENTS_AS_JSON, GIVE, LEAVE, PERMISSIONS, PRINT } from './options.ts';

/** Reports that a run can write at its end; `--json` prints its events. */
const RUN_REPORTS = Object.entries<ReportKind>(REPORTS)
  .filter(([name]) => name !== 'json')
  .map(([name, { about }]) => ({ name, about }));

/** What makes no sense of several rounds. */
const ONCE = ['dry', 'replay', 'jobs', 'stopEarly', 'print', ...RUN_REPORTS.map(({ name }) => name)];

/** Commands that run chains. */
export const runCommands: readonly CommandDefinition[] = [
  {
    usage: 'run [files...]',
    group: 'run',
    about: 'run chains',
    arguments: { files: ['chain files, or folders with chain files in them', ['.']] },
    options: [
      ENV,
      ...GIVE,
      PRINT,
      EVENTS_AS_JSON,
      { flags: '--dry', about: 'show what would be sent, and send nothing' },
      LEAVE,
      { flags: '--tag <tag>', about: 'only chains with this tag (repeatable)', several: true },
      { flags: '--not-tag <tag>', about: 'no chain with this tag (repeatable)', several: true },
      {
        flags: '--case <title>',
        about: 'of loops with titles, only the iteration of this title (repeatable)',
        several: true,
        conflicts: 'replay',
      },
      {
        flags: '--against <run>',
        about:
          'fail where responses have another shape than in this run; `passed` is the last one of each chain that passed',
        conflicts: ['replay', 'dry'],
      },
      {
        flags: '--contract <level>',
        about: 'what a deviation from a service description means in this run: strict, warn or off',
      },
      {
        flags: '--from <step>',
        about: 'begin at this step, with what recorded runs kept before it',
        conflicts: ['replay', 'only', 'dry'],
      },
      {
        flags: '--only <step>',
        about: 'only this step, with what recorded runs kept before it (repeatable)',
        several: true,
        conflicts: ['replay', 'dry'],
      },
      { flags: '--jobs <number>', about: 'how many chains run at once', byDefault: '1' },
      {
        flags: '--spread',
        about: 'give the work to the workers of the team: chains, and iterations of loops with `spread`',
        conflicts: ['dry', 'replay', 'from', 'only', 'case', 'again', 'untilFailed'],
      },
      { flags: '--shard <n/of>', about: 'only a share of the chains, such as 1/4' },
      { flags: '--stop-early', about: 'start no further chain once one has failed' },
      {
        flags: '--again <rounds>',
        about: 'run so often, a line per round, then what came of each step',
        conflicts: ONCE,
      },
      { flags: '--until-failed', about: 'run again until a round fails', conflicts: ONCE },
      ...RUN_REPORTS.map(({ name, about }) => ({ flags: `--${name} <file>`, about: `write ${about}` })),
      {
        flags: '--replay <run>',
        about: 'use the responses of a recorded run, and send nothing',
        conflicts: ['dry', 'leave', ...RUN_REPORTS.map(({ name }) => name)],
      },
      ...PERMISSIONS,
    ],
    examples: ['batharon run glazed.chain.yaml --give rack=A3'],
    run: async (files: string[], options: import('../commands/run.ts').RunCommandOptions) =>
      (await import('../commands/run.ts')).runCommand(files, options),
  },
  {
    usage: 'resume [run]',
    group: 'run',
    about: 'continue a run where it failed or was interrupted, with the chain as it is now',
    arguments: { run: ['id of a run, or the start of one', 'last'] },
    options: [
      {
        flags: '--sent [steps...]',
        about: 'requests without a response were processed; do not send them again',
      },
      { flags: '--not-sent [steps...]', about: 'requests without a response were not processed; send them' },
      {
        flags: '--give <name=value>',
        about: 'value that was lost with a response, or of a new input (repeatable)',
        several: true,
      },
      { flags: '--give-from <file>', about: 'such values, from a map in YAML or JSON' },
      PRINT,
      EVENTS_AS_JSON,
      LEAVE,
      ...PERMISSIONS,
    ],
    examples: ['batharon resume last --not-sent piece'],
    run: async (id: string, options: import('../commands/resume.ts').ResumeOptions) =>
      (await import('../commands/resume.ts')).resume(id, options),
  },
  {
    usage: 'work',
    group: 'run',
    about: 'carry out work that other machines of the team give with `run --spread`',
    options: [
      { flags: '--jobs <number>', about: 'how many parts at once', byDefault: '1' },
      { flags: '--tag <tag>', about: 'only of chains with this tag (repeatable)', several: true },
      {
        flags: '--status',
        about: 'say in one line which workers there are; 1 where none is on this machine',
      },
      ENV,
      {
        flags: '--trust',
        about: 'also of projects with other files than those in this folder',
      },
    ],
    note: 'It ends after what it is at when it is told to by SIGTERM or Ctrl-C, and at once when it is told twice.',
    examples: ['batharon work --jobs 2'],
    run: async (options: import('../commands/work.ts').WorkOptions) =>
      (await import('../commands/work.ts')).work(options),
  },
  {
    usage: 'cleanup <run>',
    group: 'run',
    about: 'run the undo and cleanup steps that a run left',
    arguments: { run: ['id of a run, the start of one, or last'] },
    options: [ENV, ...PERMISSIONS],
    examples: ['batharon run fire.chain.yaml --leave', 'batharon cleanup last'],
    run: async (id: string, options: { env?: string }) =>
      (await import('../commands/cleanup.ts')).cleanup(id, options),
  },
];
