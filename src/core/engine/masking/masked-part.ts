import type { Found } from './needles.ts';

/** Part of a text that is replaced. */
export type Hidden = Found;
