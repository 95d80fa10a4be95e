import type { EventMember, RunEvent } from '../events.ts';
import { memberOf } from '../language/values.ts';

/** Kinds of events as version 1 called them. */
const KINDS: Readonly<Record<string, RunEvent['event']>> = {
  'held-before': 'passed-before',
  'answer-came': 'response-received',
  'turns-began': 'loop-began',
  'turn-began': 'iteration-began',
  'turn-ended': 'iteration-ended',
  'page-came': 'page-received',
  'called-back': 'callback-received',
  left: 'undo-left',
  said: 'shown',
  remark: 'warning',
};

/** Members as version 1 called them; in `request-sent` the delay was called `held` as well. */
const MEMBERS: Readonly<Record<string, EventMember>> = {
  held: 'passed',
  broke: 'failed',
  turn: 'iteration',
  turns: 'iterations',
  hash: 'fingerprint',
  came: 'got',
  instead: 'hint',
  once: 'resend',
};

/** Words of version 1, by the member in which they stand. */
const WORDS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  outcome: { held: 'passed', broke: 'failed', 'cut off': 'interrupted' },
  why: { told: 'retry-after', 'call-back': 'callback' },
  credential: { 'left behind': 'removed' },
  resend: { only: 'never', 'by key': 'with-key' },
};

type Members = Readonly<Record<string, unknown>>;

/** An event of version 1 as one of version 2, which says the same in other words. */
export function fromVersion1(event: RunEvent): RunEvent {
  const old = event as unknown as Members & { readonly event: string };
  const { held, ...rest } = old;
  const isSent = old.event === 'request-sent';
  const upgraded: Record<string, unknown> = {
    ...membersOf(isSent ? rest : old),
    ...(isSent && held !== undefined ? { delayed: held } : {}),
    event: memberOf<string>(KINDS, old.event) ?? old.event,
    ...('version' in old ? { version: 2 } : {}),
  };
  if (upgraded.iterations && typeof upgraded.iterations === 'object') {
    const { left, ...counts } = upgraded.iterations as Members;
    upgraded.iterations = { ...counts, ...(left === undefined ? {} : { notBegun: left }) };
  }
  return upgraded as unknown as RunEvent;
}

/** Members with their names of today, also those of a problem and of counts; what people wrote and what came stay as they are. */
function membersOf(old: Members): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(old).map(([name, value]) => {
      const today = memberOf<string>(MEMBERS, name) ?? name;
      const nested = (name === 'problem' || name === 'turns') && typeof value === 'object' && value !== null;
      if (nested) return [today, membersOf(value as Members)];
      return [today, typeof value === 'string' ? word(today, value) : value];
    }),
  );
}

/** A word of today. A record may come from anybody, so only own members of the tables count. */
function word(member: string, old: string): string {
  const words = memberOf<Readonly<Record<string, string>>>(WORDS, member);
  return (words && memberOf<string>(words, old)) ?? old;
}
