import { memberOf } from '../../language/values.ts';

/** Content types of files by the ends of their names, of the IANA registry. */
export const TYPES: Readonly<Record<string, string>> = {
  json: 'application/json',
  xml: 'application/xml',
  txt: 'text/plain; charset=utf-8',
  csv: 'text/csv',
  html: 'text/html',
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  svg: 'image/svg+xml',
  webp: 'image/webp',
  pdf: 'application/pdf',
  zip: 'application/zip',
  gz: 'application/gzip',
  mp3: 'audio/mpeg',
  mp4: 'video/mp4',
};
export function typeOfFile(path: string): string {
  const ending = /\.([A-Za-z0-9]+)$/.exec(path)?.[1]?.toLowerCase() ?? '';
  return memberOf(TYPES, ending) ?? 'application/octet-stream';
}
