import type { OptionDefinition } from './command-definition.ts';

/** Options that several commands take, described once. */
export const ENV: OptionDefinition = {
  flags: '--env <name>',
  about: 'environment to use (default: the one the project names)',
};

/** For whatever may send or sign in. */
export const PERMISSIONS: readonly OptionDefinition[] = [
  {
    flags: '--trust',
    about: 'let the project file run its commands and read files outside its folder without asking',
  },
  { flags: '--no-ask', about: 'ask nothing: take defaults, or fail where there is none' },
  { flags: '--yes', about: 'send requests that may change something without asking, where guard is ask' },
];

export const GIVE: readonly OptionDefinition[] = [
  {
    flags: '--give <name=value>',
    about: 'value of an input; name=@file reads a file, name=- standard input (repeatable)',
    several: true,
  },
  { flags: '--give-from <file>', about: 'values of inputs, from a map in YAML or JSON' },
];

export const PRINT: OptionDefinition = {
  flags: '--print <name>',
  about: 'print one result as plain text',
  conflicts: 'json',
};

export const EVENTS_AS_JSON: OptionDefinition = {
  flags: '--json',
  about: 'print the events of the run as JSON, one per line',
};

export const LEAVE: OptionDefinition = {
  flags: '--leave',
  about: 'skip undo and cleanup; `batharon cleanup` runs them later',
};
