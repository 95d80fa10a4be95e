// What the commands know of records.
export type { Records, UnreadableRun } from '../io/record/records.ts';
export { type RunSummary, Summing } from '../io/record/summary.ts';
