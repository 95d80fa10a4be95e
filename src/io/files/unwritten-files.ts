import type { Files, Rows } from '../../core/ports.ts';
import { localFiles } from './files.ts';
import { localRows } from './rows.ts';

/** Rows are read, and none is written. */
export const unwrittenRows: Rows = {
  open: (path, near) => localRows.open(path, near),
  write: () => Promise.resolve({ change: 'same', nth: 1 }),
};

/** Files are read, and none is written. */
export const unwrittenFiles: Files = {
  open: (path, near) => localFiles.open(path, near),
  create: () =>
    Promise.resolve({
      write: () => Promise.resolve(),
      commit: () => Promise.resolve(),
      discard: () => Promise.resolve(),
    }),
};
