/** The names of what is in the folder of a run. docs/record.md describes them. */
export const EVENTS = 'events.jsonl';
export const BODIES = 'bodies';
export const SUMMARY = 'summary.json';
/** What a run with many events has told in short. */
export const OUTLINE = 'outline.jsonl';
/** Events that take more than this are many, in bytes. */
export const LONG = 3_000_000;
/** Stands in a record that could not be written to its end. */
export const INCOMPLETE = 'incomplete';
/** The id of the process that writes the record, brought up to date while it goes on. */
export const PROCESS = 'process';
