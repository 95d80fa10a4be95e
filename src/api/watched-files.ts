// What `watch` knows of files.
export { readNow, untilChanged } from '../io/files/file-changes.ts';
