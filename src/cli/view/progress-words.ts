import { countOf } from '../../core/count-of.ts';
import type { EventOf } from '../../core/events.ts';
import { visible } from '../../core/language/show.ts';
import { sizeWords, timeWords } from '../../core/units.ts';

/** How many columns a bar takes. */
const BAR = 12;

/** How far something is, in whole columns. */
export function progressBar(done: number, of: number): string {
  const full = of === 0 ? BAR : Math.floor((done / of) * BAR);
  return `${'━'.repeat(full)}${'╌'.repeat(BAR - full)}`;
}

/** A time that is only guessed: seconds up to two minutes, then minutes, then hours. */
export function roughTime(milliseconds: number): string {
  const seconds = Math.max(1, Math.round(milliseconds / 1000));
  if (seconds < 120) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 120 ? `${minutes} min` : `${Math.round(minutes / 60)} h`;
}

/** Until when something waits: a short wait by its length, a longer one by the time of day. */
export function untilWords({ at, for: milliseconds }: EventOf<'waiting'>): string {
  if (milliseconds < 10_000) return `in ${timeWords(milliseconds)}`;
  const until = new Date(at + milliseconds);
  return `until ${until.toTimeString().slice(0, 8)}`;
}

/** How much of a body has been sent or has come, and how long it probably goes on. */
export function transferWords({ at, bytes, direction, of }: EventOf<'transferred'>, since = at): string {
  if (of === undefined || of === 0) return `${sizeWords(bytes)} ${direction}`;
  const share = Math.min(1, bytes / of);
  const taken = at - since;
  const left = share < 1 && taken > 1000 ? `, about ${roughTime((taken / share) * (1 - share))} left` : '';
  return `${progressBar(share, 1)} ${sizeWords(bytes)} of ${sizeWords(of)} ${direction}${left}`;
}

/** How many items of a stream have come, and the newest. */
export function itemWords({ item, nth }: EventOf<'item-received'>): string {
  return `${countOf(nth, 'item')} · ${visible(item)}`;
}

/** What a step waits for, and until when. */
export function waitWords(event: EventOf<'waiting'>): string {
  const until = untilWords(event);
  switch (event.why) {
    case 'retry-after':
      return `${event.service ?? 'the service'} says wait, ${until}`;
    case 'pace':
      return `in line for ${event.service ?? 'the service'}`;
    case 'retry':
      return `${event.note ?? ''}, again ${until}`;
    case 'callback':
      return `waits for the callback, ${until}`;
    case 'poll':
      return `${event.note ?? ''}, again ${until}`;
    default:
      return until.replace(/^in/, 'for');
  }
}
