import { existsSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import puppeteer, { type Browser } from 'puppeteer-core';

const CHROMIUM = '/usr/bin/chromium';

export const hasChromium = existsSync(CHROMIUM);

/** Starts a real browser, with a profile of its own. */
export function openChromium(): Promise<Browser> {
  return puppeteer.launch({
    executablePath: CHROMIUM,
    args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu', '--disable-background-networking'],
    userDataDir: join(mkdtempSync(join(tmpdir(), 'batharon-browser-')), 'profile'),
  });
}
