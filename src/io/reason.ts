/** Why something can't be written or read, in words. */
export function reasonOf(error: NodeJS.ErrnoException): string {
  const why: Readonly<Record<string, string>> = {
    ENOSPC: 'no space is left on the device',
    EDQUOT: 'this user may not store more',
    EACCES: 'this user may not write there',
    EPERM: 'this user may not write there',
    EROFS: 'the file system is read-only',
    ENOTDIR: 'a part of the path is a file',
    ENOENT: 'it does not exist',
  };
  const known = why[error.code ?? ''];
  return known === undefined
    ? error.message
    : `${known}${error.path === undefined ? '' : ` (${error.path})`}`;
}
