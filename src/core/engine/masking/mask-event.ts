import type { EventMember } from '../../events.ts';
import type { SecretsOfRun } from './secrets-of-run.ts';

/** What the program itself wrote: words of its own, addresses of steps, names, files. It is never masked, so it can be relied upon. */
const OWN: ReadonlySet<string> = new Set<EventMember>([
  'event',
  'step',
  'failed',
  'changed',
  'digest',
  'fingerprint',
  'outcome',
  'code',
  'run',
  'sealed',
  'typed',
  'kind',
  'credential',
  'environment',
  'guard',
  'direction',
  'name',
  'why',
  'resend',
  'place',
  'file',
  'files',
  'method',
  'described',
]);

/** Texts in which members may stand with their names. */
const SPOKEN: ReadonlySet<string> = new Set<EventMember>([
  'got',
  'message',
  'hint',
  'text',
  'item',
  'title',
  'note',
  'reason',
  'state',
  'states',
  'url',
  'to',
  'says',
  'path',
]);

/** Whether values with their names may stand in an event, so that those have to be looked for: most events hold none. */
function speaks(event: { readonly [name: string]: unknown }): boolean {
  switch (event.event) {
    case 'request-sent':
    case 'callback-received':
      return (event.url as string).includes('=');
    case 'expected':
      return event.passed === false;
    case 'step-ended':
    case 'iteration-ended':
    case 'run-ended':
      return event.problem !== undefined || event.reason !== undefined;
    case 'response-received':
    case 'step-began':
    case 'kept':
    case 'named':
      return false;
    default:
      return true;
  }
}

/** A copy of an event without secrets; the event itself where none is known that could stand in it. */
export function maskEvent<T extends object>(event: T, hidden: SecretsOfRun): T {
  const { masker } = hidden;
  if (masker.isIdle && !speaks(event as { [name: string]: unknown })) return event;
  const isBeginning = (event as { event?: string }).event === 'step-began';
  const mask = (value: unknown, spoken: boolean): unknown => {
    if (typeof value === 'string')
      return spoken && value.length > 8 ? hidden.spoken(value) : masker.text(value);
    if (Array.isArray(value)) return value.map((item: unknown) => mask(item, spoken));
    return typeof value === 'object' && value !== null ? members(value, false) : value;
  };
  const members = (value: object, isEvent: boolean): object => {
    const copy: Record<string, unknown> = {};
    for (const [name, member] of Object.entries(value) as [string, unknown][]) {
      const isOwn =
        OWN.has(name) ||
        typeof member === 'number' ||
        (isEvent && ((isBeginning && name === 'type') || isNamed(value, name)));
      const shown = isOwn ? member : name === 'body' && isEvent ? member : mask(member, SPOKEN.has(name));
      if (name === '__proto__')
        Object.defineProperty(copy, name, { value: shown, enumerable: true, writable: true });
      else copy[name] = shown;
    }
    return copy;
  };
  return members(event, true) as T;
}

/** The title of a step that is its name. */
function isNamed(event: object, name: string): boolean {
  if (name !== 'title') return false;
  const { step, title } = event as { step?: string; title?: string };
  return step === title || step?.endsWith(`.${title ?? ''}`) === true;
}
