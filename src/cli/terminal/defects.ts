/** Runs that end in their own way where something fails that nobody waits for. */
export const defects = new Set<(error: unknown) => void>();
