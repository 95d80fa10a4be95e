// XML and HTML in the built program: a sign-in by a form of a page, and what a namespace hides.
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { batharon, folderWith } from '../support.ts';

const XML = '<glazes xmlns="urn:glazes"><glaze name="ash"/><glaze name="iron &amp; clay"/></glazes>';

let server: Server;
let url: string;

beforeAll(async () => {
  server = createServer((request, response) => {
    if (request.url === '/login' && request.method === 'GET') {
      // In another charset than UTF-8, as only the page itself says.
      response.setHeader('content-type', 'text/html');
      response.setHeader('set-cookie', 'visit=v-1234567890; Path=/');
      return response.end(
        Buffer.from(
          '<!doctype html><meta charset="windows-1252"><form name=login><input name=user><input name=password><input type=hidden name=token value="caf\xe9&amp;1"></form>',
          'latin1',
        ),
      );
    }
    if (request.url === '/login') {
      let body = '';
      request.on('data', (data: Buffer) => (body += data.toString()));
      request.on('end', () => {
        const fields = Object.fromEntries(new URLSearchParams(body));
        const isGood =
          fields.token === 'caf\xe9&1' &&
          fields.user === 'rui' &&
          request.headers.cookie === 'visit=v-1234567890';
        response.writeHead(isGood ? 200 : 403, { 'content-type': 'text/html' });
        response.end(
          `<h1>${isGood ? 'Welcome' : 'No'}</h1><a class=next href="/plans?a=1&amp;b=2">plans</a>`,
        );
      });
      return undefined;
    }
    response.setHeader('content-type', 'application/xml');
    return response.end(XML);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

const project = (): string => `services:\n  kiln:\n    url: ${url}\n`;

test('a sign-in by a form with a token', async () => {
  const folder = folderWith({
    'batharon.yaml': project(),
    'a.chain.yaml': `chain: A
steps:
  - call: GET kiln /login
    keep:
      login: form(body, 'login')
  - call: POST kiln /login
    form: "\${merge(login, { user: 'rui', password: 'clay' })}"
    read-as: html
    expect:
      - first(css(body, 'h1')) == 'Welcome'
      - first(xpath(body, '//a[@class="next"]/@href')) == '/plans?a=1&b=2'
`,
  });
  const { code, stderr } = await batharon(folder, ['run']);
  expect([code, stderr]).toEqual([0, expect.stringContaining('2 of 2 steps passed')]);
});

test('what a namespace hides is said, with the prefix that finds it; as an object it needs none', async () => {
  const folder = folderWith({
    'batharon.yaml': project(),
    'a.chain.yaml': `chain: A
steps:
  - call: GET kiln /glazes
    keep:
      none: xpath(body, '//glaze/@name') ?? []
      names: "xpath(body, '//n:glaze/@name', { n: 'urn:glazes' })"
      object: xml(body).glazes.glaze[*]['@name']
results: { none: none, names: names, object: object }
`,
  });
  const { code, stderr, stdout } = await batharon(folder, ['run']);
  expect([code, JSON.parse(stdout)]).toEqual([
    0,
    { none: [], names: ['ash', 'iron & clay'], object: ['ash', 'iron & clay'] },
  ]);
  expect(stderr.replace(/\s+/g, ' ')).toContain("xpath(…, '//n:NAME', { n: 'urn:glazes' })");
});
