/** The names of what is in the folder of a run. docs/record.md describes them. */
export const EVENTS = 'events.jsonl';
export const BODIES = 'bodies';
export const SUMMARY = 'summary.json';
/** The id of the process that writes the record, brought up to date while it goes on. */
export const PROCESS = 'process';
