import { expect, test } from '@jest/globals';
import { foundIn } from '../support.ts';

test.each<[string, string, string]>([
  [
    'pages that lead nowhere',
    '  - call: GET kiln /a\n    pages: { items: $.pieces }\n',
    '4:12 missing-key: pages does not say how it comes to the next page',
  ],
  [
    'pages that lead on in two ways',
    "  - call: GET kiln /a\n    pages: { next: link('next'), next-query: { page: '${page + 1}' } }\n",
    'here are next and next-query',
  ],
  [
    'pages and a poll',
    "  - call: GET kiln /a\n    pages: { next: link('next') }\n    poll: { until: status == 200 }\n",
    'a call polls or reads pages, and here it does both',
  ],
  [
    'pages under one key',
    '  - call: POST kiln /search\n    idempotency: yes\n    pages: { next-json: { after: "${$.last}" } }\n',
    'each request of pages would carry the same key',
  ],
  [
    'gathered without pages',
    '  - call: GET kiln /a\n    expect: length(gathered) > 0\n',
    'gathered has no meaning in this step',
  ],
])('pages: %s', (_, text, expected) => {
  expect(foundIn(text)).toContain(expected);
});
