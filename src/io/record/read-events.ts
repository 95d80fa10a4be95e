import { EVENT_VERSION } from '../../core/event-version.ts';
import type { RunEvent } from '../../core/events.ts';
import { fromVersion1 } from '../../core/record/version-1.ts';
import { fail } from '../../core/problems.ts';
import { readRegularFile } from '../secrets/own-folder.ts';
import type { ByteSpan } from './outline.ts';

/** Events of a run take no more, in bytes. */
const LARGEST = 2 * 1024 * 1024 * 1024 - 1;

/** The events of a record, and what of it could not be read. */
export interface ReadEvents {
  readonly events: RunEvent[];
  /** Where their lines stand in the file. */
  readonly spans: ByteSpan[];
  /** Lines that are no events, counted from 1; the last one is no fault where the run was interrupted in it. */
  readonly garbled: number[];
  /** Up to where the last whole line goes, in bytes. */
  readonly whole: number;
}

const NEWLINE = 10;

/**
 * Reads the events of a record up to the last whole one. `wanted` says, by the address in a line, whether it is to be
 * read; those of a run itself always are. Throws `record-unreadable` where a newer version wrote it, or nothing can be read.
 */
export function readEvents(path: string, wanted?: (address: string) => boolean): ReadEvents {
  let bytes: Buffer;
  try {
    bytes = readRegularFile(path, LARGEST, false);
  } catch (error) {
    return fail('record-unreadable', `the record ${path} can't be read: ${(error as Error).message}`);
  }
  const events: RunEvent[] = [];
  const spans: ByteSpan[] = [];
  const garbled: number[] = [];
  let line = 0;
  let version: number = EVENT_VERSION;
  let start = 0;
  for (;;) {
    const end = bytes.indexOf(NEWLINE, start);
    if (end < 0) break;
    line++;
    const address = wanted && addressIn(bytes, start, end);
    if (address === undefined || wanted!(address)) {
      const event = parse(bytes.toString('utf8', start, end));
      if (event) {
        // A run that another version resumed has events of both.
        if ('version' in event) version = event.version;
        events.push(version === 1 ? fromVersion1(event) : event);
        spans.push([start, end + 1]);
      } else garbled.push(line);
    }
    start = end + 1;
  }
  const [first] = events;
  if (!first && line + garbled.length > 0 && garbled.length > 0)
    return fail('record-unreadable', `the record ${path} holds no event that can be read`);
  const newer = events.find((event) => 'version' in event && (event.version as number) > EVENT_VERSION);
  if (newer && 'version' in newer)
    return fail(
      'record-unreadable',
      `the record ${path} was written by a newer version of Batharon (its events are of version ${newer.version}, this one reads ${EVENT_VERSION})`,
      { hint: 'the newer version' },
    );
  return { events, spans, garbled, whole: start };
}

const STEP = Buffer.from('","step":"');
const BEGINNING = '{"event":"'.length;
const QUOTE = 34;

/** The address of the step that a line tells of, without reading the rest of it. Events begin with their kind and step. */
function addressIn(bytes: Buffer, start: number, end: number): string | undefined {
  let at = start + BEGINNING;
  while (at < end && bytes[at] !== QUOTE) at++;
  for (const byte of STEP) if (bytes[at++] !== byte) return undefined;
  const from = at;
  while (at < end && bytes[at] !== QUOTE) at++;
  return bytes.toString('latin1', from, at);
}

function parse(line: string): RunEvent | undefined {
  try {
    const event = JSON.parse(line) as Partial<RunEvent> | null;
    const whole =
      typeof event === 'object' &&
      event !== null &&
      typeof event.event === 'string' &&
      typeof event.at === 'number' &&
      (!('step' in event) || typeof event.step === 'string');
    return whole ? (event as RunEvent) : undefined;
  } catch {
    return undefined;
  }
}
