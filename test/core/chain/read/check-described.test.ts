// What a description finds before anything is sent: each with its place in the chain and in the description.
import { describe, expect, test } from '@jest/globals';
import { readChain } from '../../../../src/core/chain/read/read-chain.ts';
import { readProject } from '../../../../src/core/chain/read/read-project.ts';
import { descriptionsBy, KILN } from '../../contract/support.ts';
import { shown, steps } from '../support.ts';

const PROJECT = `services:
  kiln: { url: "https://kiln.example/v1", as: desk, description: kiln.openapi.yaml }
  plain: { url: "https://plain.example" }
credentials:
  desk: { kind: header, name: Kiln-Key, value: "\${secret.desk}" }
  token: { kind: bearer, token: "\${secret.desk}" }
secrets: { desk: env DESK }
`;
const descriptions = descriptionsBy({ kiln: KILN });

function found(text: string, project = PROJECT): string[] {
  const read = readProject('batharon.yaml', project, undefined, true);
  expect(read.findings).toEqual([]);
  const { findings } = readChain('a.chain.yaml', steps(text), { ...read.project, descriptions });
  return findings.map(shown);
}

const LIST = '  - call: GET kiln /pieces\n    query: { state: fired }\n';

describe('a call is held to it', () => {
  test.each([
    ['a right one', LIST, []],
    [
      'an unknown path',
      '  - call: GET kiln /peices\n',
      [
        '3:11 warning not-described: kiln.openapi.yaml has no /peices | the nearest is GET /pieces (kiln.openapi.yaml:7)',
      ],
    ],
    [
      'an unknown method',
      '  - call: DELETE kiln /pieces\n',
      ['3:11 warning not-described: /pieces has no DELETE in kiln.openapi.yaml | it has GET, POST'],
    ],
    [
      'a parameter that is missing, one that is unknown, and one that is wrong',
      '  - call: GET kiln /pieces?stat=fired\n    query: { limit: 70 }\n',
      [
        '3:11 warning not-described: GET /pieces has no query parameter stat (kiln.openapi.yaml:7) | the nearest is state',
        '3:11 warning not-as-described: GET /pieces wants the query parameter state (kiln.openapi.yaml:11) | query: { state: … }',
        '4:14 warning not-as-described: query limit is 70, at most 50 wanted (kiln.openapi.yaml:10)',
      ],
    ],
    [
      'a header and a body that are missing',
      '  - call: POST kiln /pieces\n',
      [
        '3:11 warning not-as-described: POST /pieces wants the header Idempotency-Key (kiln.openapi.yaml:29) | headers: { Idempotency-Key: … }',
        '3:11 warning not-as-described: POST /pieces wants a body (kiln.openapi.yaml:30)',
      ],
    ],
    [
      'a body as far as it is written',
      '  - call: POST kiln /pieces\n    headers: { Idempotency-Key: k1 }\n    json: { nmae: Bowl, cone: 13 }\n',
      [
        '5:11 warning not-as-described: json.name is missing, text wanted (kiln.openapi.yaml:67)',
        '5:11 warning not-described: json.nmae is not described, the nearest is name (kiln.openapi.yaml:67)',
        '5:11 warning not-as-described: json.cone is 13, at most 12 wanted (kiln.openapi.yaml:72)',
      ],
    ],
    [
      'a body of another type, and one too many',
      '  - call: POST kiln /pieces\n    headers: { Idempotency-Key: k1 }\n    form: { name: Bowl }\n  - call: GET kiln /pieces/p1\n    json: { a: 1 }\n',
      [
        '5:11 warning not-as-described: a body of application/x-www-form-urlencoded is sent, and POST /pieces takes application/json (kiln.openapi.yaml:30)',
        '7:11 warning not-described: GET /pieces/{id} takes no body (kiln.openapi.yaml:40)',
      ],
    ],
    [
      'a part of the path',
      '  - call: GET kiln /pieces/p\n',
      [
        '3:11 warning not-as-described: the path parameter id has 1 character, at least 2 wanted (kiln.openapi.yaml:44)',
      ],
    ],
    [
      'who signs in',
      `${LIST}    as: token\n${LIST}    as: nobody\n  - call: GET kiln /pieces/p1\n    as: nobody\n`,
      [
        '5:9 warning not-as-described: token is a credential of kind bearer, and GET /pieces wants a key in the header Kiln-Key (kiln.openapi.yaml:7)',
        '8:9 warning not-as-described: GET /pieces wants a credential, and this call carries none (kiln.openapi.yaml:7) | key: as: NAME of a credential',
      ],
    ],
    [
      'a status',
      '  - call: GET kiln /pieces/p1\n    expect: status in [200, 404, 410]\n',
      [
        '4:13 warning not-described: GET /pieces/{id} has no response with status 410 (kiln.openapi.yaml:40) | it has 200, 404',
      ],
    ],
    ['what is set aside', '  - call: GET kiln /peices\n    contract: off\n', []],
    ['a service without one', '  - call: GET plain /peices\n', []],
  ])('%s', (_, text, expected) => {
    expect(found(text)).toEqual(expected);
  });
});

