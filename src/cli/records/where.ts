/** Where a run goes: `live · kiln at https://api.emberfold.example`; undefined if there is neither an environment nor a service. */
export function whereWords(
  environment: string | undefined,
  services: Readonly<Record<string, string>> | undefined,
): string | undefined {
  const at = Object.entries(services ?? {}).map(([name, origin]) => `${name} at ${origin}`);
  const words = [
    environment === undefined ? [] : [environment],
    at.length === 0 ? [] : [at.join(', ')],
  ].flat();
  return words.length === 0 ? undefined : words.join(' · ');
}
