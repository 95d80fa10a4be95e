import type { ExitCode } from '../../core/events.ts';
import { findTopics } from '../../core/explain/find-topics.ts';
import type { Topic } from '../../core/explain/topic.ts';
import { indent, topics } from '../../core/explain/topics.ts';
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
  const { named, speaking, near } = findTopics(all, word);
  if (named.length + speaking.length === 0) {
    errorTerminal().write(
      `Nothing is called ${word}${near === undefined ? '' : `; the nearest is ${near}`}. batharon explain lists all words.\n`,
    );
    return 2;
  }
  const whole = speaking.length === 1 && named.length === 0 ? speaking : named.slice(0, WHOLE);
  whole.forEach((topic, i) => printTopic(terminal, topic, i > 0));
  listTopics(terminal, [...named.slice(WHOLE), ...(whole === speaking ? [] : speaking)], {
    word,
    isMore: whole.length > 0,
  });
  return 0;
}

/** How many topics of one name are printed whole. */
const WHOLE = 30;

/** Topics with the beginning of what is said of each, to be asked for by their words. */
function listTopics(
  terminal: Terminal,
  topicsFound: readonly Topic[],
  { word, isMore }: { readonly word: string; readonly isMore: boolean },
): void {
  const apart = topicsFound.filter(
    (topic, i) => topicsFound.findIndex((other) => other.word === topic.word) === i,
  );
  if (apart.length === 0) return;
  const { colours, wrapWidth } = terminal;
  terminal.write(`${isMore ? '\n' : ''}${colours.dim(isMore ? 'see also' : `these speak of ${word}`)}\n`);
  const widest = Math.min(28, Math.max(...apart.map((topic) => topic.word.length)));
  for (const topic of apart) {
    const sentence = /^.*?[.;:](?=\s|$)/s.exec(topic.about)?.[0] ?? topic.about;
    const [first = ''] = wrap(sentence, Math.min(wrapWidth, 100) - widest - 4);
    terminal.write(`  ${colours.bold(topic.word.padEnd(widest))}  ${first}\n`);
  }
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
