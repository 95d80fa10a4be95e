/**
 * The known name that is most like a misspelt one, or nothing where none is near enough. A change of case or of `-` and
 * `_` counts little, two letters swapped count as one change.
 */
export function nearest(word: string, known: Iterable<string>): string | undefined {
  const wanted = fold(word);
  let best: string | undefined;
  let bestDistance = Math.max(1, Math.floor(wanted.length / 3)) + 0.5;
  for (const name of known) {
    const candidate = fold(name);
    const isPart =
      Math.min(wanted.length, candidate.length) > 1 &&
      Math.abs(wanted.length - candidate.length) < 4 &&
      (wanted.startsWith(candidate) || candidate.startsWith(wanted));
    if (isPart && bestDistance > 1.2) {
      best = name;
      bestDistance = 1.2;
    }
    if (bestDistance > 1.3 && haveStem(wanted, candidate)) {
      best = name;
      bestDistance = 1.3;
    }
    if (Math.abs(candidate.length - wanted.length) > bestDistance) continue;
    const apart = distance(wanted, candidate) + (name === word ? 0 : 0.1);
    if (apart < bestDistance) {
      best = name;
      bestDistance = apart;
    }
  }
  return best;
}

/** `staging` and `stage`: the same beginning, and other ends. */
function haveStem(a: string, b: string): boolean {
  let same = 0;
  while (same < a.length && a[same] === b[same]) same++;
  const [short, long] = [Math.min(a.length, b.length), Math.max(a.length, b.length)];
  return same > 3 && short - same < 2 && long - same < 4;
}

function fold(word: string): string {
  return word.toLowerCase().replace(/[-_ ]/g, '').slice(0, 64);
}

/** Edits between two words, a swap of neighbours counted as one (restricted Damerau-Levenshtein distance). */
function distance(a: string, b: string): number {
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let k = 1; k <= b.length; k++) {
      const cost = a[i - 1] === b[k - 1] ? 0 : 1;
      row[k] = Math.min(last[k]! + 1, row[k - 1]! + 1, last[k - 1]! + cost);
      if (i > 1 && k > 1 && a[i - 1] === b[k - 2] && a[i - 2] === b[k - 1])
        row[k] = Math.min(row[k]!, before[k - 2]! + 1);
    }
    before = last;
    last = row;
  }
  return last[b.length]!;
}

/** A list of names for a message, cut after `most`. */
export function nameList(names: readonly string[], most = 12): string {
  const shown = names.slice(0, most).join(', ');
  return names.length > most ? `${shown} and ${names.length - most} more` : shown;
}
