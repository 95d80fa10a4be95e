import {
  ANY,
  DURATION,
  JSON_VALUE,
  listOf,
  type Kind,
  maybe,
  NUMBER,
  OBJECT,
  objectKind,
  TEXT,
  TIME,
  YES_NO,
} from '../../language/kinds.ts';
import { HEADERS } from '../keys/given-names.ts';

/** The request that a callback is. */
export const ARRIVED: Kind = objectKind({
  body: maybe(JSON_VALUE),
  text: TEXT,
  headers: HEADERS,
  method: TEXT,
  path: TEXT,
  query: OBJECT,
});

/** Why something failed. */
const PROBLEM = objectKind({ code: TEXT, message: TEXT, hint: maybe(TEXT) });

/** What a loop says of one of its iterations. */
const ITERATION = objectKind({ item: maybe(ANY), ok: YES_NO, elapsed: DURATION, problem: maybe(PROBLEM) });

const stepKinds = new Map<string, Kind>();

/** What a named step is to later ones; `more` are members that only its kind of step has. */
export function stepKind(type: 'call' | 'each' | 'other', more: Readonly<Record<string, Kind>> = {}): Kind {
  if (Object.keys(more).length > 0) return kindOfStep(type, more);
  let known = stepKinds.get(type);
  if (!known) stepKinds.set(type, (known = kindOfStep(type, {})));
  return known;
}

function kindOfStep(type: 'call' | 'each' | 'other', more: Readonly<Record<string, Kind>>): Kind {
  const call = type === 'call';
  return objectKind({
    ...(type === 'each' ? { iterations: listOf(ITERATION) } : {}),
    ok: YES_NO,
    skipped: YES_NO,
    failed: YES_NO,
    problem: maybe(PROBLEM),
    elapsed: DURATION,
    ...(call
      ? {
          status: maybe(NUMBER),
          headers: maybe(HEADERS),
          body: maybe(JSON_VALUE),
          url: maybe(TEXT),
          attempts: NUMBER,
        }
      : {}),
    ...more,
  });
}

export const RUN_KIND = objectKind({ id: TEXT, started: TIME });
