// The HTML report in a real browser (Debian's chromium): it loads nothing, complains of nothing, and can be used by keyboard.
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'puppeteer-core';
import { Records } from '../../src/io/record/records.ts';
import { ticks } from '../../src/report/page/ticks.ts';
import { batharon } from '../cli/support.ts';
import { hasChromium, openChromium } from '../peers/chromium.ts';
import { KILN, runChain } from '../core/engine/support.ts';

const ITERATIONS = 300;

const CHAIN = `chain: Fire <b>all</b> pieces
steps:
  - call: GET kiln /racks/A3/pieces
    name: rack
    retry: { attempts: 3, wait: 100ms }
    keep: { count: $.count }
  - each: n in range(1, ${ITERATIONS})
    name: fire
    when-one-fails: continue
    steps:
      - call: GET kiln /pieces/p\${n}
        name: look
        expect: $.cone == 6
results: { count: count }
`;

async function record(folder: string): Promise<void> {
  const { id, writer } = new Records(folder).begin(() => undefined);
  await runChain(
    CHAIN,
    ({ url }, nth) => {
      if (nth === 0) return { status: 503, json: '{"error":"<script>alert(1)</script>"}' };
      if (url.includes('/racks'))
        return { json: '{"count": 12345678901234567890, "pieces": [{"id": "p1", "needs care": true}]}' };
      return { json: `{"id":"${url.split('/').at(-1)!}","cone":${url.endsWith('/p117') ? 7 : 6}}` };
    },
    { project: KILN, id, onEvent: (event) => writer.take(event), ports: { record: writer } },
  );
  await writer.close();
}

if (!hasChromium)
  process.stderr.write('chromium is not here, so the HTML report is NOT tested in a browser\n');

