import type { Project } from '../core/chain/project.ts';
import { PASSING, type RunEvent } from '../core/events.ts';
import { fail } from '../core/problems.ts';
import type { Records } from '../io/record/records.ts';
import type { RecordWriter } from '../io/record/record-writer.ts';
import { leftWork } from '../io/team/left-work.ts';
import { intentsOf, recordedElsewhere } from '../io/team/team-intents.ts';
import { takeRun } from '../io/team/team-lock.ts';
import type { OpenTeam } from '../io/team/open-team.ts';
import { recordsOf } from './run-recorded.ts';

/**
 * Brings the record of a run up to date with what other machines know of it: what workers have told since its machine was gone, and what
 * the run meant to send where this machine has no record of that, or none at all. Returns how many events were added. Throws `team-away`, `cannot-resume` where
 * the run still goes on.
 */
export async function collectWork(
  project: Project,
  team: OpenTeam,
  run: string,
  say: (message: string) => void,
): Promise<number> {
  // Of a run that goes on nothing is taken.
  const letGo = await takeRun(team.redis, run);
  try {
    return await collect(project, team, run, say);
  } finally {
    await letGo();
  }
}

async function collect(
  project: Project,
  { redis: team }: OpenTeam,
  run: string,
  say: (message: string) => void,
): Promise<number> {
  const records = recordsOf(project);
  const left = await leftWork(team, run, (parts) =>
    say(`waits for ${parts} part${parts === 1 ? '' : 's'} of the run that workers are at`),
  );
  const only = await recordedElsewhere(team, run);
  if (only !== undefined && !records.has(run))
    fail(
      'cannot-resume',
      `the run ${run} is recorded on ${only} alone: its work was spread, or it has sent too much to be kept elsewhere`,
      {
        hint: `batharon resume there, or .batharon/runs/${run} copied from there`,
      },
    );
  const intents = await intentsOf(team, run);
  const bodies = new Map<string, Uint8Array>(intents.bodies);
  const events = [...intents.events];
  for (const one of left.told)
    if ('event' in one) events.push(one.event);
    else if ('keep' in one) bodies.set(one.keep, Buffer.from(one.body, 'base64'));
  const isKnown = records.has(run);
  const added = isKnown ? without(records, run, events) : events;
  if (added.some(({ event }) => event !== 'run-began') || (!isKnown && added.length > 0)) {
    const writer: RecordWriter = isKnown ? records.reopen(run, say) : records.adopt(run, say);
    for (const [digest, body] of bodies) writer.keep(digest, body, true);
    for (const event of added) writer.take(event);
    await writer.durable();
    await writer.close();
  }
  await left.forget();
  return added.length;
}

/** Events that the record of a run does not have. */
function without(records: Records, run: string, events: readonly RunEvent[]): RunEvent[] {
  if (events.length === 0) return [];
  const since = Math.min(...events.map(({ at }) => at));
  const known = new Map<string, number>();
  for (const event of records.events(run).events) {
    if (event.at < since) continue;
    const key = keyOf(event);
    known.set(key, (known.get(key) ?? 0) + 1);
  }
  return events.filter((event) => {
    if (PASSING.has(event.event)) return false;
    const key = keyOf(event);
    const times = known.get(key) ?? 0;
    if (times === 0) return true;
    known.set(key, times - 1);
    return false;
  });
}

/** What tells an event from others; masks may have become more since it was told. */
function keyOf(event: RunEvent): string {
  const of = event as unknown as Readonly<Record<string, unknown>>;
  return [
    event.event,
    of.step,
    of.iteration,
    of.attempt,
    of.name,
    of.nth,
    of.condition,
    of.state,
    of.page,
    of.label,
    event.at,
  ].join('\u0000');
}
