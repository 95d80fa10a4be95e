// Reports of recorded runs, checked against public schemas: JUnit (junit-4.xsd) and HAR 1.2 (har-schema).
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { Ajv } from 'ajv';
import { validateXML } from 'xmllint-wasm';
import { RunFold } from '../../src/core/record/run-fold.ts';
import { har } from '../../src/report/har.ts';
import { json } from '../../src/report/json.ts';
import { junit } from '../../src/report/junit.ts';
import { markdown } from '../../src/report/markdown.ts';
import type { ReportSource } from '../../src/report/report-source.ts';
import { KILN, type Reply, runChain } from '../core/engine/support.ts';

const CHAIN = `chain: Fire <all> | "pieces" & more
steps:
  - call: GET kiln /racks/A3/pieces
    name: rack
    query: { glaze: "\${secret.glaze}" }
    retry: { attempts: 3, wait: 10ms..1s }
    keep: { pieces: $.pieces }
  - when: length(pieces) > 9
    call: GET kiln /never
    name: never
  - steps:
      - call: POST kiln /notes
        name: note
        json: { text: "a | b \`c\` <d> \${secret.glaze}" }
  - each: piece in pieces
    name: fire
    when-one-fails: continue
    steps:
      - call: GET kiln /pieces/\${piece}
        name: look
        expect:
          - holds: $.cone == 6
            because: "it \`was\` <set> & \\u0007 so"
  - call: GET kiln /late
    name: late
    timeout: 1s
    on-fail: continue
  - call: GET kiln /picture
    name: picture
`;

const script = ({ url }: { readonly url: string }, nth: number): Reply => {
  if (nth === 0) return { status: 503, json: '{"error":"\\u0001 busy"}' };
  if (url.includes('/racks')) return { json: '{"pieces":["p1","p2","p3"]}' };
  if (url.endsWith('/p2')) return { json: '{"cone":7}' };
  if (url.includes('/pieces/')) return { json: '{"cone":6}' };
  if (url.endsWith('/late')) return { json: '{}', after: 5000 };
  if (url.endsWith('/picture'))
    return { headers: [['content-type', 'image/png']], body: new Uint8Array([137, 80, 78, 71, 0, 1]) };
  return { status: 201, json: '{}' };
};

async function source(): Promise<ReportSource> {
  const bodies = new Map<string, string | Uint8Array>();
  const fold = new RunFold();
  await runChain(CHAIN, script, {
    project: `${KILN}secrets: { glaze: env GLAZE }\n`,
    secrets: { glaze: 'celadon-secret' },
    onEvent: (event) => fold.take(event),
    ports: {
      record: {
        keep: (digest, content) => void bodies.set(digest, content),
        durable: () => Promise.resolve(),
      },
    },
  });
  return {
    run: fold.run!,
    bytes: ({ body }) => {
      if (body?.digest === undefined) return Buffer.from(body?.text ?? '');
      const found = bodies.get(body.digest);
      return typeof found === 'string' ? Buffer.from(found) : found;
    },
  };
}

test('JUnit XML is valid; a case for each step and iteration, each failure with what was expected', async () => {
  const text = junit([await source(), await source()]);
  const schema = readFileSync(join('test/report/junit-4.xsd'), 'utf8');
  const { errors, valid } = await validateXML({
    xml: [{ fileName: 'report.xml', contents: text }],
    schema: [{ fileName: 'junit-4.xsd', contents: schema }],
  });
  expect([valid, errors]).toEqual([true, []]);
  expect(text.match(/<testsuite /g)).toHaveLength(2);
  expect([...text.matchAll(/<testcase name="([^"]*)"/g)].map(([, name]) => name).slice(0, 8)).toEqual([
    'rack',
    'never',
    '2.note',
    "fire[0] 'p1'",
    "fire[1] 'p2'",
    "fire[2] 'p3'",
    'late',
    'picture',
  ]);
  expect(text).toContain('tests="8" failures="1" errors="1" skipped="1"');
  expect(text).toContain(
    '<failure type="not-as-expected" message="expected $.cone == 6, got 7">failed     fire[1].look',
  );
  expect(text).not.toContain('celadon-secret');
});

