import { saysYes } from '../source/key-definition.ts';
import {
  JSON_VALUE,
  type Kind,
  LIST,
  listOf,
  maybe,
  NUMBER,
  objectKind,
  TEXT,
} from '../../language/kinds.ts';
import type { ChainScope } from '../fields/chain-scope.ts';
import type { FieldReader } from '../fields/fields.ts';
import { streamKeys } from '../keys/stream-keys.ts';
import { type ReadAs, type Stream, STREAMED_AS, type StreamedAs } from '../model.ts';
import { optional } from '../optional.ts';
import { type SourceNode, valueOf } from '../source/source-file.ts';
import { checkStructure } from '../source/structure.ts';

/** The names that a step with `stream` has besides those of its response. */
export const STREAM_NAMES: Readonly<Record<string, Kind>> = { received: NUMBER };

const ITEMS: Readonly<Record<StreamedAs, Kind>> = {
  events: objectKind({ data: TEXT, event: maybe(TEXT), id: maybe(TEXT) }),
  lines: TEXT,
  'json-lines': JSON_VALUE,
};

/** What `$` is where a response is read as a stream: the list of what came. */
export function streamedKind(readAs: ReadAs | undefined): Kind {
  return listOf(itemKind(readAs));
}

function itemKind(readAs: ReadAs | undefined): Kind {
  const as = STREAMED_AS.find((one) => one === readAs);
  return as ? ITEMS[as] : JSON_VALUE;
}

/** Reads `stream` of a call. */
export function readStream(
  fields: FieldReader,
  node: SourceNode | undefined,
  scope: ChainScope,
  readAs: ReadAs | undefined,
): Stream | undefined {
  if (node?.type !== 'map') return undefined; // the form has been looked at
  checkStructure(fields.findings, node, streamKeys, 'stream');
  for (const name of ['item', 'gathered', 'received']) {
    const known = scope.lookup(name);
    if (known && !known.given)
      fields.findings.problem(
        node,
        'name-twice',
        `${name} is what a stream gives here, and the name ${name} is already defined on line ${known.line}`,
        'another name there; nothing hides anything',
      );
  }
  const kind = streamedKind(readAs);
  const inside = scope.after(
    { readAs, kind },
    { ...STREAM_NAMES, item: itemKind(readAs), gathered: readAs === undefined ? LIST : kind },
  );
  const value = (name: string): SourceNode | undefined => valueOf(node, name);
  const quiet = value('quiet');
  const newest = value('newest');
  const until = value('until');
  const live = value('live');
  return {
    ...optional('until', until && fields.condition(until, inside)),
    within: fields.bound(value('within'), scope.outside(), 300_000),
    ...optional('quiet', quiet && fields.duration(quiet, scope.outside())),
    upTo: fields.amount(value('up-to'), scope.outside(), 10_000),
    enough: saysYes(fields.literal(value('enough'))),
    ...optional('newest', newest && fields.amount(newest, scope.outside(), 1)),
    ...optional('live', live && fields.template(live, inside)),
  };
}
