import type { ExitCode } from '../../core/events.ts';
import { indent, type Topic, topics } from '../../core/explain.ts';
import { nearest } from '../../core/language/nearest.ts';
import { errorTerminal, outputTerminal, type Terminal } from '../terminal/terminal.ts';
import { wrap } from '../terminal/text-width.ts';

/** `batharon explain`: on standard output, since it is what was asked for. */
export function explain(word: string | undefined, options: { all?: boolean }): ExitCode {
  const terminal = outputTerminal();
  const all = topics();
  if (options.all) {
    all.forEach((topic, i) => printTopic(terminal, topic, i > 0));
    return 0;
  }
  if (word === undefined) {
    overview(terminal, all);
    return 0;
  }
  const found = find(all, word);
  if (found.length === 0) {
    const near = nearest(
      word,
      all.map((topic) => topic.word),
    );
    errorTerminal().write(
      `Nothing is called ${word}${near === undefined ? '' : `; the nearest is ${near}`}. batharon explain lists all words.\n`,
    );
    return 2;
  }
  found.forEach((topic, i) => printTopic(terminal, topic, i > 0));
  return 0;
}

/** A word itself, else a group of words such as "functions" or "text". */
function find(all: readonly Topic[], word: string): Topic[] {
  const bare = word.replace(/\(.*\)?$/, '').replace(/:$/, '');
  const exact = all.filter((topic) => topic.word === bare || topic.word.replace(/^NAME/, '') === bare);
  if (exact.length > 0) return exact;
  return all.filter(
    ({ group }) => group === bare || group.startsWith(`${bare}:`) || group === `functions: ${bare}`,
  );
}

function printTopic(
  terminal: Terminal,
  { word, what, about, details, examples }: Topic,
  apart: boolean,
): void {
  const { colours, wrapWidth: width } = terminal;
  const line = (text: string): void => terminal.write(`${text}\n`);
  if (apart) line('');
  line(`${colours.bold(word)}  ${colours.dim(what)}`);
  for (const text of wrap(about, width - 2)) line(`  ${text}`);
  const labels = Math.max(0, ...details.map(([label]) => label.length));
  for (const [label, text] of details) {
    wrap(text, width - labels - 4).forEach((part, i) =>
      line(`  ${colours.dim((i === 0 ? label : '').padEnd(labels))}  ${part}`),
    );
  }
  examples.forEach((example, i) => {
    if (i === 0) line(`  ${colours.dim(examples.length > 1 ? 'examples' : 'example')}`);
    line(colours.cyan(indent(example, 4)));
  });
}

function overview(terminal: Terminal, all: readonly Topic[]): void {
  const { colours, width } = terminal;
  terminal.write(
    'batharon explain WORD says what a word means, with an example; a heading below is a word too.\n\n',
  );
  for (const group of new Set(all.map((topic) => topic.group))) {
    const words = [...new Set(all.filter((topic) => topic.group === group).map(({ word }) => word))].join(
      '  ',
    );
    terminal.write(
      `${colours.bold(group)}\n${wrap(words, width - 2)
        .map((line) => `  ${line}`)
        .join('\n')}\n`,
    );
  }
}
