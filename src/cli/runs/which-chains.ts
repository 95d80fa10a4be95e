import { type Loaded, shownPath } from '../../api/load.ts';
import { type Chain, type Step, stepsIn } from '../../core/chain/model.ts';
import { nameList, nearest } from '../../core/language/nearest.ts';
import { fail } from '../../core/problems.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** Which of the chains that were found are wanted. */
export interface WhichChains {
  readonly tag?: readonly string[];
  readonly notTag?: readonly string[];
  readonly case?: readonly string[];
  readonly shard?: string;
}

/** The chains that are run where a folder is named: none that others follow or sign in with, or that say so; that is said. */
export function withoutHelpers(
  terminal: Terminal,
  names: readonly string[],
  { chains, signInChains }: Loaded,
): readonly Chain[] {
  const named = new Set(names.map(shownPath));
  const signIns = new Set([...signInChains.values()].map(({ file }) => file));
  const followed = new Set(
    chains.flatMap(({ file, steps }) => followedBy(steps).filter((one) => one !== file)),
  );
  const why = ({ file, onlyByName }: Chain): string | undefined =>
    named.has(file)
      ? undefined
      : signIns.has(file)
        ? 'which signs in'
        : onlyByName
          ? 'run: only-by-name'
          : followed.has(file)
            ? 'which others follow'
            : undefined;
  const left = chains.flatMap((chain) => {
    const reason = why(chain);
    return reason === undefined ? [] : [`${chain.file}, ${reason}`];
  });
  if (left.length === 0 || left.length === chains.length) return chains;
  terminal.write(`${terminal.colours.dim(`not run by itself: ${left.join('; ')}`)}\n`);
  return chains.filter((chain) => why(chain) === undefined);
}

/** The files of chains that steps follow. */
function followedBy(steps: readonly Step[]): string[] {
  return steps.flatMap((step) =>
    step.type === 'follow' ? [step.chain.file, ...followedBy(step.chain.steps)] : followedBy(stepsIn(step)),
  );
}

/** The chains that are wanted: those with one of the tags and none of the others, and of these the share of one machine of several. */
export function chosen(chains: readonly Chain[], { shard, tag, notTag = [] }: WhichChains): Chain[] {
  const known = [...new Set(chains.flatMap(({ tags }) => tags))];
  // A misspelt one would leave nothing out, and run what should not be.
  const unknown = notTag.find((one) => !known.includes(one));
  if (unknown !== undefined)
    fail('file-not-found', `no chain has the tag ${unknown}, so --not-tag leaves nothing out`, {
      hint: nearest(unknown, known) ?? (known.length === 0 ? 'tags: in a chain file' : known.join(', ')),
    });
  const tagged = chains.filter(
    ({ tags }) =>
      (!tag || tags.some((one) => tag.includes(one))) && !tags.some((one) => notTag.includes(one)),
  );
  if (tagged.length === 0) {
    const wanted = [
      ...(tag ? [`has the tag ${tag.join(' or ')}`] : []),
      ...(notTag.length > 0 ? [`is without ${notTag.join(' and ')}`] : []),
    ].join(' and ');
    fail('file-not-found', `no chain ${wanted}`, {
      hint: known.length === 0 ? 'tags: in a chain file' : known.join(', '),
    });
  }
  if (shard === undefined) return tagged;
  const [, nth = '', of = ''] = /^(\d{1,4})\/(\d{1,4})$/.exec(shard) ?? [];
  const [own, count] = [Number(nth), Number(of)];
  if (nth === '' || own < 1 || own > count)
    fail('wrong-form', `--shard ${shard} is no share`, { hint: '--shard 1/4, the first of four' });
  return tagged.filter((_, i) => i % count === own - 1);
}

/** The chains that have titled iterations, where only some of these are wanted. Throws `no-such-case`. */
export function withCases(chains: readonly Chain[], { case: wanted }: WhichChains): readonly Chain[] {
  if (!wanted) return chains;
  const hasTitles = (step: Step): boolean =>
    (step.type === 'each' && step.caseTitle !== undefined) || stepsIn(step).some(hasTitles);
  const titled = chains.filter(({ steps }) => steps.some(hasTitles));
  if (titled.length === 1) return titled;
  return titled.length === 0
    ? fail('no-such-case', 'no loop of these chains has a title, by which --case could choose', {
        hint: 'title: ${row.name} on the loop',
      })
    : fail(
        'wrong-form',
        `--case chooses in one chain, and ${nameList(titled.map(({ file }) => file))} have titles`,
        {
          hint: `batharon run ${titled[0]!.file} --case '${wanted[0]!}'`,
        },
      );
}
