import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  ['a small method', '  - call: get kiln /a\n', '3:11 wrong-form: get is no method of HTTP | GET kiln /a'],
  [
    'an unknown service',
    '  - call: GET klin /a\n',
    '3:15 unknown-service: the project has no service klin | the nearest is kiln',
  ],
  [
    'an unknown credential',
    '  - call: GET kiln /a\n    as: dsek\n',
    '4:9 unknown-credential: the project has no credential dsek | the nearest is desk',
  ],
  ['no slash', '  - call: GET kiln a\n', '3:20 wrong-form: a path begins with / | GET kiln /a'],
  [
    'an inserted host',
    '  - call: GET https://${studio}.example/\n',
    '3:15 wrong-form: the host of a URL is written out',
  ],
  [
    'a parameter twice',
    '  - call: GET kiln /a?state=x\n    query: { state: y }\n',
    '4:14 parameter-twice: state is set both in the URL and under query',
  ],
  [
    'a header twice',
    '  - call: GET kiln /a\n    headers: { Accept: a, accept: b }\n',
    '4:27 wrong-form: the field accept stands here twice',
  ],
  [
    'two bodies',
    '  - call: POST kiln /a\n    json: {}\n    text: x\n',
    '5:5 wrong-form: a request has one body, and this one has json and text',
  ],
  ['no attempt', '  - call: GET kiln /a\n    retry: { attempts: 0 }\n', 'there is at least one'],
  [
    'something to repeat that is nothing',
    '  - call: GET kiln /a\n    retry: { on: [200] }\n',
    '4:18 wrong-form: on must be a list of no-response',
  ],
  [
    'a wait that goes down',
    '  - call: GET kiln /a\n    retry: { wait: 30s..1s }\n',
    "wait must be a duration, or two with .. between them, but this is '30s..1s'",
  ],
  [
    'a poll that does not wait',
    '  - call: GET kiln /a\n    poll: { until: status == 200, every: 0s }\n',
    '4:42 wrong-form: a poll that does not wait asks as fast as the service answers',
  ],
  [
    'a poll under one key',
    "  - call: POST kiln /state\n    idempotency: yes\n    poll: { until: $.state == 'done' }\n",
    'each request of a poll would carry the same key',
  ],
  [
    'a credential that signs nothing',
    '  - call: POST kiln /a\n    callback: { signed-by: desk }\n',
    'the project has no credential desk of kind message-signature',
  ],
])('a call: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
