/** The version of the events. Apart from their schemas, so that a run need not load these. */
export const EVENT_VERSION = 2;