(hasChromium ? describe : describe.skip)('the HTML report', () => {
  const folder = mkdtempSync(join(tmpdir(), 'batharon-page-'));
  const requested: string[] = [];
  const complaints: string[] = [];
  let browser: Browser;
  let page: Page;

  beforeAll(async () => {
    await record(folder);
    expect((await batharon(folder, ['report', '--html', 'run.html'])).stderr).toContain('wrote run.html');
    browser = await openChromium();
    page = await browser.newPage();
    page.on('request', (request) => requested.push(request.url()));
    page.on('console', (message) => complaints.push(message.text()));
    page.on('pageerror', (error) => complaints.push(String(error)));
    await page.setViewport({ width: 1280, height: 800 });
    await page.goto(pathToFileURL(join(folder, 'run.html')).href);
    await page.waitForSelector('#page:not([aria-busy])');
  }, 60_000);

  afterAll(async () => {
    await browser.close();
  });

  const text = (selector: string): Promise<string> =>
    page.$eval(selector, (element) => element.textContent.replace(/\s+/g, ' ').trim());
  const texts = (selector: string): Promise<string[]> =>
    page.$$eval(selector, (all) => all.map((one) => one.textContent.replace(/\s+/g, ' ').trim()));

  test('what failed stands first and open, with what was said and what was answered', async () => {
    expect(await text('h1')).toBe('Fire <b>all</b> pieces');
    expect(await texts('h2')).toEqual(['What failed', 'The conversation']);
    const broken = await text('.broken');
    expect(broken).toContain('failed fire[116].look');
    expect(broken).toContain('expected $.cone == 6 got 7');
    expect(await text('.broken .request-column')).toContain('GET https://kiln.example/v1/pieces/p117');
    expect(await text('.broken .response-column')).toContain('200');
    expect(await texts('.timeline .name')).toEqual(['rack', 'fire']);
  });

  test('a step opens by keyboard and shows each attempt; paths are copied, numbers stay as they came', async () => {
    await page.focus('.conversation [data-address="rack"] > summary');
    await page.keyboard.press('Enter');
    await page.waitForSelector('.conversation [data-address="rack"] .exchange');
    expect(await texts('.conversation [data-address="rack"] h4')).toEqual([
      'attempt 1, of 2 requests',
      'attempt 2, of 2 requests',
    ]);
    expect(await text('.conversation [data-address="rack"] .response-column')).toContain(
      '"<script>alert(1)</script>"',
    );
    expect(await texts('.conversation [data-address="rack"] .exchange:last-of-type .tree li')).toEqual([
      '$.count 12345678901234567890',
      '$.pieces list of 1',
      '$.pieces[0] object of 2',
      '$.pieces[0].id "p1"',
      "$.pieces[0]['needs care'] true",
    ]);
    await page.click(
      '.conversation [data-address="rack"] .exchange:last-of-type .tree li:nth-child(4) .path',
    );
    await page.waitForFunction(() => document.getElementById('notice')!.textContent !== '');
    expect(await text('#notice')).toMatch(/\$\.pieces\[0\]\.id$/);
  });

  test('a loop shows so many iterations at a time, the broken one first', async () => {
    await page.click('.conversation [data-address="fire"] > summary');
    await page.waitForSelector('.iterations');
    expect(await page.$$eval('.iterations > .entry', (all) => all.length)).toBe(50);
    expect(await text('.iterations > .entry .name')).toBe('[116] 117');
    await page.click('.iterations + .more');
    expect(await page.$$eval('.iterations > .entry', (all) => all.length)).toBe(100);
  });

  test('the search finds names, values and failures; Escape ends it', async () => {
    await page.keyboard.press('/');
    await page.keyboard.type('p117 failed');
    expect(await texts('#found .name')).toEqual(['fire[116].look']);
    expect(await page.$eval('main', (main) => main.hidden)).toBe(true);
    await page.keyboard.press('Escape');
    expect(await page.$eval('main', (main) => main.hidden)).toBe(false);
    await page.keyboard.type('there is no such thing');
    expect(await text('.search [role=status]')).toBe('nothing found');
    await page.keyboard.press('Escape');
  });

  test('the sequence diagram is drawn when it is opened', async () => {
    expect(await page.$('.drawing svg')).toBeNull();
    await page.$eval('.drawing', (drawing) => drawing.parentElement!.querySelector('summary')!.click());
    await page.waitForSelector('.drawing svg');
    expect(await text('.drawing')).toContain(`fire: ${ITERATIONS} iterations, 1 failed`);
    expect(await page.$$eval('.drawing script', (all) => all.length)).toBe(0);
  });

  test('what folds shows that it does, and the scale is of round times that fit', async () => {
    const before = await page.$eval(
      '.conversation .entry > summary',
      (summary) => getComputedStyle(summary, '::before').content,
    );
    expect(before).toMatch(/[▸▾]/);
    for (const length of [0.3, 1, 3, 7.5, 60, 999, 45_500, 3_600_000]) {
      const all = ticks(length);
      expect([all.length >= 3 && all.length <= 9, all[0], all.at(-1)! <= length * 1.000001]).toEqual([
        true,
        0,
        true,
      ]);
    }
  });

  test('of several chains an overview stands first, those that failed on top, each leading to its run', async () => {
    const several = mkdtempSync(join(tmpdir(), 'batharon-pages-'));
    const project = 'services: { kiln: { url: practice, as: nobody } }\nenvironments: { stage: {} }\n';
    writeFileSync(join(several, 'batharon.yaml'), project);
    const chain = (title: string, status: number): string =>
      `chain: ${title}\nsteps:\n  - call: GET kiln /racks\n    name: racks\n    expect: status == ${status}\n`;
    writeFileSync(join(several, 'a.chain.yaml'), chain('Good <i>one</i>', 401));
    writeFileSync(join(several, 'b.chain.yaml'), chain('Bad', 200));
    const { code } = await batharon(several, ['run', '--html', 'all.html', '--env', 'stage']);
    expect(code).toBe(1);
    const other = await browser.newPage();
    await other.goto(pathToFileURL(join(several, 'all.html')).href);
    await other.waitForSelector('#page:not([aria-busy])');
    const rows = await other.$$eval('.overview tbody tr', (all) =>
      all.map((one) => [...one.children].map((cell) => cell.textContent).join('|')),
    );
    expect(rows).toEqual([
      expect.stringMatching(/^failed\|Badracks: expected status == 200, got 401.*\|1 call\|/),
      expect.stringMatching(/^passed\|Good <i>one<\/i>\|.*\|1 call\|/),
    ]);
    expect(await other.$eval('header p', ({ textContent }) => textContent)).toMatch(
      /^1 of 2 did not pass · 2 calls · .* in all · stage · http:\/\/127/,
    );
    const [to, first] = await Promise.all([
      other.$eval('.overview a', (link) => link.getAttribute('href')),
      other.$eval('article', ({ id }) => `#${id}`),
    ]);
    expect(to).toBe(first);
    await other.close();
  });

  test('it fits a wide screen and a phone, in light and dark, and on paper', async () => {
    for (const [width, height] of [
      [1280, 800],
      [390, 844],
    ] as const) {
      await page.setViewport({ width, height });
      const overflow = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
      expect([width, overflow]).toEqual([width, 0]);
    }
    const colour = (): Promise<string> =>
      page.$eval('body', (body) => getComputedStyle(body).backgroundColor);
    const light = await colour();
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'dark' }]);
    expect(await colour()).not.toBe(light);
    expect((await page.pdf()).length).toBeGreaterThan(10_000);
  });

  test('a screen reader has a name for whatever can be used', async () => {
    const nameless = await page.$$eval('button, input, summary', (all) =>
      all
        .filter((one) => (one.getAttribute('aria-label') ?? one.textContent).trim() === '')
        .map(({ outerHTML }) => outerHTML),
    );
    expect(nameless).toEqual([]);
    expect(await page.$eval('html', ({ lang }) => lang)).toBe('en');
  });

  test('nothing was asked of a network, and nothing was complained about', () => {
    expect(requested.filter((url) => !url.startsWith('file:') && !url.startsWith('data:'))).toEqual([]);
    expect(complaints).toEqual([]);
  });
});
