import type { Program } from './program.ts';

interface Thread {
  readonly at: number;
  /** Offsets where groups begin and end; slots 0 and 1 are those of the whole match. */
  readonly slots: readonly (number | undefined)[];
}

/** A match: where it is, and what its groups caught. Index 0 is the whole; a group that took no part is undefined. */
export interface PatternMatch {
  readonly start: number;
  readonly end: number;
  readonly groups: (string | undefined)[];
}

/**
 * The first match in a text at an offset or behind it. Runs all ways side by side, the preferred one first (Pike's machine),
 * so the time is linear in the text; `beyond` is told how much was looked at behind the match.
 */
export function findGroups(
  program: Program,
  text: string,
  from: number,
  beyond: (characters: number) => void = () => undefined,
): PatternMatch | undefined {
  let current: Thread[] = [];
  let found: readonly (number | undefined)[] | undefined;
  const end = text.length;

  const add = (list: Thread[], seen: Set<number>, first: Thread, offset: number): void => {
    const open: Thread[] = [first];
    while (open.length > 0) {
      const thread = open.pop()!;
      if (seen.has(thread.at)) continue;
      seen.add(thread.at);
      const instruction = program.instructions[thread.at]!;
      const next = { at: thread.at + 1, slots: thread.slots };
      switch (instruction.type) {
        case 'fork':
          open.push(
            { at: instruction.second, slots: thread.slots },
            { at: instruction.first, slots: thread.slots },
          );
          break;
        case 'jump':
          open.push({ at: instruction.to, slots: thread.slots });
          break;
        case 'remember': {
          const changed = [...thread.slots];
          changed[instruction.slot] = offset;
          open.push({ at: next.at, slots: changed });
          break;
        }
        case 'start':
          if (offset === 0) open.push(next);
          break;
        case 'end':
          if (offset === end) open.push(next);
          break;
        default:
          list.push(thread);
      }
    }
  };

  let offset = from;
  for (;;) {
    const seen = new Set(current.map((thread) => thread.at));
    if (!found) add(current, seen, { at: 0, slots: [offset] }, offset);
    if (current.length === 0) break;
    const point = offset < end ? text.codePointAt(offset)! : -1;
    const width = point > 0xffff ? 2 : 1;
    const following: Thread[] = [];
    const followingSeen = new Set<number>();
    for (const thread of current) {
      const instruction = program.instructions[thread.at]!;
      if (instruction.type === 'accept') {
        const slots = [...thread.slots];
        slots[1] = offset;
        found = slots;
        break; // the ways behind this one are less preferred
      }
      if (point >= 0 && instruction.type === 'consume' && program.sets[instruction.set]!(point)) {
        add(following, followingSeen, { at: thread.at + 1, slots: thread.slots }, offset + width);
      }
    }
    if (point < 0) break;
    current = following;
    offset += width;
  }

  if (!found) return undefined;
  beyond(offset - found[1]!);
  const groups = Array.from({ length: program.groups + 1 }, (_, group) => {
    const begin = found[group * 2];
    const to = found[group * 2 + 1];
    return begin === undefined || to === undefined ? undefined : text.slice(begin, to);
  });
  return { start: found[0]!, end: found[1]!, groups };
}
