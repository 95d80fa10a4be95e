import type { Problem } from '../../core/problems.ts';
import type { TeamRedis } from './team-redis.ts';
import { WorkNames } from './team-work.ts';

/** Work that is not found so often, one look after the other, is lost. */
const LOOKS = 4;

/** What is known of a job that was given. */
interface GivenWork {
  readonly id: string;
  /** The last entry that was taken of what is told of it. */
  readonly last: string;
  /** How often it was not found, one look after the other. */
  missing: number;
}

/** Jobs that nobody will carry out any more, and why. Throws `team-away`. */
export async function lostWork(
  team: TeamRedis,
  offer: string,
  given: ReadonlyMap<string, GivenWork>,
): Promise<[id: string, problem: Problem][]> {
  const names = new WorkNames(team);
  if (given.size === 0) return [];
  const isOffered = (await team.do((redis) => redis.hexists(names.offers, offer))) === 1;
  if (!isOffered) return [...given.keys()].map((id) => [id, lostInRedis(team)]);
  const lost: [string, Problem][] = [];
  for (const one of [...given.values()]) {
    const { id } = one;
    const [isThere, told] = await team.do((redis) =>
      Promise.all([
        redis.exists(names.job(offer, id)),
        redis.xrevrange(names.told(offer, id), '+', '-', 'COUNT', 1),
      ]),
    );
    // What was told last may say how it ended.
    const isHeard = told.length === 0 || !isBehind(one.last, told[0]![0]);
    one.missing = isThere === 1 || !isHeard ? 0 : one.missing + 1;
    if (one.missing >= LOOKS) lost.push([id, told.length === 0 ? lostInRedis(team) : LOST_WITH_WORKERS]);
  }
  return lost;
}

/** Whether an entry of a stream comes before another one, by their ids. */
function isBehind(entry: string, other: string): boolean {
  const [time = 0, nth = 0] = entry.split('-').map(Number);
  const [otherTime = 0, otherNth = 0] = other.split('-').map(Number);
  return time < otherTime || (time === otherTime && nth < otherNth);
}

function lostInRedis({ where }: TeamRedis): Problem {
  return {
    code: 'team-away',
    message: `Redis at ${where} has lost the work that was given: it was started anew without its append-only file, or emptied`,
    hint: 'batharon resume, which goes on by the record',
  };
}

const LOST_WITH_WORKERS: Problem = {
  code: 'no-worker',
  message: 'one worker after the other was lost with the same part of the work, so it is given to no more',
  hint: 'what the workers say; then batharon resume',
};

/** That no worker has taken the work for so many milliseconds, and why not. */
export function nobodyTook(
  refusals: readonly (readonly [worker: string, why: string])[],
  milliseconds: number,
): Problem {
  const why = refusals.map(([worker, reason]) => `${worker}: ${reason}`).join('; ');
  return {
    code: 'no-worker',
    message: `no worker took the work for ${milliseconds / 1000}s${why === '' ? '' : ` (${why})`}`,
    hint: 'batharon work on a machine of the team, then batharon resume',
  };
}