describe('kinds of responses are known', () => {
  test.each([
    [
      'a misspelt member, its nearest, and where it is described',
      `${LIST}    keep: { cost: "$.pieces[0].prize" }\n`,
      [
        '5:32 warning not-described: $.pieces[0] has no member prize (kiln.openapi.yaml:58) | the nearest is $.pieces[0].price',
      ],
    ],
    [
      'a comparison that can never hold',
      `${LIST}    expect: $.pieces[0].price == '12'\n`,
      ['5:34 warning not-as-described: a number and text are never equal (kiln.openapi.yaml:7)'],
    ],
    [
      'a kind that a function does not take, in a later step',
      `${LIST}    name: list\n  - expect: length(list.body.pieces[0].price) > 1\n`,
      ['6:20 warning not-as-described'],
    ],
    [
      'in a loop',
      `${LIST}    keep: { all: $.pieces }\n  - each: one in all\n    steps:\n      - show: \${one.nam}\n`,
      ['8:21 warning not-described: one has no member nam (kiln.openapi.yaml:58)'],
    ],
    ['what may be there and is not required', `${LIST}    keep: { c: "$.pieces[0].cone" }\n`, []],
    [
      'nothing of the response of another status',
      '  - call: GET kiln /pieces/p1\n    expect: [ status == 404, $.x == 1 ]\n',
      [],
    ],
    ['nothing where it is read otherwise', `${LIST}    read-as: text\n    expect: contains($, 'p1')\n`, []],
  ])('%s', (_, text, expected) => {
    const all = found(text);
    expect(all).toHaveLength(expected.length);
    expected.forEach((one, i) => expect(all[i]).toContain(one));
  });

  test('strict, all of it stops a run', () => {
    const strict = PROJECT.replace('description:', 'contract: strict, description:');
    expect(
      found(`${LIST}    keep: { cost: "$.pieces[0].prize" }\n  - call: GET kiln /peices\n`, strict),
    ).toEqual([
      '5:32 not-described: $.pieces[0] has no member prize (kiln.openapi.yaml:58) | the nearest is $.pieces[0].price',
      '6:11 not-described: kiln.openapi.yaml has no /peices | the nearest is GET /pieces (kiln.openapi.yaml:7)',
    ]);
  });

  test('what would be wrong without a description is a problem as ever', () => {
    expect(found(`${LIST}    keep: { a: "$.pieces[0].prize", b: nowhere }\n`)).toEqual([
      expect.stringContaining('warning not-described: $.pieces[0] has no member prize'),
      expect.stringMatching(/^5:\d+ unknown-name: nothing defines the name nowhere/),
    ]);
  });
});

describe('fits', () => {
  test.each([
    ["fits($, 'Piece')", []],
    ["fits($.pieces[0], 'kiln#Draft')", []],
    ["fits($, 'Peice')", ["there is no schema Peice | the nearest is 'Piece'"]],
    ['fits($, $.next)', ['the schema of fits is a text as it stands']],
    ["fits($, 'gone.schema.json')", ['there is no file gone.schema.json with a schema']],
  ])('%s', (condition, expected) => {
    const all = found(`${LIST}    expect: "${condition}"\n`);
    expect(all).toHaveLength(expected.length);
    expected.forEach((one, i) => expect(all[i]).toContain(one));
  });
});
