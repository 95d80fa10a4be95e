import type { Hidden } from './masked-part.ts';

/** A text with labels in the place of what is hidden; places in order, apart from each other. */
export function replaced(text: string, places: readonly Hidden[]): string {
  let shown = '';
  let at = 0;
  for (const { start, end, label } of places) {
    shown += `${text.slice(at, start)}‹${label}›`;
    at = end;
  }
  return shown + text.slice(at);
}

const IN_NUMBER = /[-+0-9.eE]/;

/** The same for JSON, which stays JSON: a number that is hidden becomes a text. */
export function replacedInJson(text: string, places: readonly Hidden[]): string {
  let shown = '';
  let at = 0;
  let scanned = 0;
  let inString = false;
  for (const { start, end, label } of places) {
    for (; scanned < start; scanned++)
      if (inString && text[scanned] === '\\') scanned++;
      else if (text[scanned] === '"') inString = !inString;
    if (inString || start < at) {
      shown += `${text.slice(at, start)}‹${label}›`;
      at = Math.max(at, end);
      // What is hidden may hold the end of one text and the beginning of another one.
      for (; scanned < end; scanned++)
        if (inString && text[scanned] === '\\') scanned++;
        else if (text[scanned] === '"') inString = !inString;
      continue;
    }
    let from = start;
    while (from > at && IN_NUMBER.test(text[from - 1]!)) from--;
    let to = end;
    while (to < text.length && IN_NUMBER.test(text[to]!)) to++;
    shown += `${text.slice(at, from)}"‹${label}›"`;
    at = scanned = to;
  }
  return shown + text.slice(at);
}
