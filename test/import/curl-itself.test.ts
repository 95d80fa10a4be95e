// What an imported step sends, passed against what curl itself sends for the same line.
import { spawnSync, spawn } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readChain } from '../../src/core/chain/read/read-chain.ts';
import { readProject, NO_PROJECT } from '../../src/core/chain/read/read-project.ts';
import { run } from '../../src/core/engine/run/run.ts';
import { importCurls } from '../../src/import/curl.ts';
import type { Draft } from '../../src/import/draft.ts';
import { finished, toSteps } from '../../src/import/to-step.ts';
import { HttpTransport } from '../../src/io/http/http.ts';
import { machinePorts } from '../../src/io/machine-ports.ts';

interface Arrived {
  readonly line: string;
  readonly headers: readonly string[];
  readonly body: unknown;
}

let url = '';
const arrived: Arrived[] = [];
const server = createServer((request, response) => {
  const chunks: Buffer[] = [];
  request.on('data', (chunk: Buffer) => chunks.push(chunk));
  request.on('end', () => {
    arrived.push(asRead(request, Buffer.concat(chunks)));
    response.end('{}');
  });
});
const folder = mkdtempSync(join(tmpdir(), 'batharon-curl-'));
beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  writeFileSync(join(folder, 'plate.json'), '{ "b" : 1.50,  "a":[ ] }');
  writeFileSync(join(folder, 'bowl.bin'), Buffer.from([0, 255, 13, 10, 1]));
});
afterAll(() => void server.close());

const hasCurl = spawnSync('curl', ['--version']).status === 0;
if (!hasCurl) console.warn('SKIPPED: there is no curl to compare imported steps with');

/** What follows from the connection or names the program. */
const OWN =
  /^(?:connection|accept-encoding|content-length|transfer-encoding|user-agent: (?:curl|batharon)\/.*|expect|keep-alive)(?::|$)/i;

/** A request as a service reads it: fields without order, JSON and forms by what they say, parts without their boundary. */
function asRead({ headers: _, method, rawHeaders, url: target }: IncomingMessage, bytes: Buffer): Arrived {
  const fields: string[] = [];
  for (let i = 0; i < rawHeaders.length; i += 2)
    fields.push(`${rawHeaders[i]!.toLowerCase()}: ${rawHeaders[i + 1]!}`);
  const type = fields.find((field) => field.startsWith('content-type:')) ?? '';
  const boundary = /boundary=(\S+)/.exec(type)?.[1];
  const text = bytes.toString('latin1');
  const body =
    /json/.test(type) && !text.includes('1.50')
      ? (JSON.parse(bytes.toString()) as unknown)
      : /urlencoded/.test(type)
        ? [...new URLSearchParams(bytes.toString())]
        : boundary === undefined
          ? text
          : text
              .split(`--${boundary}`)
              .map((part) => part.replace(/^content-[a-z]+(?=:)/gim, (name) => name.toLowerCase()));
  return {
    line: `${method!} ${target!}`,
    headers: fields
      .map((field) => (boundary === undefined ? field : field.replace(boundary, 'B')))
      .filter((field) => !OWN.test(field))
      .sort(),
    body,
  };
}

async function byCurl(line: string): Promise<Arrived[]> {
  arrived.length = 0;
  await new Promise<void>((resolve) => {
    const child = spawn('sh', ['-c', line], {
      cwd: folder,
      env: { ...process.env, no_proxy: '*', TOKEN: 'tok-123456' },
    });
    child.on('close', () => resolve());
  });
  return [...arrived];
}

/** The project file and the chain of a draft, secrets by their values. */
function written(draft: Draft): { project: string; chain: string } {
  const section = (name: string, entries: ReadonlyMap<string, readonly string[]>): string =>
    entries.size === 0
      ? ''
      : `${name}:\n${[...entries].map(([key, lines]) => `  ${key}:\n${lines.map((one) => `    ${one}\n`).join('')}`).join('')}`;
  const secrets = [...draft.secrets.keys()].map((name) => `  ${name}: env ${name.toUpperCase()}\n`).join('');
  return {
    project: `${section('services', draft.services)}${section('credentials', draft.credentials)}${secrets === '' ? '' : `secrets:\n${secrets}`}`,
    chain: `chain: A\nsteps:\n${finished(draft.step)
      .map((one) => `  ${one}\n`)
      .join('')}`,
  };
}

async function byStep(line: string): Promise<Arrived[]> {
  const { requests } = importCurls(line);
  const draft = toSteps(requests, NO_PROJECT);
  const { project: projectText, chain: chainText } = written(draft);
  const { project, findings: wrong } = readProject(
    join(folder, 'batharon.yaml'),
    projectText,
    undefined,
    true,
  );
  const { chain, findings } = readChain(join(folder, 'a.chain.yaml'), chainText, project);
  if (!chain)
    throw new Error(
      `${chainText}${projectText}${[...wrong, ...findings].map(({ message }) => message).join('\n')}`,
    );
  const variables = Object.fromEntries(
    [...draft.secrets].map(([name, { value }]) => [name.toUpperCase(), value ?? 'tok-123456']),
  );
  arrived.length = 0;
  const transport = new HttpTransport();
  try {
    const { exit } = await run(chain, project, machinePorts(project, transport, { variables }), {
      id: 'curl',
      inputs: {},
      signal: new AbortController().signal,
      emit: () => undefined,
    });
    if (exit !== 0) throw new Error(`exit ${exit}\n${chainText}`);
  } finally {
    await transport.close();
  }
  return [...arrived];
}

const compare = async (line: string): Promise<void> => {
  const whole = line.replaceAll('URL', url);
  const theirs = await byCurl(whole);
  expect([line, await byStep(whole)]).toEqual([line, theirs]);
  expect(theirs.length).toBeGreaterThan(0);
};

