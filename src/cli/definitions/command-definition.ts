import { Argument, Command, Option } from 'commander';

/** What a person does with a command, in the order in which people work; `--help` is grouped by it. */
export const GROUPS = {
  begin: 'Get started:',
  request: 'Try requests and credentials:',
  write: 'Write a chain:',
  run: 'Run chains:',
  look: 'See what happened:',
} as const;

/** A command as `--help` describes it. Its code is loaded when it runs, since start-up is part of speed. */
export interface CommandDefinition {
  /** As it is written: `view [where]`. */
  readonly usage: string;
  readonly group: keyof typeof GROUPS;
  readonly about: string;
  /** What each argument is, by its name, and its default. */
  readonly arguments?: Readonly<Record<string, readonly [about: string, byDefault?: string | string[]]>>;
  readonly options?: readonly OptionDefinition[];
  /** Said below the options. */
  readonly note?: string;
  /** Command lines that work as they are. */
  readonly examples: readonly string[];
  /** It needs to know all commands: the program is its last argument. */
  readonly knowsAll?: true;
  /** Runs it with its arguments, then its options; returns the exit code. */
  readonly run?: (...values: never[]) => Promise<number | undefined>;
  readonly commands?: readonly Omit<CommandDefinition, 'group' | 'examples'>[];
}

export interface OptionDefinition {
  readonly flags: string;
  readonly about: string;
  readonly byDefault?: string;
  /** It may be given several times. */
  readonly several?: boolean;
  /** Options that exclude it. */
  readonly conflicts?: string | readonly string[];
}

/** Makes the command of a definition; how it prints and ends it takes from `parent`. */
export function commandOf(
  definition: Omit<CommandDefinition, 'group' | 'examples'> & { readonly examples?: readonly string[] },
  parent: Command,
): Command {
  const [name, ...argumentsOf] = definition.usage.split(' ');
  const command = new Command(name).copyInheritedSettings(parent).description(definition.about);
  for (const one of argumentsOf) {
    const [about, byDefault] = definition.arguments?.[one.replace(/[<>[\].]/g, '')] ?? [''];
    const argument = new Argument(one, about);
    if (byDefault !== undefined) argument.default(byDefault, [byDefault].flat().join(' '));
    command.addArgument(argument);
  }
  for (const { flags, about, byDefault, several, conflicts } of definition.options ?? []) {
    const option = new Option(flags, about);
    if (byDefault !== undefined) option.default(byDefault, byDefault);
    if (several)
      option.argParser((value: string, before: string[] | undefined) => [...(before ?? []), value]);
    if (conflicts !== undefined) option.conflicts(typeof conflicts === 'string' ? conflicts : [...conflicts]);
    command.addOption(option);
  }
  for (const inner of definition.commands ?? []) command.addCommand(commandOf(inner, command));
  const { examples = [], note } = definition;
  const lines = examples.map((line) => `\n  ${line}`).join('');
  const after = `${note === undefined ? '' : `\n${note}\n`}${lines === '' ? '' : `\nExample:${lines}`}`;
  if (after !== '') command.addHelpText('after', after);
  const { run } = definition;
  if (run)
    command.action(async (...values: unknown[]) => {
      // Commander adds the command itself behind the options.
      const own = values.slice(0, -1);
      process.exitCode = await run(...((definition.knowsAll ? [...own, parent] : own) as never[]));
    });
  return command;
}