test('an HTTP Archive is valid, with an entry for each request', async () => {
  const one = await source();
  const text = har([one], '0.1.0');
  const require = createRequire(import.meta.url);
  const schemas = require('har-schema') as Record<string, { $id: string; $schema?: string }>;
  const ajv = new Ajv({ strict: false, validateFormats: false });
  for (const { $schema: _, ...schema } of Object.values(schemas)) ajv.addSchema(schema);
  const validate = ajv.getSchema(schemas.har!.$id)!;
  const archive = JSON.parse(text) as {
    log: { entries: { request: { url: string }; response: { status: number } }[] };
  };
  expect([validate(archive), validate.errors]).toEqual([true, null]);
  const { entries } = archive.log;
  expect(entries.map(({ response }) => response.status)).toEqual([503, 200, 201, 200, 200, 200, 0, 200]);
  expect(entries[0]!.request.url).toContain('glaze=‹secret glaze›');
  expect(text).not.toContain('celadon-secret');
});

test('Markdown has what failed first, and takes nothing of a text for markup', async () => {
  const text = markdown([await source()]);
  expect(text).toMatch(/^### Fire &lt;all\\> \\\| "pieces" & more: failed after/);
  expect(text.indexOf('**fire\\[1\\]\\.look** failed')).toBeLessThan(text.indexOf('| | step |'));
  expect(text).toContain('expected  $.cone == 6\ngot       7\nbecause   it `was` <set> & ');
  // Every row of the table has the same number of cells.
  const rows = text.split('\n').filter((line) => line.startsWith('|'));
  for (const row of rows) expect([row, row.replaceAll('\\|', '').split('|').length]).toEqual([row, 7]);
  expect(text).not.toContain('celadon-secret');
});

test('JSON has every step, iteration and request, and no secret', async () => {
  const text = json([await source()]);
  const { runs, version } = JSON.parse(text) as {
    version: number;
    runs: {
      outcome: string;
      steps: { address: string; requests?: { status?: number }[]; iterations?: { outcome: string }[] }[];
    }[];
  };
  expect([version, runs[0]!.outcome]).toEqual([1, 'failed']);
  const [rack, , , fire] = runs[0]!.steps;
  expect(rack!.requests!.map(({ status }) => status)).toEqual([503, 200]);
  expect(fire!.iterations!.map(({ outcome }) => outcome)).toEqual(['passed', 'failed', 'passed']);
  expect(text).not.toContain('celadon-secret');
});

test('in JUnit a failure that is accepted is a passed case that says why, and a title names its case', async () => {
  const fold = new RunFold();
  await runChain(
    "chain: A\nsteps:\n  - call: GET kiln /a\n    name: may\n    on-fail: accept\n  - each: one in ['x', 'y']\n    name: rows\n    title: case ${one}\n    on-fail: accept\n    when-one-fails: continue\n    steps: [ { call: 'GET kiln /${one}' } ]\n",
    ({ url }) => (url.endsWith('/y') ? { json: '{}' } : { status: 503, json: '{}' }),
    { project: KILN, allowUnexplained: true, onEvent: (event) => fold.take(event) },
  );
  const text = junit([{ run: fold.run!, bytes: () => undefined }]);
  expect(text).toMatch(/tests="3" failures="0" errors="0"/);
  expect(text).toMatch(/name="may"[^>]*><system-out>failed as accepted, status-not-expected: /);
  expect([...text.matchAll(/<testcase name="([^"]*)"/g)].map(([, name]) => name)).toEqual([
    'may',
    'rows: case x',
    'rows: case y',
  ]);
});
