/** Milliseconds as a person reads them. */
export function timeWords(milliseconds: number): string {
  if (milliseconds < 1000) return `${Math.round(milliseconds)} ms`;
  if (milliseconds < 60000) return `${(milliseconds / 1000).toFixed(1)} s`;
  return `${Math.floor(milliseconds / 60000)} min ${Math.round((milliseconds % 60000) / 1000)} s`;
}

/** A number of bytes as a person reads it. */
export function sizeWords(size: number): string {
  if (size < 1000) return `${size} bytes`;
  return size < 1000000 ? `${(size / 1000).toFixed(1)} KB` : `${(size / 1000000).toFixed(1)} MB`;
}
