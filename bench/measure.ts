/** The middle one of an odd number of figures. */
export function median(figures: readonly number[]): number {
  return figures.toSorted((a, b) => a - b)[Math.floor(figures.length / 2)]!;
}

/** Microseconds that one call takes: the median of several rounds of at least 20 ms each. */
export function microseconds(work: () => unknown, rounds = 9): number {
  let count = 1;
  for (;;) {
    const began = performance.now();
    for (let i = 0; i < count; i++) work();
    if (performance.now() - began > 20) break;
    count *= 2;
  }
  const figures = Array.from({ length: rounds }, () => {
    const began = performance.now();
    for (let i = 0; i < count; i++) work();
    return ((performance.now() - began) * 1000) / count;
  });
  return median(figures);
}

export function print(name: string, figure: string, bound = ''): void {
  process.stdout.write(`  ${name.padEnd(58)} ${figure.padStart(12)}  ${bound}\n`);
}
