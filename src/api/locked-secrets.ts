// What the commands know of secrets: where they are locked, and from which length on they are looked for.
export { SHORTEST_NEEDLE } from '../core/engine/masking/needles.ts';
export { LockedStore } from '../io/secrets/locked-store.ts';
export { projectFolder } from '../io/secrets/project-folder.ts';