const ifCurl = hasCurl ? test : test.skip;

ifCurl.each([
  "curl -s URL/a -H 'X-A;' -H 'Accept:' -r 0-99",
  "curl -s 'URL/Orders?$select=Id,Title&$filter=Id%20eq%205&x[]=1&y=a+b'",
  "curl -s URL/a -d 'metadata[order]=6735&amount=2000'",
  "curl -s URL/a -H 'Content-Type: application/json' --data-binary @plate.json",
  'curl -s URL/a --json @plate.json',
  'curl -s URL/a --data-binary @bowl.bin',
  "curl -s URL/a -H 'Content-Type: text/csv' --data-binary 'a,b'",
  'curl -s -T bowl.bin URL/up/bowl.bin',
  'curl -s -u key-0123456789abcdef: URL/a',
  'curl -s -u anna:clay-and-water URL/a?b=c',
  "curl -s URL/a -b 'session=0123456789abcdef; other=1'",
  "curl -s -A 'kiln/1' URL/a; curl -s URL/b -X PUT -d x=1 && curl -s URL/c | cat",
  'curl -s URL/a\ncurl -s -X DELETE URL/b',
  "curl -s URL/a -d x=1 --next URL/b -H 'X-B: 2'",
  'curl -s URL/a -H \'Content-Type: application/json\' -d @- <<\'EOF\'\n{ "from": "a" }\nEOF',
  "curl -s URL/a -H 'Content-Type: text/plain' --data-binary @- <<EOF\none\ntwo\nEOF",
  'curl -s URL/a -H "Authorization: Bearer $(printf tok-123456)"',
  'curl -s URL/a -H "Authorization: Bearer $TOKEN" > /dev/null',
  "curl -s URL/a -F note=hello -F 'photo=@bowl.bin;type=image/png;filename=b.png'",
  'curl -s -I URL/a',
  "curl -s -G URL/a --data-urlencode 'q=a b&c' -d d=1",
  "curl -s URL/a -H 'User-Agent: kiln/2' -H 'Accept: text/csv'",
])('%s', compare);

// A key in a query becomes a credential, which stands behind the other parameters.
const word = fc
  .stringMatching(/^[A-Za-z0-9._~-]{1,12}$/)
  .filter((one) => !/key|token|auth|secret|app[-_]?id|sig/i.test(one));
const text = fc.stringMatching(/^[A-Za-z0-9 .,:;!?@()*/=_"-]{0,16}$/);
const quoted = (one: string): string => `'${one.replaceAll("'", "'\\''")}'`;
const header = fc
  .tuple(fc.constantFrom('X-Trace', 'Accept', 'X-Empty', 'If-Match', 'Kiln-Studio', 'Accept-Language'), text)
  .map(
    ([name, value]) =>
      [name, `-H ${quoted(value.trim() === '' ? `${name};` : `${name}: ${value.trim()}`)}`] as const,
  );
const headers = fc
  .uniqueArray(header, { selector: ([name]) => name, maxLength: 3 })
  .map((all) => all.map(([, one]) => one));
const query = fc
  .array(fc.tuple(word, fc.stringMatching(/^[A-Za-z0-9,:@$!*()~._-]{0,8}$/)), { maxLength: 3 })
  .map((pairs) => (pairs.length === 0 ? '' : `?${pairs.map((pair) => pair.join('=')).join('&')}`));
const json = fc
  .json({ maxDepth: 2 })
  .filter(
    (one) =>
      !/["\\][^"]*'|__proto__/.test(one) &&
      /^[[{]/.test(one) &&
      !one.includes('1.50') &&
      one.isWellFormed() &&
      !/\\u|[^\x20-\x7e]/.test(one),
  );
const body = fc.oneof(
  fc.constant(''),
  fc
    .array(fc.tuple(word, text), { minLength: 1, maxLength: 3 })
    .map((pairs) => pairs.map(([name, value]) => `--data-urlencode ${quoted(`${name}=${value}`)}`).join(' ')),
  fc
    .array(fc.tuple(word, word), { minLength: 1, maxLength: 3 })
    .map((pairs) => `-d ${quoted(pairs.map((pair) => pair.join('=')).join('&'))}`),
  json.map((one) => `--json ${quoted(one)}`),
  json.map((one) => `-H 'Content-Type: application/json' -d ${quoted(one)}`),
  text
    .filter((one) => one.trim() !== '' && !one.startsWith('@'))
    .map((one) => `-H 'Content-Type: text/plain' --data-raw ${quoted(one)}`),
  fc.tuple(word, text).map(([name, value]) => `--form-string ${quoted(`${name}=${value}`)}`),
);
const line = fc
  .tuple(
    fc.constantFrom('', '-X PUT ', '-X PATCH ', '-X DELETE ', '-L ', '--compressed '),
    fc.array(
      word.filter((one) => !/^\.{1,2}$/.test(one)),
      { minLength: 1, maxLength: 3 },
    ),
    query,
    headers,
    body,
    fc.constantFrom(
      '',
      ' -u anna:clay',
      " -H 'Authorization: Bearer abcdef0123456789'",
      ' -b studio=north-0123',
    ),
  )
  .map(
    ([method, path, search, fields, data, auth]) =>
      `curl -s ${method}${quoted(`URL/${path.join('/')}${search}`)} ${fields.join(' ')} ${data}${auth}`,
  );

ifCurl(
  'random lines of what documentation uses',
  async () => {
    await fc.assert(
      fc.asyncProperty(line, compare),
      process.env.PROVE ? { numRuns: 2000 } : { numRuns: 60, seed: 20_261_128 },
    );
  },
  600_000,
);
