type Mask = (text: string) => string;

/** Of so many runs that have ended secrets are still taken out: something may be said of them yet. */
const ENDED = 8;

const running = new Set<Mask>();
const ended: Mask[] = [];

/**
 * What takes secrets out of the texts of a run, for as long as that goes on and a while after: wherever a text is cut, and whatever is said
 * of a defect of the program. Returns the function that says that the run has ended.
 */
export function hideWhileRunning(mask: Mask): () => void {
  running.add(mask);
  return () => {
    if (!running.delete(mask)) return;
    ended.push(mask);
    if (ended.length > ENDED) ended.shift();
  };
}

/** A text without the secrets of all runs of this process. */
export function withoutSecrets(text: string): string {
  let shown = text;
  for (const mask of running) shown = mask(shown);
  for (const mask of ended) shown = mask(shown);
  return shown;
}

/** How far around a place secrets are looked for. */
const AROUND = 4096;

/** A few characters at a place of a text, in quotes; none where a secret may be cut there. */
export function excerptAt(text: string, at: number): string {
  const around = text.slice(Math.max(0, at - AROUND), at + AROUND);
  return withoutSecrets(around) === around
    ? JSON.stringify(text.slice(at, at + 12))
    : 'a place near a secret';
}
