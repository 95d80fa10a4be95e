export async function printDry(_project: unknown, _runs: unknown): Promise<0> {
  return 0;
}
