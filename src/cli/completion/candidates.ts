import type { Argument, Command, Option } from 'commander';

/** What could stand in the place of the last word of a line. */
export interface Candidate {
  readonly word: string;
  /** In a few words, without a tab or a line break. */
  readonly about: string;
}

/** Where a value is asked for: of a command, by the name of an argument or an option. */
export interface Asked {
  readonly command: string;
  /** `file`, `run`, `step`… as the definition writes it. */
  readonly name: string;
  /** The option whose value it is, such as `--env`. */
  readonly option?: string;
  /** What stands on the line already. */
  readonly given: readonly string[];
  readonly word: string;
}

export type ValueOf = (asked: Asked) => readonly Candidate[];

/** So many are shown; more would be no help. */
const MOST = 200;

/** What could complete a command line, whose last word is the one that is typed. */
export function candidatesFor(line: string, program: Command, valuesOf: ValueOf): readonly Candidate[] {
  const words = typedWords(line);
  const word = words.pop() ?? '';
  // The name of the program itself is the shell's to complete.
  if (words.length === 0) return [];
  let command = program;
  const given: string[] = [];
  let open: Option | undefined;
  for (const one of words.slice(1)) {
    if (open) {
      open = undefined;
      continue;
    }
    if (one.startsWith('-')) {
      const option = optionCalled(command, one);
      if (option && takesValue(option) && !one.includes('=')) open = option;
      given.push(one);
      continue;
    }
    const inner = command.commands.find((sub) => sub.name() === one);
    if (inner) command = inner;
    else given.push(one);
  }
  // After a word that is no command nothing is known.
  if (command.commands.length > 0 && given.some((one) => !one.startsWith('-'))) return [];
  const name = commandName(command);
  const values = (asked: Pick<Asked, 'name' | 'option' | 'word'>): readonly Candidate[] =>
    valuesOf({ command: name, given, ...asked });
  return (
    candidates(command, { word, given, open, values })
      // A name with a line break in it could not be told from two.
      .filter((one) => one.word.startsWith(word) && one.word !== word && !/\p{Cc}/u.test(one.word))
      .slice(0, MOST)
      .map((one) => ({ word: one.word, about: oneLine(one.about) }))
  );
}

function candidates(
  command: Command,
  {
    word,
    given,
    open,
    values,
  }: {
    readonly word: string;
    readonly given: readonly string[];
    readonly open: Option | undefined;
    readonly values: (asked: Pick<Asked, 'name' | 'option' | 'word'>) => readonly Candidate[];
  },
): readonly Candidate[] {
  if (open) return values({ name: valueName(open), option: open.long ?? '', word });
  const [flag, typed] = /^(--[\w-]+)=(.*)$/s.exec(word)?.slice(1) ?? [];
  const option = flag === undefined ? undefined : optionCalled(command, flag);
  if (option && typed !== undefined)
    return values({ name: valueName(option), option: flag!, word: typed }).map((one) => ({
      ...one,
      word: `${flag!}=${one.word}`,
    }));
  if (word.startsWith('-')) {
    const repeated = (one: Option): boolean => one.parseArg !== undefined || !given.includes(one.long ?? '');
    return [
      ...command.options,
      ...(command.parent?.options.filter(({ long }) => long === '--no-color') ?? []),
    ]
      .filter((one) => one.long !== undefined && !one.hidden && repeated(one))
      .map((one) => ({ word: one.long!, about: one.description }))
      .concat({ word: '--help', about: 'print help' });
  }
  const inner = command.commands.map((one) => ({ word: one.name(), about: one.description() }));
  if (inner.length > 0) return inner;
  const places = given.filter((one) => !one.startsWith('-')).length;
  const argument = argumentAt(command.registeredArguments, places);
  return argument ? values({ name: argument.name(), word }) : [];
}

/** `secret set` for a command in a command. */
function commandName(command: Command): string {
  const parent = command.parent?.parent ? `${command.parent.name()} ` : '';
  return parent + command.name();
}

function argumentAt(all: readonly Argument[], place: number): Argument | undefined {
  return all[place] ?? (all.at(-1)?.variadic ? all.at(-1) : undefined);
}

function optionCalled(command: Command, flag: string): Option | undefined {
  const [name] = flag.split('=');
  return command.options.find(({ long, short }) => long === name || short === name);
}

function takesValue(option: Option): boolean {
  return option.required || option.optional;
}

/** `name` of `--env <name>`. */
function valueName({ flags }: Option): string {
  return /[<[]([^>\].]+)/.exec(flags)?.[1] ?? '';
}

function oneLine(text: string): string {
  return text.replace(/[\s\p{Cc}]+/gu, ' ').slice(0, 100);
}

/** The words of a line as a shell parts them: at blanks, but not within quotes or after a backslash. */
export function typedWords(line: string): string[] {
  const words: string[] = [];
  let word = '';
  let quote = '';
  for (let i = 0; i < line.length; i++) {
    const char = line[i]!;
    if (quote !== '') {
      if (char === quote) quote = '';
      else if (char === '\\' && quote === '"' && i + 1 < line.length) word += line[++i]!;
      else word += char;
    } else if (char === "'" || char === '"') quote = char;
    else if (char === '\\' && i + 1 < line.length) word += line[++i]!;
    else if (/\s/.test(char)) {
      if (word !== '' || /["']/.test(line[i - 1] ?? '')) words.push(word);
      word = '';
    } else word += char;
  }
  return [...words, word];
}
