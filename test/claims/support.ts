import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';

/** A page without its line breaks, for a sentence to be found in it. */
const pages = new Map<string, string>();

function pageOf(path: string): string {
  let page = pages.get(path);
  if (page === undefined) {
    page = readFileSync(new URL(`../../${path}`, import.meta.url), 'utf8').replace(/\s+/g, ' ');
    pages.set(path, page);
  }
  return page;
}

/** A sentence of a page that readers rely on, and a run that shows it. A sentence that the page no longer has fails. */
export function claim(path: string, sentence: string, shows: () => Promise<void> | void): void {
  test(`${path}: ${sentence}`, async () => {
    expect(pageOf(path)).toContain(sentence);
    await shows();
  });
}
