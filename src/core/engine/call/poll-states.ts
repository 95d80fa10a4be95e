/** The states that a poll has seen, in order, and how often each in a row. */
export type SeenStates = { readonly state: string; times: number }[];

/** `waiting ×3 → heating ×9` */
export function describeStates(states: SeenStates): string {
  return states.map(({ state, times }) => (times === 1 ? state : `${state} ×${times}`)).join(' → ');
}
