// What is read from XML and HTML; of pages and forms a real browser is the judge.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'puppeteer-core';
import { markup } from '../../../src/io/files/read-markup.ts';
import { hasChromium, openChromium } from '../../peers/chromium.ts';

const PAGES = {
  'a sign-in': `<!doctype html><title>Studio</title>
<form id=search><input name=q value="bowl &quot;x&quot;"></form>
<form name=login action=/login method=post>
<input name=user><input type=password name=password>
<input type=hidden name=token value="a&amp;b&#x3d;&lt;&nbsp;&copy">
<input type=checkbox name=stay checked><input type=checkbox name=news value=yes>
<input type=radio name=kiln value=north><input type=radio name=kiln value=south checked>
<select name=glaze><option>ash<option value=iron selected>Iron &amp; clay</select>
<select name=cone><option value=4>four<option value=6>six</select>
<select name=racks multiple><option selected>A1<option>A2<option value=A3 selected>third</select>
<textarea name=note>
 first
second &amp; third</textarea>
<input type=submit name=go value=Go><button name=b value=1>B</button>
<input name=off value=1 disabled><input value=nameless><input name=twice value=1><input name=twice value=2>
</form><input form=login2 name=stray value=1><p>tail`,
  'one that closes nothing': `<table><tr><td>a<td>b<tr><td><form><input name=x value=1><input type=hidden name=y value='"'></table>
<p>one<p>two <b>three<i>four</b>five</i><ul><li>ash<li>iron`,
  'a field elsewhere': `<form id=f name=f><input name=a value=1><select name=s></select></form><div><input form=f name=b value="&eacute;"></div>`,
} as const;

const SELECTORS = [
  'p',
  'li',
  'td',
  'option[selected]',
  'form[name=login] > input',
  'b, i',
  'li:first-child',
  'tr:nth-of-type(2) td',
  '#search input',
  'input:not([type])',
];

const withBrowser = hasChromium ? describe : describe.skip;
if (!hasChromium)
  process.stderr.write('LEFT OUT: no Chromium is here, so no browser judges what is read from pages\n');

withBrowser('as a browser reads it', () => {
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    browser = await openChromium();
    page = await browser.newPage();
  });
  afterAll(() => browser.close());

  test.each(Object.entries(PAGES))('%s', async (_, html) => {
    await page.setContent(html);
    const forms = await page.evaluate(() =>
      [...document.forms].map((form): [string, [string, string][]] => [
        form.name || form.id,
        // A line break is sent as CR LF, which the browser makes of it last.
        [...new FormData(form)].map(([name, value]): [string, string] => [
          name,
          (value as string).replaceAll('\n', '\r\n'),
        ]),
      ]),
    );
    for (const [name, fields] of forms) {
      const all = new Map<string, string[]>();
      for (const [field, value] of fields) all.set(field, [...(all.get(field) ?? []), value]);
      const wanted = Object.fromEntries(
        [...all].map(([field, values]) => [field, values.length === 1 ? values[0] : values]),
      );
      expect({ ...(markup.form(html, name === '' ? undefined : name) as object) }).toEqual(wanted);
    }
    for (const selector of SELECTORS) {
      const [texts, values] = await page.evaluate((css) => {
        const found = [...document.querySelectorAll(css)];
        return [
          found.map((one) => one.textContent.replace(/\s+/g, ' ').trim()),
          found.flatMap((one) => one.getAttribute('value') ?? []),
        ];
      }, selector);
      expect([selector, markup.css(html, selector, undefined) ?? []]).toEqual([selector, texts]);
      expect([selector, markup.css(html, selector, 'value') ?? []]).toEqual([selector, values]);
    }
    const paths = await page.evaluate(() => {
      const found = document.evaluate(
        '//*[@name]/@name',
        document,
        null,
        XPathResult.ORDERED_NODE_SNAPSHOT_TYPE,
      );
      return Array.from({ length: found.snapshotLength }, (_, i) => found.snapshotItem(i)!.nodeValue);
    });
    const whole = html.startsWith('<!doctype') ? html : `<!doctype html>${html}`;
    expect(markup.xpath(whole, '//*[@name]/@name', new Map()) ?? []).toEqual(paths);
  });
});

test.each([
  ['<p>none</p>', undefined, 'the page has no form'],
  ['<form name=a></form><form id=b></form>', undefined, 'the page has 2 forms, so one has to be named'],
  ['<form name=login></form><form id=b></form>', 'logn', 'the page has no form with the name or id logn'],
])('a form that is not there: %s', (html, name, said) => {
  expect(() => markup.form(html, name)).toThrow(said);
});

test('what would take long, much memory or the stack is refused or done', () => {
  // The processor's time: a clock on the wall would also count what else the machine does.
  const began = process.cpuUsage();
  expect(() => markup.css('<p>'.repeat(300_001), 'p', undefined)).toThrow('more than 300000 tags');
  expect(() => markup.xml(`<a>${'<b/>'.repeat(2_000_000)}</a>`, new Set())).toThrow('more than 2000000 tags');
  markup.form(`<form>${'<input name=a>'.repeat(50_000)}`, undefined);
  markup.xml(`<a>${'<b/>'.repeat(100_000)}</a>`, new Set());
  expect(process.cpuUsage(began).user / 1000).toBeLessThan(10_000);
  expect(() => markup.css('<b>'.repeat(5000), 'b', undefined)).toThrow('nested more than 500 levels deep');
  expect(() => markup.xpath(`<!doctype html>${'<div>'.repeat(100_000)}`, '//b', new Map())).toThrow(
    'nested more than',
  );
  expect(() => markup.xml('<a>'.repeat(5000) + '</a>'.repeat(5000), new Set())).toThrow(
    'nested more than 200',
  );
  expect(() => markup.css('<p>', 'p[[', undefined)).toThrow("'p[[' is no selector of CSS");
  expect(markup.css('<p>a<script>b</script>', 'p', undefined)).toEqual(['a']);
});

describe('XML as an object', () => {
  test.each<[string, string[], unknown]>([
    ['<a/>', [], { a: '' }],
    ['<a> x </a>', [], { a: ' x ' }],
    ['<a b="1"/>', [], { a: { '@b': '1' } }],
    ['<a b="1">x</a>', [], { a: { '@b': '1', text: 'x' } }],
    ['<k:a xmlns:k="urn:k" k:b="1"><k:c>2</k:c><c>3</c></k:a>', [], { a: { '@b': '1', c: ['2', '3'] } }],
    ['<a><c><![CDATA[<&]]></c></a>', ['c'], { a: { c: ['<&'] } }],
    ['<a><__proto__>1</__proto__></a>', [], { a: Object.fromEntries([['__proto__', '1']]) }],
  ])('%s', (xml, lists, value) => {
    expect(JSON.stringify(markup.xml(xml, new Set(lists)))).toBe(JSON.stringify(value));
  });
});

test('a namespace without a prefix is said', () => {
  expect(markup.defaultNamespace('<g xmlns="urn:glazes"><a/></g>')).toBe('urn:glazes');
  expect(markup.defaultNamespace('<k:g xmlns:k="urn:glazes"/>')).toBeUndefined();
});
