import { nearest } from '../language/nearest.ts';
import type { Topic } from './topic.ts';

/** What a word found: topics that it names, and topics that speak of it, the likeliest first. */
export interface FoundTopics {
  readonly named: readonly Topic[];
  readonly speaking: readonly Topic[];
  /** The word that is most like it, where it found nothing. */
  readonly near?: string;
}

/** How many topics that only speak of a word are offered. */
const MOST = 12;

/** Looks a word up: by its name, its group, by other words for it, and then in all that is said. */
export function findTopics(all: readonly Topic[], asked: string): FoundTopics {
  const word = bare(asked);
  const sought = new Set([word, asked.trim().toLowerCase()]);
  const isNamed = (name: string): boolean => sought.has(name.toLowerCase());
  const exact = all.filter((topic) => isNamed(topic.word) || isNamed(topic.word.replace(/^NAME/, '')));
  if (exact.length > 0)
    return { named: exact, speaking: all.filter((one) => !exact.includes(one) && one.also?.some(isNamed)) };
  const group = all.filter(
    (topic) =>
      isNamed(topic.group) || topic.group.startsWith(`${word}:`) || topic.group === `functions: ${word}`,
  );
  if (group.length > 0) return { named: group, speaking: [] };
  const also = all.filter(({ also: others = [] }) => others.some(isNamed));
  const speaking = speakingOf(all, word).filter((topic) => !also.includes(topic));
  if (also.length > 0) return { named: also, speaking: speaking.slice(0, 5) };
  if (speaking.length > 0) return { named: [], speaking: speaking.slice(0, MOST) };
  const near = nearest(word, [
    ...all.map((topic) => topic.word),
    ...all.flatMap(({ also: others = [] }) => others),
  ]);
  return { named: [], speaking: [], ...(near === undefined ? {} : { near }) };
}

/** A word without the marks that stand with it in a file or an expression. */
function bare(asked: string): string {
  const word = asked.trim().toLowerCase();
  return /^[a-z$]/.test(word) ? word.replace(/\(.*\)?$/, '').replace(/:$/, '') : word;
}

/** Topics in which each word of what was asked occurs, those first in whose name it does. */
function speakingOf(all: readonly Topic[], asked: string): Topic[] {
  const words = asked.split(/\s+/).filter((word) => word !== '' && !FILLERS.has(word));
  if (words.length === 0) return [];
  return all
    .map((topic) => ({ topic, score: scoreOf(topic, words) }))
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score)
    .map(({ topic }) => topic);
}

const FILLERS: ReadonlySet<string> = new Set(
  'how to do i the a an in of for with can is are what my it'.split(' '),
);

function scoreOf(
  { about, also = [], details, examples, what, word }: Topic,
  words: readonly string[],
): number {
  const places: readonly (readonly [text: string, weight: number])[] = [
    [word, 8],
    [also.join(' '), 6],
    [about, 3],
    [details.flat().join(' '), 2],
    [what, 2],
    [examples.join(' '), 1],
  ];
  let sum = 0;
  for (const one of words) {
    const stem = one.length > 4 ? one.replace(/(?:ing|ies|es|s|ed)$/, '') : one;
    const best = Math.max(0, ...places.map(([text, weight]) => (occurs(text, stem) ? weight : 0)));
    if (best === 0) return 0;
    sum += best;
  }
  // Codes of errors are looked up by themselves; a word of the language is meant more often.
  return what.startsWith('code') ? sum / 2 : sum;
}

function occurs(text: string, stem: string): boolean {
  const lower = text.toLowerCase();
  for (let at = lower.indexOf(stem); at >= 0; at = lower.indexOf(stem, at + 1)) {
    const isBegin = at === 0 || stem.length > 5 || !/[a-z0-9]/.test(lower[at - 1]!);
    // A few letters are a word only by themselves.
    if (isBegin && (stem.length > 3 || !/[a-z0-9]/.test(lower[at + stem.length] ?? ''))) return true;
  }
  return false;
}
