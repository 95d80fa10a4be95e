/** Where the scale says the time: at round times, four or five of them, from 0. */
export function ticks(length: number): number[] {
  const rough = length / 4;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = power * ([1, 2, 2.5, 5, 10].find((one) => one * power >= rough) ?? 10);
  const count = Math.floor(length / step + 1e-9);
  return Array.from({ length: count + 1 }, (_, i) => i * step);
}
