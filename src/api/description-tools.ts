/** What is needed only where a project has descriptions, and loaded then. */
export { keptDescription } from '../io/description/kept-description.ts';
export { lastDescription, openDescription } from '../io/description/open-description.ts';
export { recordedKindsOf } from './recorded-kinds.ts';
