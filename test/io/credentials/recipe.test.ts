// The recipe that the docs show, against the example that its RFC publishes.
import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { runChain } from '../../core/engine/support.ts';

// https://www.rfc-editor.org/rfc/rfc5849#section-1.2
test('OAuth 1.0: the signature of RFC 5849, section 1.2', async () => {
  const page = readFileSync(new URL('../../../docs/credentials/recipe.md', import.meta.url), 'utf8');
  const project = [...page.matchAll(/```yaml\n([\s\S]*?)```/g)]
    .map(([, block]) => block!)
    .find((block) => block.includes('photos.example.net'))!;
  const { exit, of, sent } = await runChain(
    'chain: A\nsteps:\n  - call: GET photos /photos\n    query: { size: original, file: vacation.jpg }\n',
    () => ({}),
    {
      project: project
        .replace(/time: .*/, 'time: "\'137131202\'"')
        .replace(/nonce: replace.*/, 'nonce: "\'chapoH\'"'),
      secrets: { client: 'kd94hf93k423kf44', token: 'nnch734d00sl2jdk', token_secret: 'pfkkdhi9sl3r4s00' },
    },
  );
  expect([exit, of('step-ended')[0]!.problem]).toEqual([0, undefined]);
  expect(new Map(sent[0]!.headers).get('Authorization')).toBe(
    'OAuth oauth_consumer_key="dpf43f3p2l4k3l03", oauth_token="nnch734d00sl2jdk", oauth_signature_method="HMAC-SHA1", oauth_timestamp="137131202", oauth_nonce="chapoH", oauth_signature="MdpQcU8iPSUjWoN%2FUDMsK2sui9I%3D"',
  );
});
